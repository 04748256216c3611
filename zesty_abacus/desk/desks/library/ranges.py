"""A field's values over all recordings: a box a run, one under the other, on one scale."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ...widgets.paint import draw_text
from ...widgets.theme import TINY_PX, figure_font, look, text_font
from ...widgets.words import figure_text

_ROW = 22
_TOP = 24
_NAME_SHARE = 0.3


class RangesView(QWidget):
    """Draws low to high as a line, the middle half as a bar, and the median as a tick.

    Attributes
    ----------
    rows
        Name of each run, and the range of the field in it.
    unit
    """

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, Any]] = []
        self.unit = ""
        self.setAccessibleName("Range of the field in each recording")
        look.changed.connect(self.update)

    def show_ranges(self, rows: list[tuple[str, Any]], unit: str) -> None:
        """Show other ranges."""
        self.rows, self.unit = rows, unit
        self.setMinimumHeight(_TOP + _ROW * len(rows) + 6)
        self.setAccessibleDescription("; ".join(_said(name, one, unit) for name, one in rows))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(500, _TOP + _ROW * len(self.rows) + 6)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.rows:
            painter.end()
            return
        low, high = min(one.low for _, one in self.rows), max(one.high for _, one in self.rows)
        span = (high - low) or 1.0
        left = self.width() * _NAME_SHARE
        width = self.width() - left - 70

        def x_of(value: float) -> float:
            return left + (value - low) / span * width

        unit = f" {self.unit}" if self.unit else ""
        for value, align in ((low, Qt.AlignmentFlag.AlignLeft), (high, Qt.AlignmentFlag.AlignRight)):
            box = QRectF(left, 2, width, 18)
            draw_text(painter, box, f"{figure_text(value)}{unit}", figure_font(TINY_PX), theme.quiet, align)
        for number, (name, one) in enumerate(self.rows):
            top = _TOP + number * _ROW
            middle = top + _ROW / 2
            draw_text(painter, QRectF(0, top, left - 10, _ROW), name, text_font(TINY_PX), theme.ink)
            painter.setPen(QPen(QColor(theme.quiet), 1.5))
            painter.drawLine(QPointF(x_of(one.low), middle), QPointF(x_of(one.high), middle))
            box = QRectF(x_of(one.first_quartile), middle - 5, 0, 10)
            box.setRight(max(x_of(one.third_quartile), box.left() + 2))
            painter.fillRect(box, theme.field(0))
            painter.setPen(QPen(QColor(theme.ink), 2))
            painter.drawLine(QPointF(x_of(one.median), middle - 7), QPointF(x_of(one.median), middle + 7))
            box = QRectF(left + width + 8, top, 62, _ROW)
            draw_text(painter, box, figure_text(one.median), figure_font(TINY_PX), theme.ink)
        painter.end()


def _said(name: str, one: Any, unit: str) -> str:
    low, high, median = map(figure_text, (one.low, one.high, one.median))
    return f"{name}: {low} to {high}, middle {median} {unit}".rstrip()
