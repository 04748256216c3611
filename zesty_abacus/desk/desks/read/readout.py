"""The readout: every known value at the cursor, a click away from its trace."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QDrag, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ...app.doors import asked, engine
from ...app.session import Session
from ...around.ask_menu import ask_menu
from ...widgets.paint import draw_text
from ...widgets.parts import EDGE, USES_SPACE, Panel, hairline, menu_of, one_shot
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from .array_curve import CURVE_HEIGHT, ArrayCurve, array_curves, draw_array_curve
from .plots import is_angle
from .traces import field_mime

_HEAD = 24
_ROW = 34
_REFRESH_MS = 30


@dataclass(frozen=True, slots=True)
class ReadoutRow:
    """A heading (no field and no curve), a value, or the curve of an array."""

    kind: int
    title: str
    beside: str = ""
    field_id: UUID | None = None
    value: str = ""
    share: float | None = None
    state: str = ""
    color: int = 0
    curve: ArrayCurve | None = None

    @property
    def height(self) -> int:
        """Pixels it takes."""
        if self.curve is not None:
            return CURVE_HEIGHT
        return _HEAD if self.field_id is None else _ROW


class Readout(Panel):
    """Values at the cursor, the kind in hand first; the bead on a value's rod is its place in its range."""

    def __init__(self, session: Session) -> None:
        super().__init__("Readout")
        self.note.setText("at cursor")
        self._session = session
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter values")
        self.filter.setClearButtonEnabled(True)
        self.filter.setAccessibleName("Filter the readout")
        self.values = ReadoutValues(session, self.filter)
        self.body.setContentsMargins(0, 6, 0, 0)
        holder = QVBoxLayout()
        holder.setContentsMargins(EDGE - 4, 0, EDGE - 4, 4)
        holder.addWidget(self.filter)
        self.body.addLayout(holder)
        self.body.addWidget(hairline())
        self.body.addWidget(self.values)
        self.body.addStretch(1)


class ReadoutValues(QWidget):
    """The painted rows. Click a value to put it on the stack of traces or take it off; drag it there as well.

    Events
    ------
    array_wanted
        (kind, curve, whether round its angle) an array is to be seen as a picture.
    """

    array_wanted = pyqtSignal(int, object, bool)

    def __init__(self, session: Session, filter_: QLineEdit) -> None:
        super().__init__()
        self._session = session
        self._filter = filter_
        self._rows: list[ReadoutRow] = []
        self._focus = -1
        self._pressed: QPointF | None = None
        self._ranges: dict[tuple[int, UUID], tuple[float, float]] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Values at the cursor")
        self.setProperty(USES_SPACE, True)
        self.setToolTip("Click a value to see it over time; click again to take it off; right click to ask for it")
        self._soon = one_shot(self, _REFRESH_MS, self.refresh)
        self._filter.textChanged.connect(self._soon.start)
        for event in (session.opened, session.layouts_changed, session.kind_changed, session.traces.changed,
                      session.clock.cursor_changed):  # fmt: skip
            event.connect(self._soon.start)
        look.changed.connect(self.update)

    def rows(self) -> list[ReadoutRow]:
        """Return what is shown, for tests and screen readers."""
        return self._rows

    def sizeHint(self) -> QSize:
        return QSize(240, sum(row.height for row in self._rows) + 4)

    def refresh(self) -> None:
        """Read all values at the cursor again."""
        if self._session.capture is None or not self.isVisible():
            return
        before = len(self._rows)
        self._rows = self._read()
        if len(self._rows) != before:
            self.updateGeometry()
            self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._soon.start()

    def _read(self) -> list[ReadoutRow]:
        session = self._session
        wanted = self._filter.text().lower().split()
        kinds = list(session.reading.kinds_read())
        if session.kind in kinds:
            kinds.remove(session.kind)
            kinds.insert(0, session.kind)
        rows: list[ReadoutRow] = []
        for kind in kinds:
            for reader in session.reading.readers(kind):
                rows += self._read_layout(kind, reader.shown, wanted)
        return rows

    def _read_layout(self, kind: int, layout: engine.Layout, wanted: list[str]) -> list[ReadoutRow]:
        session = self._session
        at = session.store.frame_at(kind, layout, session.clock.cursor_ns)
        values = []
        for number, field in enumerate(layout.once_a_frame()):
            if not all(word in f"{layout.name} {field.name} {field.unit}".lower() for word in wanted):
                continue
            value, share, state = "–", None, ""
            if at is not None and at.decoded is not None:
                column = at.decoded.columns.get(field.id)
                if column is None:
                    continue
                validity = engine.Validity(int(column.validity[0]))
                if validity is engine.Validity.ABSENT:
                    column, validity = self._last_present(kind, layout, field)
                    if column is None:
                        continue
                value = engine.wording.value_text(column, 0)
                state = "" if validity is engine.Validity.GOOD else validity.words
                share = self._share(field, column)
            values.append(ReadoutRow(kind, field.name, "", field.id, value, share, state, number))
        if at is not None and at.decoded is not None and layout.moves:
            numbers = {field.id: number for number, field in enumerate(layout.all_fields())}
            for curve in array_curves(at.decoded, engine.wording, numbers):
                if all(word in f"{layout.name} {curve.title}".lower() for word in wanted):
                    values.append(ReadoutRow(kind, curve.title, curve=curve))
        if not values:
            return []
        lane = session.capture.lanes[session.kinds.key(kind).lane].name
        return [ReadoutRow(kind, layout.name, lane), *values]

    def _last_present(self, kind: int, layout: Any, field: Any) -> tuple[Any, Any]:
        """Look back over a few frames for one in which the selector lets the field be present."""
        session = self._session
        plan = session.store.plan(layout)
        at = session.store.frame_at(kind, layout, session.clock.cursor_ns)
        if at is None or plan is None:
            return None, None
        rows = session.capture.kinds.rows(kind, max(at.number - 15, 0), at.number + 1)
        frames = session.capture.frames.gather(rows[::-1])
        column = engine.decode_frames(session.capture, plan, frames, [field.id])[field.id]
        for number, validity in enumerate(column.validity):
            if int(validity) != engine.Validity.ABSENT:
                short = session.capture.frames.gather(frames.rows[number : number + 1])
                found = engine.decode_frames(session.capture, plan, short, [field.id])[field.id]
                return found, engine.Validity(int(validity))
        return None, None

    def _share(self, field: Any, column: Any) -> float | None:
        """Return where a value lies between the field's limits, or what its bits can hold."""
        if column.value is None or field.names or not field.kind.is_number or field.kind.value == "float":
            return None
        low, high = engine.wording.field_range(field)
        low = field.low if field.low is not None else low
        high = field.high if field.high is not None else high
        if high == low or not column.has_value[0]:
            return None
        return min(max((float(column.value[0]) - float(low)) / float(high - low), 0.0), 1.0)

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = look.theme
        if not self._rows:
            hint = "No layout reads a frame here yet." if self._session.capture is not None else ""
            draw_text(painter, QRectF(EDGE, 0, self.width() - 2 * EDGE, 40), hint, text_font(SMALL_PX), theme.quiet)
        clip = event.rect() if event is not None else self.rect()
        for number, (row, top) in enumerate(self._placed()):
            if top > clip.bottom() or top + row.height < clip.top():
                continue
            if row.curve is not None:
                draw_array_curve(painter, row.curve, QRectF(EDGE, top + 2, self.width() - 2 * EDGE, CURVE_HEIGHT - 6))
            elif row.field_id is None:
                box = QRectF(EDGE, top + 3, self.width() - 2 * EDGE, _HEAD - 4)
                draw_text(painter, box, row.title, text_font(TINY_PX, bold=True), theme.quiet)
                draw_text(painter, box, row.beside, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
            else:
                self._draw_value(painter, row, top, number == self._focus and self.hasFocus())
        painter.end()

    def _draw_value(self, painter: QPainter, row: ReadoutRow, top: float, focused: bool) -> None:
        theme = look.theme
        traced = (row.kind, row.field_id) in self._session.traces.shown
        box = QRectF(EDGE, top + 1, self.width() - 2 * EDGE, 18)
        if focused:
            painter.fillRect(QRectF(0, top, self.width(), _ROW), QColor(theme.selected))
        color = (
            theme.field(self._session.traces.shown.index((row.kind, row.field_id)))
            if traced and row.field_id
            else theme.field(row.color)
        )
        if traced:
            painter.fillRect(QRectF(0, top + 2, 3, _ROW - 4), color)
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

    def _placed(self) -> list[tuple[ReadoutRow, float]]:
        placed, top = [], 0.0
        for row in self._rows:
            placed.append((row, top))
            top += row.height
        return placed

    def row_center(self, number: int) -> QPoint:
        """Return the middle of a row, for tests."""
        return QPoint(self.width() // 2, int(self._placed()[number][1] + 10))

    # mouse and keys

    def _number_at(self, y: float) -> int:
        for number, (row, top) in enumerate(self._placed()):
            if row.field_id is not None and top <= y < top + _ROW:
                return number
        return -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._pressed = event.position()
            self._focus = self._number_at(event.position().y())
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None or self._focus < 0:
            return
        if (event.position() - self._pressed).manhattanLength() > 12:
            row = self._rows[self._focus]
            self._pressed = None
            drag = QDrag(self)
            if row.field_id is not None:
                drag.setMimeData(field_mime(row.kind, row.field_id))
                drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        array = self._array_at(event.position().y()) if event is not None and self._pressed is not None else None
        if self._pressed is not None and self._focus >= 0:
            self._toggle()
        elif array is not None and array.curve is not None:
            self.array_wanted.emit(array.kind, array.curve, is_angle(array.curve.axis_unit))
        self._pressed = None

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what may be asked of the value under the mouse."""
        number = self._number_at(event.pos().y()) if event is not None else -1
        array = self._array_at(event.pos().y()) if event is not None else None
        if event is not None and array is not None:
            self._offer_pictures(array, event.globalPos())
        if event is None or not 0 <= number < len(self._rows):
            return
        row = self._rows[number]
        found = self._column_of(row)
        if found is not None:
            ask_menu(self, self._session, asked.of_value(*found), event.globalPos())

    def _array_at(self, y: float) -> ReadoutRow | None:
        """Return the array whose curve is at a height, None if none is."""
        placed = self._placed()
        return next((row for row, top in placed if row.curve is not None and top <= y < top + row.height), None)

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

    def _column_of(self, row: ReadoutRow) -> tuple[str, engine.FieldColumn] | None:
        """Return the message of a row and its value at the cursor."""
        session = self._session
        for reader in session.reading.readers(row.kind):
            at = session.store.frame_at(row.kind, reader.shown, session.clock.cursor_ns)
            if at is not None and at.decoded is not None and row.field_id in at.decoded.columns:
                return reader.layout.name, at.decoded.columns[row.field_id]
        return None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        if step:
            number = self._focus + step
            while 0 <= number < len(self._rows) and self._rows[number].field_id is None:
                number += step
            if 0 <= number < len(self._rows):
                self._focus = number
                self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self._focus >= 0:
            self._toggle()
        else:
            super().keyPressEvent(event)

    def _toggle(self) -> None:
        row = self._rows[self._focus] if self._focus < len(self._rows) else None
        if row is not None and row.field_id is not None:
            self._session.traces.toggle(row.kind, row.field_id)
