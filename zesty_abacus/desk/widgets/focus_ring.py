"""A ring around what the keys go to: on everything that takes them, for whoever works by keys."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QApplication, QLineEdit, QPlainTextEdit, QWidget

from .theme import look

_WIDE = 2
_KEPT_OUT = (QLineEdit, QPlainTextEdit)
"""These have a caret, and a border of their own that tells it."""


class FocusRing(QWidget):
    """One ring a window, drawn over whatever has the keys.

    It comes with the first key and goes with the first click: a hand on the mouse knows where it is. One ring for all
    is one rule; painted views, lists and buttons would each forget theirs.
    """

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.hide()
        self._by_keys = False
        self._has_keys: QWidget | None = None
        self._around: QWidget | None = None
        self._moves_with: list[QWidget] = []
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._on_focus)
        look.changed.connect(self.update)

    @property
    def around(self) -> QWidget | None:
        """What the ring is drawn around now; None while it is not."""
        return self._around if self.isVisible() else None

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        # only of what has the keys: a filter for all events of a program would be asked by each of them
        kind = event.type() if event is not None else None
        if watched is self._has_keys and kind in (QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress):
            self._by_keys = kind == QEvent.Type.KeyPress
            self._place()
        elif kind in (QEvent.Type.Move, QEvent.Type.Resize, QEvent.Type.Hide):
            self._place()
        return False

    def _on_focus(self, before: QWidget | None, now: QWidget | None) -> None:
        for one in self._moves_with:
            # what is gone took its filters with it
            if not sip.isdeleted(one):
                one.removeEventFilter(self)
        self._has_keys = now if now is not None and now.window() is self.window() else None
        # what scrolls moves what it is around, and tells only its own parent
        self._moves_with = list(_up_to(self._has_keys, self.window()))
        for one in self._moves_with:
            one.installEventFilter(self)
        self._around = None if isinstance(self._has_keys, _KEPT_OUT) else self._has_keys
        # by hand if a button is down; else as it was: a part that is given the keys says nothing of who gave them
        self._by_keys = self._by_keys and QApplication.mouseButtons() == Qt.MouseButton.NoButton
        self._place()

    def _place(self) -> None:
        around, window = self._around, self.window()
        if around is None or window is None or not self._by_keys or not around.isVisible():
            self.hide()
            return
        box = QRect(around.mapTo(window, QPoint(0, 0)), around.size())
        self.setGeometry(box.adjusted(-_WIDE, -_WIDE, _WIDE, _WIDE).intersected(window.rect()))
        self.show()
        self.raise_()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(look.theme.zest), _WIDE))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
        painter.end()


def _up_to(widget: QWidget | None, window: QWidget | None) -> Iterator[QWidget]:
    """Yield a widget and what it lies in, the window left out."""
    while widget is not None and widget is not window:
        yield widget
        widget = widget.parentWidget()
