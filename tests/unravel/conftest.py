"""Captures of messages that are built by hand."""

from __future__ import annotations

import numpy as np
import pytest

from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable


def make_capture(*messages):
    """Return a capture of one lane; each message is (times in ns, uint8 matrix), its address 0x100 and up."""
    times = np.concatenate([one[0] for one in messages])
    order = np.argsort(times, kind="stable")
    counts = [len(one[0]) for one in messages]
    sizes = np.repeat(np.array([one[1].shape[1] for one in messages], np.uint32), counts)
    start = np.cumsum(sizes.astype(np.int64)) - sizes
    address = np.repeat(np.arange(len(messages), dtype=np.int64) + 0x100, counts)
    table = FrameTable(
        times[order].astype(np.int64), np.zeros(len(times), np.uint16), address[order],
        np.zeros(len(times), np.uint32), start[order], sizes[order],
        np.concatenate([one[1].reshape(-1) for one in messages]),
    )  # fmt: skip
    return Capture.from_table(table, (Lane("can0"),))


@pytest.fixture(scope="session")
def capture_of():
    """Return what makes a capture of messages built by hand."""
    return lambda times, matrix: make_capture((times, matrix))


@pytest.fixture(scope="session")
def capture_of_many():
    """The same of several messages."""
    return make_capture
