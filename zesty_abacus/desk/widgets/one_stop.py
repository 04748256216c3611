"""A list of cards is one stop on the way through a window: Tab goes past it, arrows go through it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QWidget

_STEPS = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


class OneStop(QObject):
    """Has one of many widgets take part in going round by Tab: the one that had the keys last.

    Up and Down give the keys to the one before and behind it, Home and End to the first and the last.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._widgets: list[QWidget] = []
        self._stop: QWidget | None = None

    @property
    def place(self) -> int | None:
        """Which of them has the keys, None if none has; to be asked before they are made anew."""
        return next((place for place, one in enumerate(self._widgets) if one.hasFocus()), None)

    def hold(self, widgets: Sequence[QWidget], at: QWidget | None = None, had_keys: int | None = None) -> None:
        """Take these for the list.

        Parameters
        ----------
        at
            The one to stop at; None is the one that was stopped at, or the first.
        had_keys
            The place of one that had the keys and was made anew: they go to ``at``, or to what stands in its place.
        """
        for one in widgets:
            if one not in self._widgets:
                one.installEventFilter(self)
        self._widgets = list(widgets)
        wanted = at if at is not None else self._stop
        self._stop_at(wanted if wanted in self._widgets else next(iter(self._widgets), None))
        if had_keys is not None and self._widgets:
            (at or self._widgets[min(had_keys, len(self._widgets) - 1)]).setFocus()

    def _stop_at(self, stop: QWidget | None) -> None:
        self._stop = stop
        for one in self._widgets:
            one.setFocusPolicy(Qt.FocusPolicy.StrongFocus if one is stop else Qt.FocusPolicy.ClickFocus)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None or watched not in self._widgets:
            return False
        if event.type() == QEvent.Type.FocusIn:
            self._stop_at(watched)  # type: ignore[arg-type]
        # what an entry inside a card does not take comes by here as well
        elif event.type() == QEvent.Type.KeyPress and watched is self._stop and self._stop.hasFocus():
            return isinstance(event, QKeyEvent) and self._went(event)
        return False

    def _went(self, event: QKeyEvent) -> bool:
        place, last = self._widgets.index(self._stop), len(self._widgets) - 1  # type: ignore[arg-type]
        key = Qt.Key(event.key())
        to = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: last}.get(key, place + _STEPS.get(key, 0))
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier or to == place:
            return False
        self._widgets[min(max(to, 0), last)].setFocus(Qt.FocusReason.OtherFocusReason)
        return True
