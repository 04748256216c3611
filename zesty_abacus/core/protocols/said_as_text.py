"""Which payloads are text: what protocols of text carry may be bytes as well."""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np

from .registry import protocol_named

if TYPE_CHECKING:
    from ..frames.capture import Capture

LETTERS = np.zeros(256, np.bool_)
"""Which bytes stand in a text of ASCII: what can be printed, tabs and ends of lines; bool (256,)."""
LETTERS[0x20:0x7F] = True
LETTERS[[0x09, 0x0A, 0x0D]] = True

_LOOKED_AT = 16
"""Payloads that are asked: all of a kind are shown in one form."""
_LEAST_TEXT = 0.95
_LEAST_BYTES = 4
"""Fewer bytes in all may be letters by chance."""


def is_text(protocol: str, payloads: Iterable[bytes]) -> bool:
    """Return whether payloads are text: of a protocol that may carry it, and nearly all bytes of the first letters."""
    if not protocol_named(protocol).may_be_text:
        return False
    whole = np.frombuffer(b"".join(itertools.islice(payloads, _LOOKED_AT)), np.uint8)
    return len(whole) >= _LEAST_BYTES and int(LETTERS[whole].sum()) >= _LEAST_TEXT * len(whole)


def kind_is_text(capture: Capture, kind: int) -> bool:
    """Return whether the frames of a kind are text, by the first of them."""
    rows = capture.kinds.rows(kind, 0, _LOOKED_AT)
    lane = capture.lanes[capture.kinds.keys[kind].lane]
    return is_text(lane.protocol, (capture.frames.at(int(row)).payload for row in rows))
