"""One capture decoded with two sets of layouts: which values come out otherwise, in how many frames."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import ArrayColumns, FieldColumn, Validity
from ..codec.kinds import decode_frames
from ..codec.wording import value_text
from ..errors import MisuseError
from ..frames.segment_frames import KindFrames, places_in
from ..progress import Progress
from .meaning import Meaning
from .readers import KindMeaning

_CHUNK_FRAMES = 200_000


@dataclass(slots=True)
class Difference:
    """One field that two sets of layouts read differently.

    Attributes
    ----------
    lane, address, message, field
        Where it is; names of the second set, of the first where the second has none.
    frames
        How many were decoded both ways.
    differing
        In how many of them the value, its name or its validity is another.
    first_ns
        Time of the first of them.
    before, after
        What it is there; empty where that set reads nothing.
    """

    lane: str
    address: int
    message: str
    field: str
    frames: int
    differing: int = 0
    first_ns: int = 0
    before: str = ""
    after: str = ""


def decoded_differences(before: Meaning, after: Meaning, progress: Progress | None = None) -> list[Difference]:
    """Return what two meanings make otherwise of one capture, the most frames first.

    Fields are the same by their id, so a rename alone is no difference. Frames that both read alike cost only
    their decoding.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    found: list[Difference] = []
    for kind, (was, now) in enumerate(zip(before.kinds, after.kinds, strict=True)):
        progress.step(kind / max(len(before.kinds), 1), "decoding both ways")
        if not _are_alike(was, now):
            found += _of_kind(kind, before, after, progress)
    return sorted(found, key=lambda one: (-one.differing, one.lane, one.message, one.field))


def _are_alike(was: KindMeaning, now: KindMeaning) -> bool:
    """Return whether two meanings of a kind must give the same; a layout that carries others must be tried."""
    return [one.shown for one in was.readers] == [one.shown for one in now.readers] and not any(
        one.shown.parts for one in now.readers
    )


def _of_kind(kind: int, before: Meaning, after: Meaning, progress: Progress) -> list[Difference]:
    capture = after.capture
    key = capture.kinds.keys[kind]
    rows = capture.kinds.rows(kind)
    found: dict[UUID, Difference] = {}
    for first in range(0, len(rows), _CHUNK_FRAMES):
        progress.check()
        frames = capture.frames.gather(rows[first : first + _CHUNK_FRAMES])
        sides = [_columns(meaning, kind, frames) for meaning in (before, after)]
        for field_id in dict.fromkeys([*sides[0], *sides[1]]):
            old, new = (side.get(field_id) for side in sides)
            shown = new or old
            assert shown is not None
            one = found.setdefault(field_id, Difference(
                capture.lanes[key.lane].name, key.address, shown.message, shown.name, len(rows),
            ))  # fmt: skip
            _count(one, old, new, frames)
    return [one for one in found.values() if one.differing]


@dataclass(frozen=True, slots=True, eq=False)
class _Read:
    """A field as one side reads it: its rows, and the frame each belongs to."""

    message: str
    name: str
    column: FieldColumn
    frame: NDArray[np.int64]


def _columns(meaning: Meaning, kind: int, frames: KindFrames) -> dict[UUID, _Read]:
    made: dict[UUID, _Read] = {}
    for reader, mine in meaning.shares(kind, frames):
        try:
            decoded = decode_frames(meaning.capture, meaning.plan(reader), mine)
        except MisuseError:
            continue
        place = places_in(frames.rows, mine.rows)
        message = reader.layout.name
        made |= {key: _Read(message, column.field.name, column, place) for key, column in decoded.columns.items()}
        for array in decoded.arrays.values():
            made |= {key: _in_array(message, array, column, place) for key, column in array.columns.items()}
    return made


def _in_array(message: str, array: ArrayColumns, column: FieldColumn, place: NDArray[np.int64]) -> _Read:
    return _Read(message, f"{array.name}.{column.field.name}", column, place[array.frame])


def _count(one: Difference, old: _Read | None, new: _Read | None, frames: KindFrames) -> None:
    """Add the frames of one stretch in which a field differs."""
    wrong = np.zeros(len(frames.rows), bool)
    if old is not None and new is not None and np.array_equal(old.frame, new.frame):
        rows = np.flatnonzero(_differs(old.column, new.column))
        wrong[old.frame[rows]] = True
    elif old is not None and new is not None and _is_once(old) and _is_once(new):
        both, mine, theirs = np.intersect1d(old.frame, new.frame, assume_unique=True, return_indices=True)
        for read in (old, new):
            wrong[read.frame[read.column.validity != Validity.ABSENT]] = True
        wrong[both] = _differs(old.column.take(mine), new.column.take(theirs))
    else:
        # one side has other items, or none: every frame in which either has one
        for side in (old, new):
            if side is not None:
                there = side.column.validity != Validity.ABSENT
                wrong[side.frame[there]] = True
    if not wrong.any():
        return
    at = int(np.flatnonzero(wrong)[0])
    if not one.differing:
        one.first_ns = int(frames.time_ns[at])
        one.before, one.after = _text_at(old, at), _text_at(new, at)
    one.differing += int(wrong.sum())


def _is_once(side: _Read) -> bool:
    return bool((np.diff(side.frame) > 0).all())


def _differs(old: FieldColumn, new: FieldColumn) -> NDArray[np.bool_]:
    """Return in which rows two columns say something else; bool (n,)."""
    wrong = old.validity != new.validity
    good = old.has_value & new.has_value & ~wrong
    if old.field.unit != new.field.unit:
        return wrong | good
    if (old.value is None) != (new.value is None):
        return wrong | good
    if old.value is None or new.value is None:
        rows = np.flatnonzero(good)
        texts = [old.text_of(int(row)) != new.text_of(int(row)) for row in rows]
        wrong[rows] |= np.array(texts, bool) if len(texts) else False
        return wrong
    with np.errstate(invalid="ignore"):
        same = (old.value == new.value) | ((old.value != old.value) & (new.value != new.value))
    return wrong | (good & (~same | _other_name(old, new)))


def _other_name(old: FieldColumn, new: FieldColumn) -> NDArray[np.bool_]:
    if not old.field.names and not new.field.names:
        return np.zeros(len(old), bool)
    sides = []
    for column in (old, new):
        words, codes = column.labels()
        sides.append(np.array([*words, ""], object)[codes])
    return np.asarray(sides[0] != sides[1], bool)


def _text_at(side: _Read | None, frame: int) -> str:
    if side is None:
        return ""
    rows = np.flatnonzero(side.frame == frame)
    return value_text(side.column, int(rows[0])) if len(rows) else ""
