"""A list to be read one by one: a title, a place and a sentence each, one of them in hand."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent

from .row_list import RowList
from .theme import look
from .told import tell_whole

_ROW, _LINE, _SENTENCE = 76, 18, 32
_EDGE = 12


class ReadingList(RowList):
    """What lists of things to look at share. One that is made of it paints a thing and knows which is in hand.

    Attributes
    ----------
    things
        What is listed.

    Events
    ------
    chosen
        (thing) somebody wants to look at it: a click, or the keys that go through a list.
    """

    chosen = pyqtSignal(object)

    def __init__(self, name: str) -> None:
        super().__init__(name, _ROW, 0)
        self.things: list[Any] = []
        look.changed.connect(self.repaint_rows)

    def is_in_hand(self, thing: Any) -> bool:
        """Return whether it is the one that is looked at."""
        raise NotImplementedError

    def draw_thing(self, painter: QPainter, thing: Any, lines: tuple[QRectF, QRectF, QRectF]) -> None:
        """Paint a thing into a line, another one, and a third with room for a sentence of two."""
        raise NotImplementedError

    def list_things(self, things: list[Any]) -> None:
        """List these; what is seen stays as far as it can."""
        self.things = things
        self.set_first(min(self.first(), max(len(things) - 1, 0)))

    def count(self) -> int:
        return len(self.things)

    def current(self) -> int:
        """Return which row is in hand, -1 if none is."""
        return next((row for row, one in enumerate(self.things) if self.is_in_hand(one)), -1)

    def go(self, step: int) -> None:
        self.chosen.emit(self.things[min(max(self.current() + step, 0), self.count() - 1)])

    def show_current(self) -> None:
        """Scroll until the one in hand is seen."""
        row, first, slots = self.current(), self.first(), self.slots()
        if row >= 0 and not first <= row < first + slots:
            self.set_first(row if row < first else row - slots + 1)
        self.repaint_rows()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.area(), QColor(theme.panel))
        width, height = self.area().width(), self.row_height
        for row, top in self.rows_in_view():
            thing = self.things[row]
            if self.is_in_hand(thing):
                painter.fillRect(QRectF(0, top, width, height), QColor(theme.selected))
            line = QRectF(_EDGE, top + 4, width - 2 * _EDGE, _LINE)
            sentence = QRectF(_EDGE, top + 4 + 2 * _LINE, line.width(), _SENTENCE)
            tell_whole(painter, QRectF(0, top, width, height))
            self.draw_thing(painter, thing, (line, line.translated(0, _LINE), sentence))
            painter.setPen(QColor(theme.line))
            below = int(top + height) - 1
            painter.drawLine(_EDGE, below, int(width) - _EDGE, below)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        if row is not None:
            self.chosen.emit(self.things[row])

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self.set_first(self.first())
        # the one in hand takes room below the list when it is shown in full
        self.show_current()
