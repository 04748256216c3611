"""What the open capture holds in the registers of the device in hand, looked at on a thread and kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...app.doors import engine, laid
from ...app.session import Session

_NONE: Mapping[int, Any] = {}
_GROWN = 1.25
"""Times the frames of the last look, before what is recorded live is looked at again."""


class HeldHere(QObject):
    """Looks at the registers of a map once, and again when the capture is another one or much longer.

    Events
    ------
    changed
        Registers were looked at.
    """

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._map: UUID | None = None
        self._kinds: frozenset[int] = frozenset()
        self._frames = 0
        self._found: Any = None
        session.opened.connect(self._forget)

    def _forget(self) -> None:
        self._map, self._found = None, None

    def registers(self, whole: engine.Layout) -> Mapping[int, Any]:
        """Return the registers that are held, by number; nothing until they were looked at."""
        return self._found.registers if self._found is not None and self._is_of(whole) else _NONE

    def look(self, whole: engine.Layout) -> None:
        """Look at the device of the message in hand, unless that was done."""
        session, is_known = self._session, self._is_of(whole)
        if is_known and len(session.capture) < self._frames * _GROWN:
            return
        meaning, kind = session.reading.meaning, session.in_hand.kind
        reader = meaning.kinds[kind].reader_with(whole.id) if meaning is not None and kind is not None else None
        if meaning is None or kind is None or reader is None:
            return
        if not is_known:
            self._found = None
        # a map may be of several devices: what is looked at is that of all exchanges with this one
        kinds = frozenset(other for other, _ in meaning.carriers_of(kind, reader))
        self._map, self._kinds, self._frames = whole.id, kinds, len(session.capture)

        def show(found: Any) -> None:
            if (self._map, self._kinds) == (whole.id, kinds):
                self._found = found
                self.changed.emit()

        session.jobs.start(
            "held registers", "looking at registers",
            lambda progress: laid.HeldRegisters.of(meaning, kind, reader, progress), show,
        )  # fmt: skip

    def offer(self, whole: engine.Layout, first: int, last: int, show: Callable[[list[Any]], None]) -> bool:
        """Have the ways to read registers as one number shown, the smoothest first; say whether there may be any."""
        held = self.registers(whole)
        if last == first or not all(number in held for number in range(first, last + 1)):
            return False
        found = self._found
        self._session.jobs.start(
            "held readings", "reading registers", lambda _progress: found.readings(first, last), show
        )
        return True

    def _is_of(self, whole: engine.Layout) -> bool:
        return self._map == whole.id and self._session.in_hand.kind in self._kinds
