"""The one way back: everything that a person did in a trial, in the order in which it was done."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

_KEPT_STEPS = 200


@dataclass(frozen=True, slots=True)
class Undoable:
    """Something that was done and can be taken back.

    Attributes
    ----------
    words
        What was done.
    about
        What it is about; when that is gone, so is the way back.
    back, again
        Take it back, and do it once more; whether it could be done. What others did since stays.
    """

    words: str
    about: Hashable
    back: Callable[[], bool]
    again: Callable[[], bool]


class Undo(QObject):
    """What was done, newest last, and what was taken back.

    Events
    ------
    changed
        There is more, or less, to take back.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._done: list[Undoable] = []
        self._undone: list[Undoable] = []

    def did(self, what: Undoable) -> None:
        """Note what was done; what was taken back before cannot be done again any more."""
        self._done.append(what)
        del self._done[:-_KEPT_STEPS]
        self._undone.clear()
        self.changed.emit()

    def can_undo(self) -> bool:
        """Return whether there is something to take back."""
        return bool(self._done)

    def can_redo(self) -> bool:
        """Return whether something was taken back."""
        return bool(self._undone)

    def undo(self) -> str:
        """Take the last thing back; return what it was, or nothing."""
        return self._move(self._done, self._undone, back=True)

    def redo(self) -> str:
        """Do the last thing that was taken back once more; return what it is, or nothing."""
        return self._move(self._undone, self._done, back=False)

    def _move(self, source: list[Undoable], target: list[Undoable], *, back: bool) -> str:
        if not source:
            return ""
        what = source.pop()
        target.append(what)
        if not (what.back() if back else what.again()):
            target.remove(what)
            source.append(what)
            return ""
        self.changed.emit()
        return what.words

    def forget(self, gone: Callable[[Hashable], bool]) -> None:
        """Forget all that is about something which is gone."""
        self._done = [what for what in self._done if not gone(what.about)]
        self._undone = [what for what in self._undone if not gone(what.about)]
        self.changed.emit()

    def clear(self) -> None:
        """Forget everything: another trial is open."""
        self.forget(lambda _about: True)
