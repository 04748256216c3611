"""The reading list of problems: what is wrong, where, how often."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent

from ...app.doors import wrong
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.row_list import RowList
from ...widgets.theme import SMALL_PX, TINY_PX, look, text_font
from ...widgets.words import grouped

_ROW = 62
_EDGE = 12
_COUNT = 64


class ProblemRows(RowList):
    """Problems in the order in which to read them. A click goes to the first place, Return to the next one.

    Events
    ------
    chosen
        (problem) somebody wants to see it.
    next_wanted
        Somebody wants its next place.
    """

    chosen = pyqtSignal(object)
    next_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__("Problems", _ROW, 0)
        self._session = session
        self.problems: list[wrong.Problem] = []
        look.changed.connect(self.repaint_rows)
        self.setToolTip("Click one to go to its first place; Return goes to the next")

    def show_problems(self, problems: list[wrong.Problem]) -> None:
        """List these."""
        self.problems = problems
        self.set_first(min(self.first(), max(len(problems) - 1, 0)))

    def count(self) -> int:
        return len(self.problems)

    def current(self) -> int:
        """Return which row is in hand, -1 if none is."""
        in_hand = self._session.problems.in_hand
        return next((row for row, one in enumerate(self.problems) if one is in_hand), -1)

    def go(self, step: int) -> None:
        self.chosen.emit(self.problems[min(max(self.current() + step, 0), self.count() - 1)])

    def show_current(self) -> None:
        """Scroll until the one in hand is seen."""
        row, first, slots = self.current(), self.first(), self.slots()
        if row >= 0 and not first <= row < first + slots:
            self.set_first(row if row < first else row - slots + 1)
        self.repaint_rows()

    def where(self, problem: wrong.Problem) -> str:
        """Return which message, or lane, a problem is of, and which field."""
        kinds = self._session.kinds
        if problem.kind_number is None:
            return problem.lane
        name = problem.message or kinds.name(problem.kind_number)
        said = name or f"{problem.lane} {kinds.address(problem.kind_number)}"
        return f"{said} · {problem.field}" if problem.field else said

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.area(), QColor(theme.panel))
        current, width = self.current(), self.area().width()
        for row, top in self.rows_in_view():
            if row == current:
                painter.fillRect(QRectF(0, top, width, _ROW), QColor(theme.selected))
            self._draw_row(painter, self.problems[row], QRectF(_EDGE, top + 4, width - 2 * _EDGE, _ROW - 8))
            painter.setPen(QColor(theme.line))
            painter.drawLine(_EDGE, int(top) + _ROW - 1, int(width) - _EDGE, int(top) + _ROW - 1)
        painter.end()

    def _draw_row(self, painter: QPainter, problem: wrong.Problem, box: QRectF) -> None:
        theme, third = look.theme, box.height() / 3
        first = QRectF(box.left(), box.top(), box.width() - _COUNT, third)
        count = QRectF(box.right() - _COUNT, box.top(), _COUNT, third)
        draw_text(painter, first, problem.kind.words, text_font(bold=True), theme.ink)
        right = Qt.AlignmentFlag.AlignRight
        draw_text(painter, count, f"{grouped(problem.count)} ×", text_font(TINY_PX), theme.quiet, right)
        second, last = first.translated(0, third), QRectF(box.left(), box.top() + 2 * third, box.width(), third)
        second.setWidth(box.width())
        draw_text(painter, second, self.where(problem), text_font(SMALL_PX), theme.ink, middle=True)
        draw_text(painter, last, problem.reason, text_font(TINY_PX), theme.quiet)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        if row is not None:
            self.chosen.emit(self.problems[row])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.next_wanted.emit()
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self.set_first(self.first())
        # the one in hand takes room below the list when it is shown in full
        self.show_current()
