"""The reading list of findings: what, where, why, how sure."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter

from ...app.doors import found
from ...app.questions import Pair
from ...app.session import Session
from ...widgets.paint import draw_sentence, draw_text
from ...widgets.reading_list import ReadingList
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font

_SURE = 58
"""Room for how sure a finding is."""


class FindingRows(ReadingList):
    """Findings with the kinds they are of. A click takes one in hand, Return keeps it; pointing lights its bits.

    Attributes
    ----------
    names_kinds
        Whether it is said of which message each is.

    Events
    ------
    keep_wanted
        Somebody wants to keep the one in hand.
    pointed
        (kind and finding, or None) the pointer is on it.
    """

    keep_wanted = pyqtSignal()
    pointed = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__("Findings")
        self._session = session
        self.names_kinds = False
        self.setMouseTracking(True)
        viewport = self.viewport()
        if viewport is not None:
            viewport.setMouseTracking(True)

    def is_in_hand(self, thing: Pair) -> bool:
        return thing == self._session.findings.in_hand

    def where(self, kind: int, finding: found.Finding) -> str:
        """Return of which bits a finding is, and on which page."""
        kinds = self._session.kinds
        message = f"{kinds.name(kind) or kinds.address(kind)} · " if self.names_kinds else ""
        pages = "".join(f", {when.words}" for when in finding.when)
        return f"{message}{finding.places or 'the whole message'}{pages}"

    def draw_thing(self, painter: QPainter, thing: Pair, lines: tuple[QRectF, QRectF, QRectF]) -> None:
        theme, (first, second, last), (kind, finding) = look.theme, lines, thing
        title = first.adjusted(0, 0, -_SURE - 6, 0)
        draw_text(painter, title, found.title(finding), text_font(bold=True), theme.ink)
        self._draw_sure(painter, finding, first.adjusted(first.width() - _SURE, 0, 0, 0))
        draw_text(painter, second, self.where(kind, finding), figure_font(SMALL_PX), theme.ink, middle=True)
        draw_sentence(painter, last, finding.reason, text_font(TINY_PX), theme.quiet)

    def _draw_sure(self, painter: QPainter, finding: found.Finding, box: QRectF) -> None:
        theme = look.theme
        word = found.confidence_word(finding.confidence)
        right = Qt.AlignmentFlag.AlignRight
        draw_text(painter, box.adjusted(0, -2, 0, -5), word, text_font(TINY_PX), theme.quiet, right)
        bar = QRectF(box.left(), box.bottom() - 3, box.width(), 3)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.line))
        painter.drawRoundedRect(bar, 1.5, 1.5)
        bar.setWidth(max(bar.width() * finding.confidence, 3))
        painter.setBrush(QColor(theme.good if finding.confidence >= found.LIKELY else theme.unexplained))
        painter.drawRoundedRect(bar, 1.5, 1.5)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        self.pointed.emit(self.things[row] if row is not None else None)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.pointed.emit(None)
        super().leaveEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.keep_wanted.emit()
        else:
            super().keyPressEvent(event)
