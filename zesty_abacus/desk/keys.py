"""The keys of the window: each is one action, which does what the key means on the desk that is shown."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QWidget

from .app.commands import Command
from .widgets.parts import USES_SPACE


class Keys(QObject):
    """Gives a window the shortcuts of its commands.

    Parameters
    ----------
    desk
        Gives the name of the desk that is shown.
    """

    def __init__(self, window: QWidget, commands: Sequence[Command], desk: Callable[[], str]) -> None:
        super().__init__(window)
        self._desk = desk
        self._by_space: list[QAction] = []
        # a key is one action even if it means another thing on each desk; two actions would both be silent
        by_key: dict[str, list[Command]] = {}
        for command in commands:
            if command.shortcut:
                by_key.setdefault(command.shortcut, []).append(command)
        for key, meanings in by_key.items():
            action = QAction(meanings[0].title, window)
            action.setShortcut(QKeySequence(key))
            action.triggered.connect(lambda _on=False, meanings=meanings: self._run_first(meanings))
            window.addAction(action)
            if QKeySequence(key)[0].key() == Qt.Key.Key_Space:
                self._by_space.append(action)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._leave_space)

    def _leave_space(self, _before: QWidget | None, now: QWidget | None) -> None:
        """Leave the space bar to what is pressed or chosen by it; an action would take it away."""
        uses_it = isinstance(now, QAbstractButton | QComboBox) or (now is not None and now.property(USES_SPACE) is True)
        for action in self._by_space:
            action.setEnabled(not uses_it)

    def _run_first(self, meanings: list[Command]) -> None:
        """Run what a key means on this desk."""
        for command in meanings:
            if command.desk in ("", self._desk()) and command.enabled():
                command.run()
                return
