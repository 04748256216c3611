"""What a capture holds in the registers of a device, laid out or not: whether each moves, and how several read as one.

Exchanges of a device overlap and leave gaps; registers that follow one another are a stretch, whoever carried them.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...frames.capture import Capture
from ...frames.decimate import Curve
from ...frames.segment_frames import KindFrames
from ...layouts.fields import Field, FieldKind, new_field
from ...layouts.places import Places, byte_bits
from ...progress import Progress
from ...protocols.registry import protocol_named
from ...reading.meaning import Meaning
from ...reading.readers import Reader
from ..orders import byte_orders
from ..readings import Reading, read_as

_MOST_FRAMES, _FEWEST = 24_000, 300
"""That are kept of all exchanges together, evenly taken, and of each one at least."""
_CHUNK = 1 << 16
_MOST_REGISTERS = 4
"""That one number fills."""


@dataclass(frozen=True, slots=True, eq=False)
class HeldRegister:
    """One register.

    Attributes
    ----------
    moves
        Whether it ever holds something else, in any frame.
    curve
        Its number without sign.
    """

    moves: bool
    curve: Curve


@dataclass(frozen=True, slots=True, eq=False)
class _Carried:
    """Frames of one exchange.

    Attributes
    ----------
    first, end
        Bytes of the device, the last one exclusive.
    frames
        Some of them, the first one among these.
    moved : bool (end - first,)
        Which bytes are another than in the first frame in any of them.
    """

    first: int
    end: int
    frames: KindFrames
    moved: NDArray[np.bool_]


@dataclass(frozen=True, slots=True, eq=False)
class _Stretch:
    """Registers that follow one another, in all frames that carried any of them.

    Attributes
    ----------
    first
        Byte of the device that the columns begin with.
    time_ns : int64 (n,)
    matrix : uint8 (n, bytes)
    there : bool (n, bytes)
    moved : bool (bytes,)
    """

    first: int
    time_ns: NDArray[np.int64]
    matrix: NDArray[np.uint8]
    there: NDArray[np.bool_]
    moved: NDArray[np.bool_]


class HeldRegisters:
    """All that exchanges of one device carried of one space.

    Attributes
    ----------
    registers
        By number, in order.
    """

    def __init__(self, stretches: Sequence[_Stretch], register_bytes: int) -> None:
        self._stretches, self._bytes = stretches, register_bytes
        self.registers = dict(self._each())

    @classmethod
    def of(cls, meaning: Meaning, kind: int, reader: Reader, progress: Progress) -> HeldRegisters:
        """Look at every exchange of the device that a register map reads one of.

        Parameters
        ----------
        reader
            The map, as it reads that kind.

        Raises
        ------
        Cancelled
            If the progress was cancelled.
        """
        registers = reader.layout.registers
        size = registers.space.register_bits // 8 if registers is not None else 0
        # coils share bytes in another order with each first one
        carried = list(_carried(meaning, kind, reader, size, progress)) if size else []
        return cls([_stretched(group) for group in _following(carried)], max(size, 1))

    def readings(self, first: int, last: int) -> list[Reading]:
        """Return registers read as one number in every order of words and bytes, the smoothest first.

        Places are those of the map. Nothing for more registers than a number fills, or that no exchange carries whole.
        """
        stretch = self._around(first, last)
        count = last - first + 1
        if stretch is None or count > _MOST_REGISTERS:
            return []
        begin, size = first * self._bytes, count * self._bytes
        own = slice(begin - stretch.first, begin - stretch.first + size)
        rows = stretch.there[:, own].all(axis=1)
        matrix = np.ascontiguousarray(stretch.matrix[rows, own])
        if not len(matrix):
            return []
        words, fields = zip(*_ways(size), strict=True)
        called = {field.id: said for field, said in zip(fields, words, strict=True)}
        found = read_as(fields, matrix, np.full(len(matrix), size, np.uint32))
        return [one.moved_by(begin * 8, called[one.field.id]) for one in _apart(found)]

    def _around(self, first: int, last: int) -> _Stretch | None:
        begin, end = first * self._bytes, (last + 1) * self._bytes
        fits = (one for one in self._stretches if one.first <= begin and end <= one.first + one.matrix.shape[1])
        return next(fits, None)

    def _each(self) -> Iterator[tuple[int, HeldRegister]]:
        for stretch in self._stretches:
            for place in range(0, stretch.matrix.shape[1] - self._bytes + 1, self._bytes):
                own = slice(place, place + self._bytes)
                rows = stretch.there[:, own].all(axis=1)
                values = np.zeros(int(rows.sum()), np.int64)
                for column in stretch.matrix[rows, own].T:
                    values = values << 8 | column
                moves = bool(stretch.moved[own].any()) or (len(values) > 0 and bool((values != values[0]).any()))
                curve = Curve.build(stretch.time_ns[rows], values.astype(np.float64))
                yield (stretch.first + place) // self._bytes, HeldRegister(moves, curve)


def _carried(meaning: Meaning, kind: int, reader: Reader, size: int, progress: Progress) -> Iterator[_Carried]:
    capture = meaning.capture
    carriers = meaning.carriers_of(kind, reader)
    for number, (other, one) in enumerate(carriers):
        progress.step(number / len(carriers), "reading registers")
        key = capture.kinds.keys[other]
        exchange = protocol_named(capture.lanes[key.lane].protocol).exchange_of(key)
        if exchange is None:
            continue
        rows = capture.order_of_kind(other).rows()
        # an exception is shorter, and holds no register
        rows = rows[capture.frames.sizes(rows) == one.shown.size]
        if len(rows):
            kept = max(_MOST_FRAMES // len(carriers), _FEWEST)
            frames = capture.frames.gather(rows[:: max(len(rows) // kept, 1)])
            first, end = exchange.first * size, exchange.first * size + one.shown.size
            yield _Carried(first, end, frames, _moved(capture, rows, one.shown.size, progress))


def _moved(capture: Capture, rows: NDArray[np.integer], size: int, progress: Progress) -> NDArray[np.bool_]:
    """Return which bytes of some frames ever differ from the first of them; bool (size,)."""
    moved = np.zeros(size, np.bool_)
    first = capture.frames.gather(rows[:1]).matrix[:, :size]
    for begin in range(0, len(rows), _CHUNK):
        progress.check()
        matrix = capture.frames.gather(rows[begin : begin + _CHUNK]).matrix[:, :size]
        moved |= np.bitwise_or.reduce(matrix ^ first, axis=0) > 0
    return moved


def _following(carried: Sequence[_Carried]) -> Iterator[list[_Carried]]:
    """Yield exchanges whose registers overlap, or follow one another without a gap."""
    group: list[_Carried] = []
    end = 0
    for one in sorted(carried, key=lambda one: one.first):
        if group and one.first > end:
            yield group
            group = []
        end = max(end, one.end) if group else one.end
        group.append(one)
    if group:
        yield group


def _stretched(group: Sequence[_Carried]) -> _Stretch:
    first, end = group[0].first, max(one.end for one in group)
    times = np.concatenate([one.frames.time_ns for one in group])
    matrix, there = np.zeros((len(times), end - first), np.uint8), np.zeros((len(times), end - first), np.bool_)
    moved, row = np.zeros(end - first, np.bool_), 0
    for one in group:
        moved[one.first - first : one.end - first] |= one.moved
        rows, own = slice(row, row + len(one.frames)), slice(one.first - first, one.end - first)
        matrix[rows, own] = one.frames.matrix[:, : one.end - one.first]
        there[rows, own] = True
        row += len(one.frames)
    order = np.argsort(times, kind="stable")
    return _Stretch(first, times[order], matrix[order], there[order], moved)


def _ways(size: int) -> Iterator[tuple[str, Field]]:
    """Yield each way to read so many bytes as one number."""
    for kind in (FieldKind.UNSIGNED, FieldKind.SIGNED, *([FieldKind.FLOAT] if size in (4, 8) else [])):
        for order, words, _ in byte_orders(list(range(size))):
            yield f"{kind.words}, {words}", new_field("", Places(byte_bits(order)), kind)


def _apart(readings: Sequence[Reading]) -> Iterator[Reading]:
    """Yield readings without those that say nothing of their own: signed ones that are never below zero, odd floats."""
    for one in readings:
        is_plain = one.field.kind is FieldKind.SIGNED and not bool((one.column.plot_values() < 0).any())
        is_odd = one.field.kind is FieldKind.FLOAT and not np.isfinite(one.smoothness.roughness)
        if not is_plain and not is_odd:
            yield one
