"""The first rows of a table as they will be written."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from ...widgets.paint import draw_sentence, draw_text
from ...widgets.theme import TINY_PX, figure_font, look, text_font

_WIDEST = 260.0
_HEAD, _ROW, _GAP = 48, 19, 14


class PreviewTable(QWidget):
    """The first rows as they will be written."""

    def __init__(self) -> None:
        super().__init__()
        self.names: list[str] = []
        self.rows: list[list[Any]] = []
        self._instead = ""
        self._widths: list[float] = []
        self.setAccessibleName("Preview")
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, 300)

    def show_rows(self, names: list[str], rows: list[list[Any]], instead: str = "") -> None:
        """Show another preview, or a sentence instead of one."""
        self.names, self.rows, self._instead = names, rows, instead
        self._widths = self._measured()
        self.setMinimumSize(int(sum(self._widths) + _GAP * len(names) + 24), _HEAD + 4 + _ROW * len(rows))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.panel))
        draw_text(painter, QRectF(18, 6, 300, 18), "First rows", text_font(bold=True), theme.ink)
        if self._instead:
            draw_sentence(painter, QRectF(18, 28, self.width() - 36, 44), self._instead, text_font(), theme.wrong)
        # a table of decoded values is many times as wide as the window that it is looked at in
        seen = event.rect() if event is not None else self.rect()
        rows = range(max((seen.top() - _HEAD) // _ROW, 0), min((seen.bottom() - _HEAD) // _ROW + 1, len(self.rows)))
        x = 18.0
        for column, (name, width) in enumerate(zip(self.names, self._widths, strict=True)):
            left, x = x, x + width + _GAP
            if left > seen.right() or x < seen.left():
                continue
            is_number = any(isinstance(row[column], (int, float, Decimal)) for row in self.rows[:5])
            align = Qt.AlignmentFlag.AlignRight if is_number else Qt.AlignmentFlag.AlignLeft
            draw_text(painter, QRectF(left, 28, width, 18), name, text_font(TINY_PX), theme.quiet, align)
            for number in rows:
                cell = QRectF(left, _HEAD + number * _ROW, width, 18)
                text = _cell_text(self.rows[number][column])
                draw_text(painter, cell, text, figure_font(TINY_PX), theme.ink, align)
        painter.end()

    def _measured(self) -> list[float]:
        figures, head = QFontMetricsF(figure_font(TINY_PX)), QFontMetricsF(text_font(TINY_PX))
        widths = []
        for column, name in enumerate(self.names):
            cells = [figures.horizontalAdvance(_cell_text(row[column])) for row in self.rows[:20]]
            # a pixel more than measured, since what does not quite fit is cut by a letter
            widths.append(min(max([*cells, head.horizontalAdvance(name), 34.0]) + 2, _WIDEST))
        return widths


def _cell_text(value: Any) -> str:
    if value is None:
        return ""
    return f"{value:.6g}" if isinstance(value, float) else str(value)
