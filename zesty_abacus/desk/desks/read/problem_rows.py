"""The reading list of problems: what is wrong, where, how often."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter

from ...app.doors import wrong
from ...app.session import Session
from ...widgets.paint import draw_sentence, draw_text
from ...widgets.reading_list import ReadingList
from ...widgets.theme import SMALL_PX, TINY_PX, look, text_font
from ...widgets.words import grouped

_COUNT = 64


class ProblemRows(ReadingList):
    """Problems in the order in which to read them. A click goes to the first place, Return to the next one.

    Events
    ------
    next_wanted
        Somebody wants its next place.
    """

    next_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__("Problems")
        self._session = session
        self.setToolTip("Click one to go to its first place; Return goes to the next")

    def is_in_hand(self, thing: wrong.Problem) -> bool:
        return thing is self._session.problems.in_hand

    def where(self, problem: wrong.Problem) -> str:
        """Return which message, or lane, a problem is of, and which field."""
        kinds = self._session.kinds
        if problem.kind_number is None:
            return problem.lane
        name = problem.message or kinds.name(problem.kind_number)
        said = name or f"{problem.lane} {kinds.address(problem.kind_number)}"
        return f"{said} · {problem.field}" if problem.field else said

    def draw_thing(self, painter: QPainter, thing: wrong.Problem, lines: tuple[QRectF, QRectF, QRectF]) -> None:
        theme, (first, second, last) = look.theme, lines
        draw_text(painter, first.adjusted(0, 0, -_COUNT, 0), thing.kind.words, text_font(bold=True), theme.ink)
        count = first.adjusted(first.width() - _COUNT, 0, 0, 0)
        right = Qt.AlignmentFlag.AlignRight
        draw_text(painter, count, f"{grouped(thing.count)} ×", text_font(TINY_PX), theme.quiet, right)
        draw_text(painter, second, self.where(thing), text_font(SMALL_PX), theme.ink, middle=True)
        draw_sentence(painter, last, thing.reason, text_font(TINY_PX), theme.quiet)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.next_wanted.emit()
        else:
            super().keyPressEvent(event)
