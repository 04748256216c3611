"""Captures with faults put in on purpose, and what is found in them."""

import numpy as np

from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.problems.limits import Limits
from zesty_abacus.core.problems.look import look_for_problems
from zesty_abacus.core.reading.meaning import Meaning

MS = 1_000_000


def stream(times_ns, payloads=None, *, address=0x100, flags=0, lane=0):
    """Return frames of one kind: (time, lane, address, flags, payload)."""
    payloads = [b"\x00" * 8] * len(times_ns) if payloads is None else payloads
    flags = [flags] * len(times_ns) if isinstance(flags, int) else flags
    return [
        (int(time), lane, address, bits, payload) for time, bits, payload in zip(times_ns, flags, payloads, strict=True)
    ]


DECK = (Lane("deck"),)


def capture_of(*streams, lanes=DECK):
    """Return a capture of several streams, in order of time."""
    frames = sorted((frame for one in streams for frame in one), key=lambda frame: frame[0])
    sizes = np.array([len(frame[4]) for frame in frames], np.uint32)
    table = FrameTable(
        np.array([frame[0] for frame in frames], np.int64), np.array([frame[1] for frame in frames], np.uint16),
        np.array([frame[2] for frame in frames], np.int64), np.array([frame[3] for frame in frames], np.uint32),
        (np.cumsum(sizes) - sizes).astype(np.int64), sizes,
        np.frombuffer(b"".join(frame[4] for frame in frames), np.uint8),
    )  # fmt: skip
    return Capture.from_table(table, lanes)


def found(capture, layouts=(), limits=()):
    """Return the problems of a capture by kind and address."""
    problems = look_for_problems(Meaning.of(capture, layouts), Limits(limits)).problems
    made = {}
    for problem in problems:
        key = (problem.kind.value, problem.address) if not problem.field else (problem.kind.value, problem.field)
        assert key not in made, "one row a kind of problem, message and field"
        made[key] = problem
    return made
