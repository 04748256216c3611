"""The desk rod: desks as beads in the order of the work."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from .theme import TINY_PX, look, text_font
from .told import tell_whole

_SPACING = 72
_MARGIN = 36


class DeskRod(QWidget):
    """Beads on a rod, one a desk.

    Events
    ------
    picked
        (name) the user wants another desk.
    """

    picked = pyqtSignal(str)

    def __init__(self, desks: list[str]) -> None:
        super().__init__()
        self._desks = desks
        self._current = desks[0]
        self._hovered = -1
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Desks")
        self.setFixedSize(self.sizeHint())
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(_SPACING * (len(self._desks) - 1) + 2 * _MARGIN, 44)

    def set_current(self, desk: str) -> None:
        """Mark the desk that is shown; a page that is no desk leaves all beads empty."""
        self._current = desk
        self.setAccessibleDescription(f"{desk} is open")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.rod), 2))
        painter.drawLine(QPointF(6, 14), QPointF(self.width() - 6, 14))
        for number, desk in enumerate(self._desks):
            center = QPointF(_MARGIN + number * _SPACING, 14)
            chosen = desk == self._current
            radius = 8.0 if chosen else 6.0 if number == self._hovered else 5.5
            painter.setPen(QPen(QColor(theme.zest if chosen else theme.rod), 1.6))
            painter.setBrush(QColor(theme.zest if chosen else theme.panel))
            painter.drawEllipse(center, radius, radius)
            painter.setFont(text_font(TINY_PX, bold=chosen))
            painter.setPen(QColor(theme.ink if chosen or number == self._hovered else theme.quiet))
            if chosen and self.hasFocus():
                painter.setPen(QColor(theme.zest_text))
            box = QRectF(center.x() - _SPACING / 2, 25, _SPACING, 16)
            tell_whole(painter, box, f"{desk}, open" if chosen else desk)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, desk)
        painter.end()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._hovered = self._desk_at(event.position().x())
            self.setCursor(Qt.CursorShape.PointingHandCursor)
            QToolTip.showText(
                event.globalPosition().toPoint(), f"{self._desks[self._hovered]} ({self._hovered + 1})", self
            )
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hovered = -1
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.picked.emit(self._desks[self._desk_at(event.position().x())])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        number = self._desks.index(self._current) + step if self._current in self._desks else 0
        if step and 0 <= number < len(self._desks):
            self.picked.emit(self._desks[number])
        else:
            super().keyPressEvent(event)

    def bead_center(self, desk: str) -> QPointF:
        """Return where a desk's bead is."""
        return QPointF(_MARGIN + self._desks.index(desk) * _SPACING, 14)

    def _desk_at(self, x: float) -> int:
        return min(max(round((x - _MARGIN) / _SPACING), 0), len(self._desks) - 1)
