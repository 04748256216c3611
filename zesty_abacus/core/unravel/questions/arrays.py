"""Payloads that hold as many items of one shape as a number in front says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from ...frames.segment_frames import KindFrames
from ...layouts.places import Places, format_places
from ..finding import Said
from ..seen import MOST_FRAMES, Seen, most_frequent
from ..words import count_of
from .digits import decimals, grays
from .fields import fields
from .floats import floats

_LEAST_SIZES, _MOST_STEP = 4, 32
_LEAST_CONFIDENCE = 0.95
"""How sure what is said of one item is, as a part of what it would be of a field that is there once."""


@dataclass(frozen=True, slots=True)
class Arrays:
    """Items of one shape.

    Attributes
    ----------
    said
        What says how many there are, in the place of what says the length, and what stands in each.
    head
        Bytes before the first.
    """

    said: tuple[Said, ...]
    head: int


def arrays(frames: KindFrames, told: Sequence[Said], end_bytes: int) -> Arrays | None:
    """Return the items that payloads of several lengths hold, None if they hold none.

    Parameters
    ----------
    told
        What says the length of the payload, as found.
    end_bytes
        Bytes at the end that are of no item.
    """
    sizes = frames.sizes.astype(np.int64)
    length = next((one for one in told if one.parameters["of"] == "payload"), None)
    if length is None or len(np.unique(sizes)) < _LEAST_SIZES:
        return None
    step = int(np.gcd.reduce(np.diff(np.unique(sizes))))
    head = _head(length, sizes, step, end_bytes)
    if not 2 <= step <= _MOST_STEP or head is None:
        return None
    items = _Items(frames, head, step, end_bytes)
    found = items.fields()
    if not found:
        return None
    return Arrays((_counted(length, items, step, head + end_bytes), *found), head)


def _head(length: Said, sizes: NDArray[np.int64], step: int, end_bytes: int) -> int | None:
    """Return how many bytes stand before the first item: no fewer than are needed to say the length."""
    least = max(length.bits) // 8 + 1
    if length.parameters["unit"] == step:
        # so many bytes are there with no item at all
        head = int(length.parameters["offset"]) - end_bytes
    else:
        head = least + int(sizes.min() - end_bytes - least) % step
    return head if least <= head <= int(sizes.min()) - end_bytes else None


def _counted(length: Said, items: _Items, step: int, around: int) -> Said:
    """Return what says the length as what says the number of items, where it counts those and not bytes."""
    if length.parameters["unit"] != step:
        return length
    of = {"places": items.whole, "step_bits": step * 8}
    return replace(
        length, kind="count",
        parameters={"of": of, "unit": 1, "offset": 0, "inverted": length.parameters["inverted"]},
        reason=f"It says how many items of {count_of(step, 'byte')} there are beside {count_of(around, 'byte')} of "
        f"others: {length.reason[0].lower()}{length.reason[1:]}",
    )  # fmt: skip


class _Items:
    """The items of all payloads of a kind, those in one place in order of time."""

    def __init__(self, frames: KindFrames, head: int, step: int, end_bytes: int) -> None:
        self._head, self._step = head, step
        every = max(len(frames) // MOST_FRAMES, 1)
        counts = (frames.sizes[::every].astype(np.int64) - head - end_bytes) // step
        matrix, times = frames.matrix[::every], frames.time_ns[::every]
        most = int(counts.max(initial=0))
        # item by item, so that each is followed by what stands in its place in the next payload
        rows = [np.flatnonzero(counts > number) for number in range(most)]
        parts = [matrix[there, head + n * step : head + n * step + step] for n, there in enumerate(rows)]
        follows = [np.arange(len(there)) > 0 for there in rows]
        self._seen = Seen(
            np.concatenate([times[there] for there in rows]), np.ascontiguousarray(np.concatenate(parts)),
            np.concatenate(follows), sum(map(len, rows)),
        )  # fmt: skip
        self._usual = most_frequent(counts)

    @property
    def whole(self) -> str:
        """The bytes of the first item, as places are written."""
        first = self._head * 8
        return format_places(Places(byte * 8 + bit + first for byte in range(self._step) for bit in range(7, -1, -1)))

    def fields(self) -> list[Said]:
        """Return what each item holds; places are those of the first one."""
        free = np.ones(self._step * 8, np.bool_)
        found: list[Said] = []
        for question in (decimals, grays, floats, fields):
            for one in question(self._seen, free, ()):
                free[list(one.bits)] = False
                found.append(self._in_each(one))
        return found

    def _in_each(self, one: Said) -> Said:
        first, step = self._head * 8, self._step * 8
        bits = tuple(first + bit for bit in one.bits)
        takes = tuple(bit + number * step for number in range(self._usual) for bit in bits)
        array = {"step_bits": step, "count": None, "high_end_first": False}
        return replace(
            one, bits=bits, takes=takes, parameters=one.parameters | {"array": array},
            confidence=one.confidence * _LEAST_CONFIDENCE,
            reason=f"In each item of {count_of(self._step, 'byte')}: {one.reason[0].lower()}{one.reason[1:]}",
        )  # fmt: skip
