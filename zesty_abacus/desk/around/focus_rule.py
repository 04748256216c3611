"""One rule for where keys go when nobody chose: to the work of the desk, never into an entry."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6 import sip
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QLineEdit, QPlainTextEdit, QWidget

_ENTRIES = (QLineEdit, QPlainTextEdit, QComboBox, QAbstractSpinBox)


class FocusRule(QObject):
    """Gives the keys to the work where something that had them is gone, or an entry is left.

    Qt hands them to whatever comes next in the window when what had them is hidden; often that is an entry, and the
    next letter would be typed over what stands there.

    Parameters
    ----------
    window
    home
        Gives what the keys go to on the desk that is shown.
    """

    def __init__(self, window: QWidget, home: Callable[[], QWidget]) -> None:
        super().__init__(window)
        self._window = window
        self._home = home
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._on_changed)

    def leave(self) -> bool:
        """Leave an entry for the work of the desk; say whether one had the keys."""
        if not isinstance(QApplication.focusWidget(), _ENTRIES):
            return False
        self._home().setFocus()
        return True

    def _on_changed(self, before: QWidget | None, now: QWidget | None) -> None:
        if sip.isdeleted(self._window):
            # its parts lose the keys one by one while it is taken down
            return
        if (
            before is None
            or before.isVisible()
            or not self._window.isVisible()
            or not self._window.isAncestorOf(before)
        ):
            return
        if isinstance(now, _ENTRIES) and self._window.isAncestorOf(now):
            self._home().setFocus()
