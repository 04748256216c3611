"""What is put together for a view when somebody looks: at once where it is seen, else when it is shown."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget


class WhenShown(QObject):
    """Calls for a view what it shows, so that no edit waits for views that nobody sees.

    Connect its :meth:`refresh` to every event that makes the view out of date: a method of an object of Qt is let go
    with the object, where a callable object would be called for a view that is gone.
    """

    # of the class as well: Qt asks the filter once more while the object is taken apart and has nothing of its own
    _is_stale = False

    def __init__(self, view: QWidget, show: Callable[[], None]) -> None:
        super().__init__(view)
        self._view = view
        self._show = show
        view.installEventFilter(self)

    def refresh(self, *_what: object) -> None:
        """Refresh the view now, or as soon as it is shown."""
        self._is_stale = not self._view.isVisible()
        if not self._is_stale:
            self._show()

    def eventFilter(self, a0: QObject | None, a1: QEvent | None) -> bool:
        if self._is_stale and a0 is self._view and a1 is not None and a1.type() == QEvent.Type.Show:
            self._is_stale = False
            self._show()
        return False
