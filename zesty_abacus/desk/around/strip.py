"""The strip: all lanes over the whole recording, moments, the window bracket and the cursor."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QCompleter, QLineEdit, QSizePolicy, QWidget

from ..app.session import Session
from ..widgets.paint import draw_text, elided
from ..widgets.theme import TINY_PX, faded, look, text_font
from ..widgets.words import span_text
from .time_hands import key_on_time, wheel_on_time

NAMES_WIDTH = 246
_TOP = 20
_LOW_LANE, _TALL_LANE = 13, 17
_GRIP = 6


class Strip(QWidget):
    """The whole recording at a glance; the bracket is the part the desks show.

    Drag inside the bracket moves it, drag its edges stretches it, a click outside moves it there. The wheel
    zooms at the pointer. Left and right move the cursor, with Shift the bracket; + and - zoom.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._picture: QImage | None = None
        self._drag: tuple[str, float, int, int] | None = None
        self._entry: QLineEdit | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Recording")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        session.opened.connect(self._on_opened)
        session.trial_changed.connect(self.update)
        session.reading.counts.changed.connect(self.update)
        session.clock.view_changed.connect(self._on_clock)
        session.clock.cursor_changed.connect(self._on_clock)
        session.clock.pin_changed.connect(self.update)
        look.changed.connect(self._on_opened)

    def sizeHint(self) -> QSize:
        lanes = len(self._session.capture.lanes) if self._session.capture is not None else 2
        return QSize(600, _TOP + max(lanes, 2) * self._lane_height() + 10)

    def begin_moment(self) -> None:
        """Open a line at the cursor to type what happened; Enter keeps it, Escape drops it."""
        if self._session.capture is None:
            return
        entry = QLineEdit(self)
        entry.setPlaceholderText("What happened here?")
        entry.setAccessibleName("Moment")
        entry.setFixedWidth(190)
        # what the team calls such a thing is offered, so that it is called so here
        words = QCompleter([moment.text for moment in self._session.shared.moments], entry)
        words.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        words.setFilterMode(Qt.MatchFlag.MatchContains)
        entry.setCompleter(words)
        x = min(self._x_of(self._session.clock.cursor_ns), self.width() - 200)
        entry.move(int(x), 2)
        entry.returnPressed.connect(self._keep_moment)
        entry.editingFinished.connect(self._drop_entry)
        entry.show()
        entry.setFocus()
        self._entry = entry

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, session = look.theme, self._session
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.paper))
        painter.setPen(QColor(theme.line))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        if session.capture is None:
            hint = "The whole recording will be here."
            draw_text(painter, QRectF(14, 0, 400, self.height()), hint, text_font(), theme.quiet)
            painter.end()
            return
        self._draw_lanes(painter)
        self._draw_moments(painter)
        self._draw_window(painter)
        painter.end()

    def _draw_lanes(self, painter: QPainter) -> None:
        theme, session = look.theme, self._session
        plot = self._plot()
        if self._picture is None or self._picture.width() != int(plot.width()):
            self._picture = self._density_picture(int(plot.width()))
        for number, lane in enumerate(session.capture.lanes):
            y = _TOP + number * self._lane_height()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.field(number))
            painter.drawEllipse(QPointF(17, y + self._lane_height() / 2), 3.2, 3.2)
            row = QRectF(28, y, NAMES_WIDTH - 36, self._lane_height())
            share = self._lane_share(number)
            note = " · ".join(part for part in (lane.note, share) if part)
            draw_text(painter, row, note, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
            draw_text(painter, row.adjusted(0, 0, -110, 0), lane.name, text_font(TINY_PX), theme.ink)
        painter.drawImage(QPointF(plot.left(), _TOP), self._picture)

    def _lane_share(self, lane: int) -> str:
        session = self._session
        kinds = (kind for kind, key in enumerate(session.capture.kinds.keys) if key.lane == lane)
        explained = session.reading.counts.explained_of_all(kinds)
        return explained.share_text() if explained is not None and explained.moving else ""

    def _density_picture(self, width: int) -> QImage:
        """Paint frames a column as opacity of the lane's colour, once for a width."""
        density = self._session.density
        edges = np.linspace(0, density.shape[1], width + 1).astype(int)
        sums = np.add.reduceat(density, np.minimum(edges[:-1], density.shape[1] - 1), axis=1)
        # columns of the picture cover two or three of the counted ones: without this the strip would be striped
        sums = sums / np.maximum(np.diff(edges), 1)
        peak = np.maximum(sums.max(axis=1, keepdims=True), 1e-9)
        alpha = np.where(sums > 0, 0.25 + 0.6 * np.sqrt(sums / peak), 0.0)
        tall = self._lane_height()
        image = np.zeros((len(density) * tall, width, 4), np.uint8)
        for lane, row in enumerate(alpha):
            color = look.theme.field(lane)
            top = lane * tall + 1
            cell = np.array([color.red(), color.green(), color.blue()], np.uint8)
            image[top : top + tall - 2, :, :3] = cell
            image[top : top + tall - 2, :, 3] = (row * 255).astype(np.uint8)
        made = QImage(image.tobytes(), width, image.shape[0], width * 4, QImage.Format.Format_RGBA8888)
        return made.copy()

    def _draw_moments(self, painter: QPainter) -> None:
        theme, session = look.theme, self._session
        bottom = self.height() - 6
        free_from = 0.0
        font = text_font(TINY_PX)
        moments = session.trial.file.moments
        places = [self._x_of(moment.time_ns) for moment in moments]
        for number, (moment, x) in enumerate(zip(moments, places, strict=True)):
            painter.setPen(QPen(faded(theme.ink, 0.35), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, 8), QPointF(x, bottom))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.zest))
            painter.drawPolygon(QPolygonF([QPointF(x, 5), QPointF(x + 8, 9), QPointF(x, 13)]))
            following = places[number + 1] if number + 1 < len(places) else float(self.width())
            room = min(150.0, following - x - 15)
            if x + 11 >= free_from and room > 14:
                text = elided(moment.text, font, room)
                draw_text(painter, QRectF(x + 11, 1, room, 16), text, font, theme.ink)
                free_from = x + 18 + painter.fontMetrics().horizontalAdvance(text)

    def _draw_window(self, painter: QPainter) -> None:
        theme, clock = look.theme, self._session.clock
        bracket = self._bracket()
        painter.fillRect(bracket, faded(theme.zest, 0.10))
        painter.setPen(QPen(QColor(theme.zest), 2))
        for x, turn in ((bracket.left(), 5), (bracket.right(), -5)):
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x, bracket.bottom()))
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x + turn, bracket.top()))
            painter.drawLine(QPointF(x, bracket.bottom()), QPointF(x + turn, bracket.bottom()))
        if clock.pin_ns is not None:
            x = self._x_of(clock.pin_ns)
            painter.setPen(QPen(QColor(theme.quiet), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, _TOP - 2), QPointF(x, self.height() - 4))
        x = self._x_of(clock.cursor_ns)
        painter.setPen(QPen(QColor(theme.ink), 1.4))
        painter.drawLine(QPointF(x, _TOP - 3), QPointF(x, self.height() - 4))

    # time and place

    def _lane_height(self) -> int:
        """Return the height of a lane; few lanes are taller."""
        lanes = len(self._session.capture.lanes) if self._session.capture is not None else 2
        return _TALL_LANE if lanes <= 4 else _LOW_LANE

    def _plot(self) -> QRectF:
        return QRectF(NAMES_WIDTH + 8, _TOP, max(self.width() - NAMES_WIDTH - 22, 50), self.height() - _TOP - 8)

    def _x_of(self, time_ns: int) -> float:
        clock, plot = self._session.clock, self._plot()
        share = (time_ns - clock.first_ns) / (clock.last_ns - clock.first_ns)
        return plot.left() + share * plot.width()

    def _time_at(self, x: float) -> int:
        clock, plot = self._session.clock, self._plot()
        return clock.first_ns + int((x - plot.left()) / plot.width() * (clock.last_ns - clock.first_ns))

    def _bracket(self) -> QRectF:
        clock = self._session.clock
        left, right = self._x_of(clock.view_first_ns), self._x_of(clock.view_last_ns)
        if right - left < 6:
            left, right = (left + right) / 2 - 3, (left + right) / 2 + 3
        return QRectF(left, _TOP - 3, right - left, self.height() - _TOP - 1)

    def _part_at(self, x: float) -> str:
        bracket = self._bracket()
        if abs(x - bracket.left()) <= _GRIP:
            return "first"
        if abs(x - bracket.right()) <= _GRIP:
            return "last"
        return "whole" if bracket.left() < x < bracket.right() else ""

    # mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._session.capture is None or event.position().x() < NAMES_WIDTH:
            return
        clock, x = self._session.clock, event.position().x()
        moment = self._moment_at(event.position())
        if moment is not None:
            clock.set_cursor(moment, follow=True)
            return
        part = self._part_at(x)
        if not part:
            half = clock.view_span_ns // 2
            clock.set_view(self._time_at(x) - half, self._time_at(x) + half)
            clock.set_cursor(self._time_at(x))
            part = "whole"
        self._drag = (part, x, clock.view_first_ns, clock.view_last_ns)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        x = event.position().x()
        if self._drag is None:
            shapes = {"first": Qt.CursorShape.SizeHorCursor, "last": Qt.CursorShape.SizeHorCursor,
                      "whole": Qt.CursorShape.OpenHandCursor, "": Qt.CursorShape.ArrowCursor}  # fmt: skip
            self.setCursor(shapes[self._part_at(x)])
            return
        part, start, first, last = self._drag
        moved = self._time_at(x) - self._time_at(start)
        clock = self._session.clock
        if part == "whole":
            clock.set_view(first + moved, last + moved)
        elif part == "first":
            clock.set_view(min(first + moved, last - 1000), last)
        else:
            clock.set_view(first, max(last + moved, first + 1000))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drag is not None and abs(event.position().x() - self._drag[1]) < 3:
            self._session.clock.set_cursor(self._time_at(event.position().x()))
        self._drag = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self._session.capture is not None:
            wheel_on_time(self._session.clock, event, self._time_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        if not key_on_time(self._session.clock, event):
            super().keyPressEvent(event)

    # events

    def _moment_at(self, point: QPointF) -> int | None:
        if point.y() > _TOP - 3:
            return None
        near = [m for m in self._session.trial.file.moments if 0 <= point.x() - self._x_of(m.time_ns) <= 90]
        return near[-1].time_ns if near else None

    def _on_opened(self) -> None:
        self._picture = None
        self.updateGeometry()
        self.update()

    def _on_clock(self) -> None:
        clock = self._session.clock
        shown = f"{span_text(clock.view_span_ns)} shown, cursor at {clock.words(clock.cursor_ns)} s"
        self.setAccessibleDescription(shown)
        self.update()

    def _keep_moment(self) -> None:
        if self._entry is not None and self._entry.text().strip():
            text = self._entry.text().strip()
            self._drop_entry()
            self._session.trials.add_moment(self._session.clock.cursor_ns, text)

    def _drop_entry(self) -> None:
        if self._entry is not None:
            entry, self._entry = self._entry, None
            entry.hide()
            entry.deleteLater()
            self.setFocus()
