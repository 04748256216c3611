"""What the readout lists: the known values at the cursor, as rows."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any
from uuid import UUID

from ...app.doors import engine
from ...app.session import Session
from .array_curve import CURVE_HEIGHT, ArrayCurve, array_curves

ValueKey = tuple[int, UUID]
"""The kind and the field of a value that is listed."""
HEAD_HEIGHT = 24
ROW_HEIGHT = 34


@dataclass(frozen=True, slots=True)
class ReadoutRow:
    """A heading (no field and no curve), a value, or the curve of an array."""

    kind: int
    title: str
    beside: str = ""
    field_id: UUID | None = None
    value: str = ""
    share: float | None = None
    state: str = ""
    color: int = 0
    curve: ArrayCurve | None = None

    @property
    def key(self) -> ValueKey | None:
        """What a value is known by, None for what is none."""
        return (self.kind, self.field_id) if self.field_id is not None else None

    @property
    def height(self) -> int:
        """Pixels it takes."""
        if self.curve is not None:
            return CURVE_HEIGHT
        return HEAD_HEIGHT if self.field_id is None else ROW_HEIGHT


@dataclass(frozen=True, eq=False)
class _Block:
    """What is listed under one heading.

    Attributes
    ----------
    layout
        Whose fields they are.
    views
        The kinds that say them, with the layout as each shows it; several where exchanges of a device share registers.
    """

    layout: engine.Layout
    views: list[tuple[int, engine.Layout]]

    @property
    def kind(self) -> int:
        """The first of the kinds, which its rows are of wherever they do not say otherwise."""
        return self.views[0][0]

    @cached_property
    def texts(self) -> list[str]:
        """What each of the fields is found by; kept, since every letter that is typed asks all of them."""
        layout = self.layout
        return [f"{layout.name} {field.name} {field.unit}".lower() for field in layout.once_a_frame()]


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """What a block said at a frame of each of its kinds, for which words, and how many pixels that takes.

    Attributes
    ----------
    decoded
        The frames, None for those that could not be read; nothing while nobody has looked at the block yet.
    rows
        None while nobody has looked: to write the rows of thousands of messages takes longer than to walk past them.
    """

    block: _Block
    wanted: list[str]
    decoded: list[Any]
    rows: list[ReadoutRow] | None
    height: int


class ReadoutAtCursor:
    """Reads the values at the cursor of a session, those that are seen.

    Attributes
    ----------
    height
        Pixels that all of it takes; of what nobody has looked at yet, by the fields it has.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self._blocks: list[_Block] = []
        self._blocks_of: tuple[Any, int | None] = None, None
        self._count_of_heading: Counter[tuple[str, str]] = Counter()
        self._listed: list[_Kept] = []
        self._kept: dict[tuple[int, UUID], _Kept] = {}
        self.height = 0

    def read(self, wanted: list[str], seen: tuple[float, float] = (-math.inf, math.inf)) -> None:
        """Read the values at the cursor, the kind in hand first; only what has all ``wanted`` words.

        Parameters
        ----------
        seen
            From where to where it is looked at, in pixels: what lies outside stays as it was read the last time.
        """
        self._list_blocks()
        self._listed = []
        top = 0
        for block in self._blocks:
            key = block.kind, block.layout.id
            known = self._kept.get(key)
            if known is None or known.block.layout is not block.layout or known.wanted != wanted:
                known = _Kept(block, wanted, [], None, _height_of(block, wanted))
            # what was absent may be there at another time; what has not the words never is
            is_listed = known.height > 0 or known.rows is not None
            if is_listed and top <= seen[1] and top + known.height >= seen[0]:
                known = self._read_again(block, wanted, known)
            self._kept[key] = known
            if is_listed:
                self._listed.append(known)
                top += known.height
        self.height = top

    def first_values(self, wanted: list[str], count: int) -> list[ReadoutRow]:
        """Return so many values at the cursor, or a few more, read as far as that takes."""
        self.read(wanted, (0, 0))
        found: list[ReadoutRow] = []
        for kept in self._listed:
            if len(found) >= count:
                break
            found += [row for row in self._read_again(kept.block, wanted, kept).rows or () if row.key is not None]
        return found

    def placed(self, first: float = -math.inf, last: float = math.inf) -> Iterator[tuple[ReadoutRow, float]]:
        """Yield what is listed between two heights, with the height of each; values that were not read have none."""
        top = 0.0
        for kept in self._listed:
            if top > last:
                return
            if top + kept.height >= first:
                below = top
                for row in self._rows_of(kept):
                    if first <= below + row.height and below <= last:
                        yield row, below
                    below += row.height
            top += kept.height

    def beside(self, value: ValueKey | None, step: int) -> tuple[ReadoutRow, float] | None:
        """Return the value before or behind another one with its height, None where there is none.

        Without another one it is the first of all, if the step goes down.
        """
        top, tops = 0.0, []
        for kept in self._listed:
            tops.append(top)
            top += kept.height
        blocks = range(len(self._listed))
        at = next((n for n in blocks if value is not None and self._holds(n, value)), -1)
        if at >= 0:
            here = list(self._values_of(at, tops[at]))
            number = next(n for n, (row, _) in enumerate(here) if row.key == value) + step
            if 0 <= number < len(here):
                return here[number]
        for other in range(at + step, len(self._listed) if step > 0 else -1, step):
            if values := list(self._values_of(other, tops[other])):
                return values[0 if step > 0 else -1]
        return None

    def _holds(self, block: int, value: ValueKey) -> bool:
        kept = self._listed[block]
        # to write the rows of every block would take longer than a key may
        is_near = any(kind == value[0] for kind, _ in kept.block.views)
        return is_near and any(row.key == value for row in self._rows_of(kept))

    def _values_of(self, block: int, top: float) -> Iterator[tuple[ReadoutRow, float]]:
        for row in self._rows_of(self._listed[block]):
            if row.key is not None:
                yield row, top
            top += row.height

    def _rows_of(self, kept: _Kept) -> list[ReadoutRow]:
        if kept.rows is not None:
            return kept.rows
        return self._read(kept.block, [None] * len(kept.block.views), kept.wanted)

    def _list_blocks(self) -> None:
        """List what can be read, each once; that changes with what frames mean, not with the cursor."""
        session = self._session
        meaning, in_hand = session.reading.meaning, session.in_hand.kind
        if meaning is self._blocks_of[0] and in_hand == self._blocks_of[1]:
            return
        self._blocks_of = meaning, in_hand
        kinds = list(session.reading.kinds_read())
        if in_hand in kinds:
            kinds.remove(in_hand)
            kinds.insert(0, in_hand)
        blocks: dict[tuple[int, UUID], _Block] = {}
        for kind in kinds:
            for reader in session.reading.readers(kind):
                carriers = meaning.carriers_of(kind, reader) if meaning is not None else [(kind, reader)]
                layout = reader.layout if len(carriers) > 1 else reader.shown
                block = _Block(layout, [(other, one.shown) for other, one in carriers])
                blocks.setdefault((block.kind, reader.layout.id), block)
        self._blocks = list(blocks.values())
        self._count_of_heading = Counter(map(self._heading_of, self._blocks))
        self._kept = {key: kept for key, kept in self._kept.items() if key in blocks}

    def _read_again(self, block: _Block, wanted: list[str], known: _Kept) -> _Kept:
        """Return what is said at the cursor; most messages are still at the frame of the last step."""
        cursor = self._session.clock.cursor_ns
        frames = [self._session.store.frame_at(kind, view, cursor) for kind, view in block.views]
        # frames are kept while they and their layout are the same
        decoded = [at.decoded if at is not None else None for at in frames]
        if len(decoded) == len(known.decoded) and any(one is not None for one in decoded):
            if all(one is other for one, other in zip(decoded, known.decoded, strict=True)):
                return known
        rows = self._read(block, frames, wanted)
        return _Kept(block, wanted, decoded, rows, sum(row.height for row in rows))

    def _read(self, block: _Block, frames: list[Any], wanted: list[str]) -> list[ReadoutRow]:
        session, layout = self._session, block.layout
        has = [{field.id for field in view.once_a_frame()} for _, view in block.views]
        values: list[ReadoutRow] = []
        for number, field in enumerate(layout.once_a_frame()):
            places = [place for place, ids in enumerate(has) if field.id in ids]
            if not places or not _has_words(block.texts[number], wanted):
                continue
            # the newest says it; what it is traced as does not change with the cursor
            newest = max(places, key=lambda place: -1 if frames[place] is None else frames[place].time_ns)
            found = self._value_rows(*block.views[newest], frames[newest], number, field)
            values += [replace(row, kind=block.views[places[0]][0]) for row in found]
        at = frames[0]
        if at is not None and at.decoded is not None and layout.moves:
            numbers = {field.id: number for number, field in enumerate(layout.all_fields())}
            for curve in array_curves(at.decoded, engine.wording, numbers):
                if all(word in f"{layout.name} {curve.title}".lower() for word in wanted):
                    values.append(ReadoutRow(block.kind, curve.title, curve=curve))
        if not values:
            return []
        title, lane = self._heading_of(block)
        is_alone = self._count_of_heading[title, lane] == 1
        beside = lane if is_alone else f"{session.kinds.address_at_device(block.kind)} · {lane}"
        return [ReadoutRow(block.kind, title, beside), *values]

    def _heading_of(self, block: _Block) -> tuple[str, str]:
        """Return the message and the lane of a block; a device is asked for many things by one message."""
        return block.layout.name, self._session.capture.lanes[self._session.kinds.key(block.kind).lane].name

    def _value_rows(self, kind: int, layout: Any, at: Any, number: int, field: Any) -> list[ReadoutRow]:
        """Return the row of a field in a frame, none where it is not there and has not been there of late."""
        value, share, state = "–", None, ""
        if at is not None and at.decoded is not None:
            column = at.decoded.columns.get(field.id)
            if column is None:
                return []
            validity = engine.Validity(int(column.validity[0]))
            if validity is engine.Validity.ABSENT:
                column, validity = self._last_present(kind, layout, field)
                if column is None:
                    return []
            value = engine.wording.value_text(column, 0)
            state = "" if validity is engine.Validity.GOOD else validity.words
            share = _share(field, column)
        return [ReadoutRow(kind, field.name, "", field.id, value, share, state, number)]

    def _last_present(self, kind: int, layout: Any, field: Any) -> tuple[Any, Any]:
        """Look back over a few frames for one in which the selector lets the field be present."""
        session = self._session
        plan = session.store.plan(layout)
        at = session.store.frame_at(kind, layout, session.clock.cursor_ns)
        if at is None or plan is None:
            return None, None
        rows = session.capture.kinds.rows(kind, max(at.number - 15, 0), at.number + 1)
        frames = session.capture.frames.gather(rows[::-1])
        column = engine.decode_frames(session.capture, plan, frames, [field.id])[field.id]
        for number, validity in enumerate(column.validity):
            if int(validity) != engine.Validity.ABSENT:
                short = session.capture.frames.gather(frames.rows[number : number + 1])
                found = engine.decode_frames(session.capture, plan, short, [field.id])[field.id]
                return found, engine.Validity(int(validity))
        return None, None

    def column_of(self, row: ReadoutRow) -> tuple[str, engine.FieldColumn] | None:
        """Return the message of a row and its value at the cursor."""
        session = self._session
        for reader in session.reading.readers(row.kind):
            at = session.store.newest_at(row.kind, reader.shown, row.field_id, session.clock.cursor_ns)
            if at is not None and at.decoded is not None and row.field_id in at.decoded.columns:
                return reader.layout.name, at.decoded.columns[row.field_id]
        return None


def _height_of(block: _Block, wanted: list[str]) -> int:
    """Return the pixels a block will take, most likely: a field may be absent, an array has a curve besides."""
    if wanted:
        count = sum(_has_words(text, wanted) for text in block.texts)
    else:
        # the texts of thousands of messages are put together when somebody looks for one
        count = sum(1 for _ in block.layout.once_a_frame())
    # whether a curve has the words is known when it is read
    return HEAD_HEIGHT + count * ROW_HEIGHT if count or block.layout.moves else 0


def _has_words(text: str, wanted: list[str]) -> bool:
    return all(word in text for word in wanted)


def _share(field: Any, column: Any) -> float | None:
    """Return where a value lies between the field's limits, or what its bits can hold."""
    if column.value is None or field.names or not field.kind.is_number or field.kind.value == "float":
        return None
    low, high = engine.wording.field_range(field)
    low = field.low if field.low is not None else low
    high = field.high if field.high is not None else high
    if high == low or not column.has_value[0]:
        return None
    return min(max((float(column.value[0]) - float(low)) / float(high - low), 0.0), 1.0)
