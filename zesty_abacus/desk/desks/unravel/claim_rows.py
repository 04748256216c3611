"""The list of claims: what is held to be true, of which bits, how sure, by whom."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent

from ...app.doors import laid
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.row_list import RowList
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font

_ROW = 60
_EDGE = 12
_STANDING = 62


class ClaimRows(RowList):
    """Claims, newest first. A click takes one in hand.

    Events
    ------
    chosen
        (head) somebody looks at it.
    """

    chosen = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__("Claims", _ROW, 0)
        self._session = session
        self.heads: list[Any] = []
        look.changed.connect(self.repaint_rows)

    def show_heads(self, heads: list[Any]) -> None:
        """List these."""
        self.heads = heads
        self.set_first(min(self.first(), max(len(heads) - 1, 0)))

    def count(self) -> int:
        return len(self.heads)

    def current(self) -> int:
        """Return which row is in hand, -1 if none is."""
        in_hand = self._session.claims.in_hand
        return next((row for row, head in enumerate(self.heads) if head is in_hand), -1)

    def go(self, step: int) -> None:
        self.chosen.emit(self.heads[min(max(self.current() + step, 0), self.count() - 1)])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self.viewport())
        painter.fillRect(self.area(), QColor(theme.panel))
        current, width = self.current(), self.area().width()
        for row, top in self.rows_in_view():
            if row == current:
                painter.fillRect(QRectF(0, top, width, _ROW), QColor(theme.selected))
            self._draw_row(painter, self.heads[row], QRectF(_EDGE, top + 4, width - 2 * _EDGE, _ROW - 8))
            painter.setPen(QColor(theme.line))
            painter.drawLine(_EDGE, int(top) + _ROW - 1, int(width) - _EDGE, int(top) + _ROW - 1)
        painter.end()

    def _draw_row(self, painter: QPainter, head: Any, box: QRectF) -> None:
        theme, third, claim = look.theme, box.height() / 3, head.state
        first = QRectF(box.left(), box.top(), box.width() - _STANDING - 6, third)
        refuted = claim.standing is laid.ClaimStanding.REFUTED
        draw_text(painter, first, claim.name, text_font(bold=True), theme.quiet if refuted else theme.ink)
        right = Qt.AlignmentFlag.AlignRight
        where = QRectF(box.right() - _STANDING, box.top(), _STANDING, third)
        color = {laid.ClaimStanding.PROVEN: theme.good, laid.ClaimStanding.REFUTED: theme.wrong}
        draw_text(painter, where, claim.standing.value, text_font(TINY_PX), color.get(claim.standing, theme.ink), right)
        second = QRectF(box.left(), box.top() + third, box.width(), third)
        draw_text(painter, second, about_words(claim), figure_font(SMALL_PX), theme.ink, middle=True)
        seen = f"{len(claim.evidence)} seen" if claim.evidence else "nothing seen yet"
        draw_text(painter, second.translated(0, third), f"{head.revision.author} · {seen}", text_font(TINY_PX),
                  theme.quiet)  # fmt: skip

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        if row is not None:
            self.chosen.emit(self.heads[row])


def about_words(claim: Any) -> str:
    """Return which bits of which message a claim is about."""
    address = f" 0x{claim.address:X}" if claim.address is not None else ", any message"
    return f"{claim.lane}{address}" + (f" · {claim.places}" if claim.places else "")
