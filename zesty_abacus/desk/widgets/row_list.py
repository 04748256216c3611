"""A long list whose rows are painted, not made: a head, rows of one height, a foot; gone through by wheel and keys."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QAbstractScrollArea

from .paint import draw_text
from .theme import SMALL_PX, TINY_PX, look, text_font
from .told import tell

_ANGLE_A_ROW = 40
"""Eighths of a degree that a wheel turns for a row: three rows a notch."""
_LEAST_PART = 0.95
"""A row may be so much lower than usual, if one more is whole then."""


class RowList(QAbstractScrollArea):
    """What such lists share; one that is made of it says how many rows there are and paints them.

    Parameters
    ----------
    name
        What the list is called by those who do not see it.
    row, head, foot
        Heights, in pixels. Rows are a little higher or lower where the last one would be cut otherwise.
    """

    def __init__(self, name: str, row: int, head: int, foot: int = 0) -> None:
        super().__init__()
        self._usual_height, self.head_height, self._foot_height = row, head, foot
        self._turned = 0
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def count(self) -> int:
        """Return how many rows there are."""
        raise NotImplementedError

    def go(self, step: int) -> None:
        """Go so many rows on."""
        raise NotImplementedError

    def area(self) -> QRectF:
        """Return where everything is painted."""
        viewport = self.viewport()
        return QRectF(viewport.rect()) if viewport is not None else QRectF()

    def slots(self) -> int:
        """Return how many whole rows have room."""
        return max(int(self._room() // (self._usual_height * _LEAST_PART)), 1)

    @property
    def row_height(self) -> float:
        """Pixels of a row: the whole ones share what would be left below the last, or give it up to one more."""
        return max(self._room() / self.slots(), self._usual_height * _LEAST_PART)

    def _room(self) -> float:
        return self.area().height() - self.head_height - self._foot_height

    def first(self) -> int:
        """Return the row at the top."""
        bar = self.verticalScrollBar()
        return bar.value() if bar is not None else 0

    def set_first(self, row: int) -> None:
        """Put a row at the top, as far as there are enough below it."""
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.setPageStep(self.slots())
            bar.setRange(0, max(self.count() - self.slots(), 0))
            bar.setValue(row)
        self.repaint_rows()

    def row_at(self, event: QMouseEvent) -> int | None:
        """Return the row that a mouse is on, None for none."""
        return self.row_under(event.position().y())

    def row_under(self, y: float) -> int | None:
        """Return the row at a height of the list, None for none."""
        below = y - self.head_height
        row = self.first() + int(below // self.row_height)
        return row if below >= 0 and row < self.count() else None

    def repaint_rows(self) -> None:
        """Paint anew, soon."""
        viewport = self.viewport()
        if viewport is not None:
            viewport.update()

    def rows_in_view(self) -> list[tuple[int, float]]:
        """Return the rows to be painted, each with its upper edge, on whole pixels."""
        first, height = self.first(), self.row_height
        rows = range(first, min(first + self.slots(), self.count()))
        return [(row, float(round(self.head_height + (row - first) * height))) for row in rows]

    def draw_head(self, painter: QPainter, columns: dict[str, QRectF], titles: dict[str, str], right: set[str]) -> None:
        """Draw the names of columns; ``titles`` are those that are called otherwise, ``right`` those at the right."""
        theme, width = look.theme, self.area().width()
        painter.fillRect(QRectF(0, 0, width, self.head_height), QColor(theme.paper))
        for name, box in columns.items():
            align = Qt.AlignmentFlag.AlignRight if name in right else Qt.AlignmentFlag.AlignLeft
            head = QRectF(box.left(), 0, box.width(), self.head_height)
            draw_text(painter, head, titles.get(name, name), text_font(TINY_PX), theme.quiet, align)
        painter.setPen(QColor(theme.line))
        painter.drawLine(0, self.head_height - 1, int(width), self.head_height - 1)

    def draw_foot(self, painter: QPainter, words: str, color: QColor | str) -> None:
        """Say what is in hand in full below the list; columns are often too narrow for it."""
        theme, area = look.theme, self.area()
        box = QRectF(0, area.bottom() - self._foot_height + 1, area.width(), self._foot_height)
        painter.fillRect(box, QColor(theme.panel))
        painter.setPen(QColor(theme.line))
        painter.drawLine(box.topLeft(), box.topRight())
        painter.setFont(text_font(SMALL_PX))
        painter.setPen(QColor(color))
        wrap = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignVCenter
        tell(painter, box, words)
        painter.drawText(box.adjusted(14, 2, -14, -2), wrap, words)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            # a touchpad turns by less than a row at a time: what is left over counts with the next turn
            self._turned += event.angleDelta().y()
            rows = int(self._turned / _ANGLE_A_ROW)
            self._turned -= rows * _ANGLE_A_ROW
            self.set_first(self.first() - rows)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps = {
            Qt.Key.Key_Up: -1,
            Qt.Key.Key_Down: 1,
            Qt.Key.Key_PageUp: -self.slots(),
            Qt.Key.Key_PageDown: self.slots(),
            Qt.Key.Key_Home: -self.count(),
            Qt.Key.Key_End: self.count(),
        }
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        elif self.count():
            self.go(step)
