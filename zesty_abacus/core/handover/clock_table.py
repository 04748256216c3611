"""Decoded values on one clock: a row every so often and a column a field, whatever times its frames came at."""

from __future__ import annotations

import tempfile
from collections.abc import Collection, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal
from uuid import UUID

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..codec.columns import FieldColumn
from ..errors import MisuseError
from ..layouts.model import Field, FieldKind
from ..reading.meaning import Meaning
from ..reading.readers import Reader
from .block import Block, Blocks
from .chunks import Span, Which, chunks_of
from .columns import TEXT
from .decoded_parts import decoded_parts, read_kinds
from .kind_words import kind_words
from .labels import LabelWords

Between = Literal["hold", "nearest", "linear"]
"""What a value is between two frames: that of the last one, of the nearer one, or on a straight line."""
BETWEEN: tuple[Between, ...] = ("hold", "nearest", "linear")
_MOST_ROWS = 50_000_000
_BLOCK_CELLS = 1 << 20
_NO_WORD = -1


@dataclass(slots=True, eq=False)
class _Column:
    """One field of one kind on its way to the clock.

    Attributes
    ----------
    cells
        Of the whole table: values, or numbers of words.
    last_ns, last
        The newest frame that had a value.
    done
        Rows that are settled.
    """

    name: str
    is_text: bool
    between: Between
    cells: NDArray[np.float64] | NDArray[np.int32]
    last_ns: int | None = None
    last: float = 0.0
    done: int = 0

    def take(self, times: NDArray[np.int64], values: NDArray[np.float64], begin: int, every: int) -> None:
        """Settle the rows up to the last of some frames, which are in order of time."""
        if not len(times):
            return
        if self.last_ns is not None:
            times, values = np.append(self.last_ns, times), np.append(self.last, values)
        # the frame at a row's own time is its value in every way, so that row is settled, too
        until = min(max((int(times[-1]) - begin) // every + 1, self.done), len(self.cells))
        rows = np.arange(self.done, until)
        self.cells[self.done : until] = self._at(begin + rows * every, times, values)
        self.last_ns, self.last, self.done = int(times[-1]), float(values[-1]), until

    def finish(self) -> None:
        """Settle the rows behind the last frame; a line does not go on there."""
        if self.last_ns is not None and self.between != "linear":
            self.cells[self.done :] = self.last

    def _at(
        self, wanted: NDArray[np.int64], times: NDArray[np.int64], values: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        after = np.searchsorted(times, wanted, side="right")
        before = np.clip(after - 1, 0, None)
        following = np.clip(after, None, len(times) - 1)
        if self.between == "hold":
            return np.where(after > 0, values[before], self._nothing)
        if self.between == "nearest":
            nearer = np.abs(times[following] - wanted) < np.abs(wanted - times[before])
            return np.where((after == 0) | nearer, values[following], values[before])
        span = np.maximum(times[following] - times[before], 1)
        line = values[before] + (values[following] - values[before]) * ((wanted - times[before]) / span)
        return np.where(after > 0, line, self._nothing)

    @property
    def _nothing(self) -> float:
        return _NO_WORD if self.is_text else np.nan


@dataclass(slots=True, eq=False)
class _Sampling:
    """The columns of a table, and the words of its texts."""

    columns: dict[tuple[int, UUID], _Column]
    begin: int
    every: int
    words: LabelWords = field(default_factory=LabelWords)

    def add(self, kind: int, times: NDArray[np.int64], columns: Collection[FieldColumn]) -> None:
        """Take over what frames of a kind hold."""
        for column in columns:
            mine = self.columns.get((kind, column.field.id))
            if mine is None:
                continue
            rows = np.flatnonzero(column.has_value)
            if mine.is_text:
                codes = self.words.of(column, rows)
                bare = np.flatnonzero(codes < 0)
                if len(bare) and column.raw is not None:
                    codes[bare] = self.words.of_numbers(column, rows[bare])
                mine.take(times[rows], codes.astype(np.float64), self.begin, self.every)
            elif column.value is not None:
                mine.take(times[rows], column.value[rows].astype(np.float64), self.begin, self.every)


def clock_schema(meaning: Meaning, kinds: Collection[int] | None = None) -> pa.Schema:
    """Return the schema of :func:`clock_table`: ``time_ns``, then ``message.field``.

    Where several lanes or addresses carry a message, each has columns of its own: ``lane: message.field``.
    """
    named = [(name, TEXT if _is_text(one) else pa.float64()) for _, one, name in _fields(meaning, kinds)]
    return pa.schema([("time_ns", pa.int64()), *named])


def clock_table(
    meaning: Meaning, every_ns: int, between: Between, which: Which = None, kinds: Collection[int] | None = None
) -> Blocks:
    """Return decoded values, a row every ``every_ns`` from the first frame on; empty where there is no value.

    Only good values count. Names, flags, texts and sets of bits stay what they were until they change, in every way.

    Raises
    ------
    MisuseError
        If nobody reads any of the kinds, or there would be more than 50 million rows.
    """
    if between not in BETWEEN:
        raise MisuseError(f"{between!r} is no way between frames.", hint=f"There are {', '.join(BETWEEN)}.")
    if every_ns < 1:
        raise MisuseError("rows come some time apart, at least 1 ns.")
    begin, end = _ends(meaning, which)
    count = (end - begin) // every_ns + 1 if end >= begin else 0
    if count > _MOST_ROWS:
        raise MisuseError(f"that would be {count} rows.", hint="Take rows further apart, or a shorter stretch.")
    # what is chosen is looked at before anything is written
    read_kinds(meaning, kinds)
    making = _Making(meaning, every_ns, between, which, kinds, begin, count)
    return Blocks(making.pieces(), lambda piece: piece if isinstance(piece, Block) else making.block(piece))


@dataclass(slots=True, eq=False)
class _Making:
    """A table while it is made: all frames are gone through once, and then its rows leave."""

    meaning: Meaning
    every: int
    between: Between
    which: Which
    kinds: Collection[int] | None
    begin: int
    count: int
    sampling: _Sampling | None = None

    @property
    def schema(self) -> pa.Schema:
        """The schema of the table."""
        return clock_schema(self.meaning, self.kinds)

    def pieces(self) -> Iterator[Block | slice]:
        """Yield a block without rows for each chunk of frames that was read, then which rows leave."""
        with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
            sampling = self.sampling = _Sampling(self._columns(Path(folder)), self.begin, self.every)
            chosen = read_kinds(self.meaning, self.kinds)
            frames = self.meaning.capture.frames
            for rows in chunks_of(self.meaning.capture, self.which):
                for kind, _, places, decoded in decoded_parts(self.meaning, rows, chosen):
                    sampling.add(kind, frames.times(rows[places]), decoded.columns.values())
                yield Block(self.schema, 0, {}, len(rows))
            for column in sampling.columns.values():
                column.finish()
            step = max(_BLOCK_CELLS // len(self.schema), 1)
            yield from (slice(first, min(first + step, self.count)) for first in range(0, self.count, step))

    def _columns(self, folder: Path) -> dict[tuple[int, UUID], _Column]:
        made = {}
        for number, (kind, one, name) in enumerate(_fields(self.meaning, self.kinds)):
            is_text = _is_text(one)
            path = folder / str(number)
            cells = np.memmap(path, np.int32 if is_text else np.float64, "w+", shape=(max(self.count, 1),))
            cells[:] = _NO_WORD if is_text else np.nan
            # what has names, or is one bit, lies on no line
            steps = is_text or one.kind is FieldKind.FLAG
            made[kind, one.id] = _Column(name, is_text, "hold" if steps else self.between, cells[: self.count])
        return made

    def block(self, rows: slice) -> Block:
        """Return some rows."""
        sampling = self.sampling
        assert sampling is not None, "the frames were gone through"
        times = self.begin + np.arange(rows.start, rows.stop, dtype=np.int64) * self.every
        columns: dict[int, pa.Array] = {0: pa.array(times)}
        words = pa.array(sampling.words.words, TEXT)
        for place, column in enumerate(sampling.columns.values(), start=1):
            if column.is_text:
                codes = column.cells[rows].astype(np.int32)
                columns[place] = pa.DictionaryArray.from_arrays(pa.array(codes, mask=codes < 0), words)
            else:
                cells = column.cells[rows].astype(np.float64)
                columns[place] = pa.array(cells, mask=np.isnan(cells))
        return Block(self.schema, rows.stop - rows.start, columns)


def _ends(meaning: Meaning, which: Which) -> tuple[int, int]:
    """Return the times of the first and the last frame; of none the end lies before the beginning."""
    capture = meaning.capture
    if isinstance(which, np.ndarray):
        rows = which
    else:
        span = which or Span(0, len(capture))
        if span.last <= span.first:
            return 0, -1
        ends = (span.first, span.last - 1)
        rows = np.concatenate([next(iter(capture.order.chunks(place, place + 1, 1))) for place in ends])
    if not len(rows):
        return 0, -1
    times = capture.frames.times(rows[[0, -1]])
    return int(times[0]), int(times[1])


def _is_text(one: Field) -> bool:
    return one.kind in (FieldKind.NAMES, FieldKind.BITS) or not one.raw_is_number


def _fields(meaning: Meaning, kinds: Collection[int] | None) -> list[tuple[int, Field, str]]:
    """Return the kind and field of each column, and what it is called."""
    capture = meaning.capture
    found: list[tuple[int, Reader, Field]] = []
    for kind in read_kinds(meaning, kinds):
        for reader in meaning.kinds[kind].readers:
            if not meaning.trouble(reader):
                found += [(kind, reader, one) for one in meaning.plan(reader).layout.once_a_frame()]
    kinds_of: dict[str, set[int]] = {}
    for kind, reader, _ in found:
        kinds_of.setdefault(reader.layout.name, set()).add(kind)
    named: list[tuple[int, Field, str]] = []
    taken: set[str] = set()
    for kind, reader, one in found:
        name = f"{reader.layout.name}.{one.name}"
        if len(kinds_of[reader.layout.name]) > 1:
            lane = capture.lanes[capture.kinds.keys[kind].lane].name
            name = f"{lane}: {name}"
            name = f"{lane} {kind_words(capture, kind)}: {reader.layout.name}.{one.name}" if name in taken else name
        if name in taken:
            continue
        taken.add(name)
        named.append((kind, one, name))
    return named
