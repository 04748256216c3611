"""The reading list of findings: what, where, why, how sure."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent

from ...app.doors import found
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.row_list import RowList
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font

_ROW = 62
_EDGE = 12
_SURE = 58
"""Room for how sure a finding is."""
Pair = tuple[int, "found.Finding"]


class FindingRows(RowList):
    """Findings with the kinds they are of. A click takes one in hand, Return keeps it; pointing lights its bits.

    Events
    ------
    chosen
        (kind, finding) somebody looks at it.
    keep_wanted
        Somebody wants to keep the one in hand.
    pointed
        (kind and finding, or None) the pointer is on it.
    """

    chosen = pyqtSignal(int, object)
    keep_wanted = pyqtSignal()
    pointed = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__("Findings", _ROW, 0)
        self._session = session
        self.pairs: list[Pair] = []
        self.names_kinds = False
        self.setMouseTracking(True)
        viewport = self.viewport()
        if viewport is not None:
            viewport.setMouseTracking(True)
        look.changed.connect(self.repaint_rows)

    def show_pairs(self, pairs: list[Pair], *, names_kinds: bool) -> None:
        """List these; ``names_kinds`` says of which message each is."""
        self.pairs, self.names_kinds = pairs, names_kinds
        self.set_first(min(self.first(), max(len(pairs) - 1, 0)))

    def count(self) -> int:
        return len(self.pairs)

    def current(self) -> int:
        """Return which row is in hand, -1 if none is."""
        in_hand = self._session.findings.in_hand
        return next((row for row, one in enumerate(self.pairs) if one == in_hand), -1)

    def go(self, step: int) -> None:
        self.chosen.emit(*self.pairs[min(max(self.current() + step, 0), self.count() - 1)])

    def show_current(self) -> None:
        """Scroll until the one in hand is seen."""
        row, first, slots = self.current(), self.first(), self.slots()
        if row >= 0 and not first <= row < first + slots:
            self.set_first(row if row < first else row - slots + 1)
        self.repaint_rows()

    def where(self, kind: int, finding: found.Finding) -> str:
        """Return of which bits a finding is, and on which page."""
        session = self._session
        parts = []
        if self.names_kinds:
            parts.append(session.kinds.name(kind) or session.kinds.address(kind))
        parts.append(finding.places or "the whole message")
        parts += [f"where {when.places} is {when.values}" for when in finding.when]
        return " · ".join(parts[: 2 if self.names_kinds else 1]) + "".join(
            f", {part}" for part in parts[2 if self.names_kinds else 1 :]
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.area(), QColor(theme.panel))
        current, width = self.current(), self.area().width()
        for row, top in self.rows_in_view():
            if row == current:
                painter.fillRect(QRectF(0, top, width, _ROW), QColor(theme.selected))
            self._draw_row(painter, self.pairs[row], QRectF(_EDGE, top + 4, width - 2 * _EDGE, _ROW - 8))
            painter.setPen(QColor(theme.line))
            painter.drawLine(_EDGE, int(top) + _ROW - 1, int(width) - _EDGE, int(top) + _ROW - 1)
        painter.end()

    def _draw_row(self, painter: QPainter, pair: Pair, box: QRectF) -> None:
        theme, third = look.theme, box.height() / 3
        kind, finding = pair
        first = QRectF(box.left(), box.top(), box.width() - _SURE - 6, third)
        draw_text(painter, first, found.title(finding), text_font(bold=True), theme.ink)
        self._draw_sure(painter, finding, QRectF(box.right() - _SURE, box.top(), _SURE, third))
        second = QRectF(box.left(), box.top() + third, box.width(), third)
        draw_text(painter, second, self.where(kind, finding), figure_font(SMALL_PX), theme.ink, middle=True)
        draw_text(painter, second.translated(0, third), finding.reason, text_font(TINY_PX), theme.quiet)

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

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        if row is not None:
            self.chosen.emit(*self.pairs[row])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        self.pointed.emit(self.pairs[row] if row is not None else None)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.pointed.emit(None)
        super().leaveEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.keep_wanted.emit()
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self.set_first(self.first())
        # the one in hand takes room below the list when it is shown in full
        self.show_current()
