"""What the open capture holds in the registers of the device in hand, looked at on a thread and kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...app.doors import engine, laid
from ...app.session import Session

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
        self._asked: tuple[UUID, int] | None = None
        self._frames = 0
        self._found: Any = None
        session.opened.connect(self._forget)

    def _forget(self) -> None:
        self._asked, self._found = None, None

    def registers(self, whole: engine.Layout) -> Mapping[int, Any]:
        """Return the registers that are held, by number; nothing until they were looked at."""
        return self._found.registers if self._found is not None and self._is_of(whole) else {}

    def look(self, whole: engine.Layout) -> None:
        """Look at the device of the message in hand, unless that was done."""
        session, reader = self._session, self._reader(whole)
        meaning, kind = session.reading.meaning, session.kind
        if meaning is None or kind is None or reader is None:
            return
        if self._is_of(whole) and len(session.capture) < self._frames * _GROWN:
            return
        if not self._is_of(whole):
            self._found = None
        self._asked, self._frames = self._key(whole), len(session.capture)
        asked = self._asked

        def show(found: Any) -> None:
            if asked == self._asked:
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

    def _reader(self, whole: engine.Layout) -> engine.Reader | None:
        meaning, kind = self._session.reading.meaning, self._session.kind
        return meaning.kinds[kind].reader_with(whole.id) if meaning is not None and kind is not None else None

    def _is_of(self, whole: engine.Layout) -> bool:
        return self._asked is not None and self._asked == self._key(whole)

    def _key(self, whole: engine.Layout) -> tuple[UUID, int]:
        """Return which map it is, and one exchange that stands for the device: a map may be of several."""
        meaning, kind, reader = self._session.reading.meaning, self._session.kind, self._reader(whole)
        if meaning is None or kind is None or reader is None:
            return whole.id, -1
        return whole.id, meaning.carriers_of(kind, reader)[0][0]
