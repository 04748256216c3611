"""What was heard last of fields that feed others, and of the moment at which something happened."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ..codec.columns import FieldColumn
from ..codec.encode import Value
from ..errors import MisuseError
from ..frames import flags as F
from ..frames.capture import Lane
from ..frames.table import FrameTable
from ..layouts.model import Field, Layout
from ..live.watch import Watch
from ..reading.all_frames import field_column
from ..reading.coming import ComingMeaning


@dataclass(frozen=True, slots=True)
class HeardField:
    """A field of a message that is heard.

    Attributes
    ----------
    message, field
        By their names.
    when
        A condition: the value is the one that was there when it held last. Empty is the newest value.
    """

    message: str
    field: str
    when: str = ""


class _Followed:
    """One field that somebody listens to."""

    def __init__(self, layout: Layout, field: Field, watch: Watch | None) -> None:
        self.layout, self.field, self.watch = layout, field, watch
        self.newest: Value | None = None
        self.shown: Value | None = None


class Listening:
    """Follows fields of what is heard; one thread gives it frames, another asks.

    Parameters
    ----------
    layouts
        Asked when somebody begins to listen for what is in the library.
    watch
        Makes the watch of a condition.
    """

    def __init__(
        self, layouts: Callable[[], Sequence[Layout]], watch: Callable[[str], Watch]
    ) -> None:  # fmt: skip
        self._layouts, self.watch = layouts, watch
        self._followed: dict[HeardField, _Followed] = {}
        self._lock = threading.Lock()
        self._coming = ComingMeaning()

    def value(self, heard: HeardField) -> Value | None:
        """Return the value of a field, None before there is one; from now on it is followed.

        Raises
        ------
        MisuseError
            If there is no such field, or the condition makes no sense.
        """
        with self._lock:
            known = self._followed.get(heard)
        if known is None:
            known = self._begun(heard)
            with self._lock:
                self._followed[heard] = known
        return known.shown

    def _begun(self, heard: HeardField) -> _Followed:
        layouts = [one for one in self._layouts() if one.name == heard.message]
        field = next((field for one in layouts for field in one.once_a_frame() if field.name == heard.field), None)
        if field is None:
            what = f"there is no field {heard.field!r}" if layouts else f"there is no message {heard.message!r}"
            raise MisuseError(f"{what} that could be heard.", where=f"{heard.message}.{heard.field}")
        return _Followed(layouts[0], field, self.watch(heard.when) if heard.when else None)

    def hear(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Take note of frames that came, in order of time, with what was sent among them."""
        with self._lock:
            followed = list(self._followed.values())
        if not followed or not len(table):
            return
        meaning = self._coming.of(table, lanes, {one.layout.id: one.layout for one in followed}.values())
        heard = table.flags & np.uint32(F.SENT) == 0
        for one in followed:
            hits = one.watch.holds_in(table, lanes) if one.watch is not None else None
            rows, values = [], []
            for kind in meaning.kinds_read_by(one.layout.id):
                frames, column = field_column(meaning, kind, one.field.id)
                good = np.flatnonzero(column.has_value & heard[frames.rows])
                rows += frames.rows[good].tolist()
                values += [_value_at(column, row) for row in good.tolist()]
            _follow(one, sorted(zip(rows, values, strict=True), key=lambda pair: pair[0]), hits)


def _follow(one: _Followed, heard: Sequence[tuple[int, Value]], hits: Sequence[int] | None) -> None:
    if hits:
        before = [value for row, value in heard if row <= hits[-1]]
        one.shown = before[-1] if before else one.newest
    if heard:
        one.newest = heard[-1][1]
    if hits is None:
        one.shown = one.newest


def _value_at(column: FieldColumn, row: int) -> Value:
    labels, codes = column.labels()
    if codes[row] >= 0:
        return labels[codes[row]]
    if column.value is None:
        return column.text_of(row)
    value: Value = column.value[row].item()
    return value
