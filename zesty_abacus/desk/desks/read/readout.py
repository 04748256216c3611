"""The readout: every known value at the cursor, a click away from its trace."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDrag,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ...app.doors import asked
from ...app.session import Session
from ...around.ask_menu import ask_menu
from ...widgets.filter_line import FilterLine
from ...widgets.paint import draw_sentence, draw_text
from ...widgets.parts import EDGE, USES_SPACE, Panel, hairline, menu_of, one_shot
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from .array_curve import CURVE_HEIGHT, draw_array_curve
from .plots import is_angle
from .readout_rows import HEAD_HEIGHT, ROW_HEIGHT, ReadoutAtCursor, ReadoutRow, ValueKey
from .traces import field_mime

_REFRESH_MS = 30
_HINT_LINES, _HINT_HEIGHT = 4, 82
_NOTHING_SEEN = (0.0, -1.0)


class Readout(Panel):
    """Values at the cursor, the kind in hand first; the bead on a value's rod is its place in its range."""

    def __init__(self, session: Session) -> None:
        super().__init__("Readout")
        self.note.setText("at cursor")
        self._session = session
        self.filter = FilterLine("Filter the readout", "Filter values")
        self.values = ReadoutValues(session, self.filter)
        self.body.setContentsMargins(0, 6, 0, 0)
        holder = QVBoxLayout()
        holder.setContentsMargins(EDGE - 4, 0, EDGE - 4, 4)
        holder.addWidget(self.filter)
        self.body.addLayout(holder)
        self.body.addWidget(hairline())
        self.body.addWidget(self.values)
        self.body.addStretch(1)
        self.values.walked.connect(self._bring_into_view)
        self.filter.lead_to(self.values, self.values.hits, self.values.trace)

    def _bring_into_view(self, top: int, height: int) -> None:
        place = self.values.mapTo(self.inner, QPoint(0, top))
        for y in (place.y(), place.y() + height):
            self.area.ensureVisible(0, y, 0, height)


class ReadoutValues(QWidget):
    """The painted rows. Click a value to put it on the stack of traces or take it off; drag it there as well.

    Events
    ------
    array_wanted
        (kind, curve, whether round its angle) an array is to be seen as a picture.
    walked
        (top, height) the keys went to a value that may be out of sight.
    """

    array_wanted = pyqtSignal(int, object, bool)
    walked = pyqtSignal(int, int)

    def __init__(self, session: Session, filter_: QLineEdit) -> None:
        super().__init__()
        self._session, self._at_cursor = session, ReadoutAtCursor(session)
        self._filter = filter_
        self._focus: ValueKey | None = None
        self._pressed: QPointF | None = None
        self._held: ReadoutRow | None = None
        self.setMinimumHeight(_HINT_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Values at the cursor")
        self.setProperty(USES_SPACE, True)
        self.setToolTip("Click a value to see it over time; click again to take it off; right click to ask for it")
        self._soon = one_shot(self, _REFRESH_MS, self.refresh)
        self._filter.textChanged.connect(self._soon.start)
        for event in (session.opened, session.layouts_changed, session.in_hand.changed, session.traces.changed,
                      session.clock.cursor_changed):  # fmt: skip
            event.connect(self._soon.start)
        look.changed.connect(self.update)

    def rows(self) -> list[ReadoutRow]:
        """Return what is known at the cursor, seen or not, for tests and screen readers."""
        self._at_cursor.read(self._wanted())
        return [row for row, _ in self._at_cursor.placed()]

    def fields(self) -> list[ReadoutRow]:
        """Return the fields among the rows, for tests."""
        return [row for row in self.rows() if row.field_id is not None]

    def hits(self) -> list[ReadoutRow]:
        """Return whether there is a value, and whether there is another one: that many are read."""
        return self._at_cursor.first_values(self._wanted(), 2)

    def trace(self, row: ReadoutRow) -> None:
        """Take a field in hand, and have it on the stack of traces."""
        self._focus = row.key
        if self._focus not in self._session.traces.shown:
            self._toggle()
        self.update()

    def _wanted(self) -> list[str]:
        return self._filter.text().lower().split()

    def sizeHint(self) -> QSize:
        return QSize(240, self._at_cursor.height + 4 if self._at_cursor.height else _HINT_HEIGHT)

    def refresh(self) -> None:
        """List what there is, and have what is seen of it painted, which reads it."""
        if self._session.capture is None or not self.isVisible():
            return
        self._at_cursor.read(self._wanted(), _NOTHING_SEEN)
        if self.minimumHeight() != self.sizeHint().height():
            self.updateGeometry()
            self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def _hint(self) -> str:
        """Return why there is nothing to read, and what to do."""
        if self._session.capture is None:
            return ""
        if self._wanted():
            return "No value is called so."
        return (
            "No layout reads a frame of this recording yet. Unravel (3) finds fields, Layouts (4) begins a layout or "
            "brings layouts in."
        )

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._soon.start()

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = look.theme
        if not self._at_cursor.height:
            place = QRectF(EDGE, 6, self.width() - 2 * EDGE, _HINT_HEIGHT - 6)
            draw_sentence(painter, place, self._hint(), text_font(SMALL_PX), theme.quiet, lines=_HINT_LINES)
        clip = event.rect() if event is not None else self.rect()
        if self._session.capture is not None:
            # here and not when it is scrolled: what is painted is of now, also in a list of all that the picture says
            before = self._at_cursor.height
            self._at_cursor.read(self._wanted(), (clip.top(), clip.bottom()))
            if self._at_cursor.height != before:
                self._soon.start()
        for row, top in self._at_cursor.placed(clip.top(), clip.bottom()):
            if row.curve is not None:
                draw_array_curve(painter, row.curve, QRectF(EDGE, top + 2, self.width() - 2 * EDGE, CURVE_HEIGHT - 6))
            elif row.field_id is None:
                box = QRectF(EDGE, top + 3, self.width() - 2 * EDGE, HEAD_HEIGHT - 4)
                draw_text(painter, box, row.title, text_font(TINY_PX, bold=True), theme.quiet)
                draw_text(painter, box, row.beside, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
            else:
                self._draw_value(painter, row, top, row.key == self._focus and self.hasFocus())
        painter.end()

    def _draw_value(self, painter: QPainter, row: ReadoutRow, top: float, focused: bool) -> None:
        theme = look.theme
        traced = (row.kind, row.field_id) in self._session.traces.shown
        box = QRectF(EDGE, top + 1, self.width() - 2 * EDGE, 18)
        if focused:
            painter.fillRect(QRectF(0, top, self.width(), ROW_HEIGHT), QColor(theme.selected))
        color = (
            theme.field(self._session.traces.shown.index((row.kind, row.field_id)))
            if traced and row.field_id
            else theme.field(row.color)
        )
        if traced:
            painter.fillRect(QRectF(0, top + 2, 3, ROW_HEIGHT - 4), color)
        ink = theme.wrong if row.state == "outside limits" else theme.quiet if row.state else theme.ink
        value_font = figure_font(SMALL_PX, bold=not row.state)
        draw_text(painter, box, row.value, value_font, ink, Qt.AlignmentFlag.AlignRight)
        used = min(painter.fontMetrics().horizontalAdvance(row.value) + 8, box.width() * 0.7)
        draw_text(painter, box.adjusted(0, 0, -used, 0), row.title, text_font(SMALL_PX, bold=traced), theme.ink)
        y = top + 25
        painter.setPen(QPen(faded(theme.line, 1.0), 3, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        if row.share is not None:
            painter.drawLine(QPointF(EDGE, y), QPointF(self.width() - EDGE, y))
            x = EDGE + 4 + row.share * (self.width() - 2 * EDGE - 8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(color)
            painter.drawEllipse(QPointF(x, y), 4, 4)
        else:
            painter.setPen(QPen(QColor(theme.line), 1))
            painter.drawLine(QPointF(EDGE, y + 4), QPointF(self.width() - EDGE, y + 4))

    def row_center(self, number: int) -> QPoint:
        """Return the middle of a row, for tests."""
        return QPoint(self.width() // 2, int(list(self._at_cursor.placed())[number][1] + 10))

    # mouse and keys

    def _row_at(self, y: float) -> ReadoutRow | None:
        """Return what is listed at a height."""
        return next((row for row, top in self._at_cursor.placed(y, y) if top <= y < top + row.height), None)

    def _value_at(self, y: float) -> ReadoutRow | None:
        row = self._row_at(y)
        return row if row is not None and row.key is not None else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._pressed = event.position()
            self._held = self._value_at(event.position().y())
            self._focus = self._held.key if self._held is not None else None
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        key = self._held.key if self._held is not None else None
        if event is None or self._pressed is None or key is None:
            return
        if (event.position() - self._pressed).manhattanLength() > 12:
            self._pressed = None
            drag = QDrag(self)
            drag.setMimeData(field_mime(*key))
            drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        array = self._array_at(event.position().y()) if event is not None and self._pressed is not None else None
        if self._pressed is not None and self._focus is not None:
            self._toggle()
        elif array is not None and array.curve is not None:
            self.array_wanted.emit(array.kind, array.curve, is_angle(array.curve.axis_unit))
        self._pressed = None

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what may be asked of the value under the mouse."""
        row = self._value_at(event.pos().y()) if event is not None else None
        array = self._array_at(event.pos().y()) if event is not None else None
        if event is not None and array is not None:
            self._offer_pictures(array, event.globalPos())
        if event is None or row is None:
            return
        found = self._at_cursor.column_of(row)
        if found is not None:
            ask_menu(self, self._session, asked.of_value(*found), event.globalPos())

    def _array_at(self, y: float) -> ReadoutRow | None:
        """Return the array whose curve is at a height, None if none is."""
        row = self._row_at(y)
        return row if row is not None and row.curve is not None else None

    def _offer_pictures(self, row: ReadoutRow, at: QPoint) -> None:
        """Offer what an array can be seen as."""
        curve = row.curve
        assert curve is not None
        menu = menu_of(self)
        ways = [("Over time as a picture", False)]
        ways += [("Round its angle", True)] if is_angle(curve.axis_unit) else []
        for words, is_round in ways:
            action = menu.addAction(words)
            if action is not None:
                action.triggered.connect(
                    lambda _on=False, is_round=is_round: self.array_wanted.emit(row.kind, curve, is_round)
                )
        menu.popup(at)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        if step:
            found = self._at_cursor.beside(self._focus, step)
            if found is not None:
                row, top = found
                self._focus = row.key
                self.walked.emit(int(top), ROW_HEIGHT)
                self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self._focus is not None:
            self._toggle()
        else:
            super().keyPressEvent(event)

    def _toggle(self) -> None:
        if self._focus is not None:
            self._session.traces.toggle(*self._focus)
