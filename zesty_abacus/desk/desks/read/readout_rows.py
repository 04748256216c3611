"""What the readout lists: the known values at the cursor, as rows."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from ...app.doors import engine
from ...app.session import Session
from .array_curve import CURVE_HEIGHT, ArrayCurve, array_curves

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
    def height(self) -> int:
        """Pixels it takes."""
        if self.curve is not None:
            return CURVE_HEIGHT
        return HEAD_HEIGHT if self.field_id is None else ROW_HEIGHT


@dataclass(frozen=True, slots=True, eq=False)
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


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """What a block said at a frame of each of its kinds, for which words, and how many pixels that takes."""

    layout: engine.Layout
    wanted: list[str]
    decoded: list[Any]
    rows: list[ReadoutRow]
    height: int


class ReadoutAtCursor:
    """Reads the values at the cursor of a session."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._kept: dict[tuple[int, UUID], _Kept] = {}

    def rows(self, wanted: list[str], seen: tuple[float, float] | None = None) -> list[ReadoutRow]:
        """Return what is known at the cursor, the kind in hand first; only what has all ``wanted`` words.

        Parameters
        ----------
        seen
            From where to where it is looked at, in pixels: what lies outside stays as it was read the last time.
        """
        session = self._session
        kinds = list(session.reading.kinds_read())
        if session.kind in kinds:
            kinds.remove(session.kind)
            kinds.insert(0, session.kind)
        rows: list[ReadoutRow] = []
        top = 0
        for key, block in self._blocks(kinds):
            known = self._kept.get(key)
            if known is None or known.layout is not block.layout or known.wanted != wanted:
                known = None
            if known is None or seen is None or (not top + known.height < seen[0] and not top > seen[1]):
                known = self._kept[key] = self._read_again(block, wanted, known)
            rows += known.rows
            top += known.height
        return rows

    def _blocks(self, kinds: list[int]) -> Iterator[tuple[tuple[int, UUID], _Block]]:
        """Yield what is listed, each once, with what it is known by."""
        meaning = self._session.reading.meaning
        done: set[tuple[int, UUID]] = set()
        for kind in kinds:
            for reader in self._session.reading.readers(kind):
                carriers = meaning.carriers_of(kind, reader) if meaning is not None else [(kind, reader)]
                key = carriers[0][0], reader.layout.id
                if key not in done:
                    done.add(key)
                    layout = reader.layout if len(carriers) > 1 else reader.shown
                    yield key, _Block(layout, [(other, one.shown) for other, one in carriers])

    def _read_again(self, block: _Block, wanted: list[str], known: _Kept | None) -> _Kept:
        """Return what is said at the cursor; most messages are still at the frame of the last step."""
        cursor = self._session.clock.cursor_ns
        frames = [self._session.store.frame_at(kind, view, cursor) for kind, view in block.views]
        # frames are kept while they and their layout are the same
        decoded = [at.decoded if at is not None else None for at in frames]
        if known is not None and len(decoded) == len(known.decoded) and any(one is not None for one in decoded):
            if all(one is other for one, other in zip(decoded, known.decoded, strict=True)):
                return known
        rows = self._read(block, frames, wanted)
        return _Kept(block.layout, wanted, decoded, rows, sum(row.height for row in rows))

    def _read(self, block: _Block, frames: list[Any], wanted: list[str]) -> list[ReadoutRow]:
        session, layout = self._session, block.layout
        has = [{field.id for field in view.once_a_frame()} for _, view in block.views]
        values: list[ReadoutRow] = []
        for number, field in enumerate(layout.once_a_frame()):
            places = [place for place, ids in enumerate(has) if field.id in ids]
            if not places or not _has_words(layout, field, wanted):
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
        lane = session.capture.lanes[session.kinds.key(block.kind).lane].name
        return [ReadoutRow(block.kind, layout.name, lane), *values]

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


def _has_words(layout: engine.Layout, field: engine.Field, wanted: list[str]) -> bool:
    return all(word in f"{layout.name} {field.name} {field.unit}".lower() for word in wanted)


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
