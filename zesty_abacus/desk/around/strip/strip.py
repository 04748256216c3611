"""The widget of the strip: lanes, moments, the window bracket and the cursor, and the hands on them."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QScrollBar, QSizePolicy, QWidget

from ...app.doors import asked
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.theme import faded, look, text_font
from ...widgets.words import span_text
from ..ask_menu import ask_menu
from ..time_hands import key_on_time, wheel_on_time
from .hits import StripHits
from .lanes import StripLanes
from .links import StripLinks
from .moments import StripMoments
from .notches import StripNotches
from .scale import NAMES_WIDTH, TOP, BracketPart, StripScale

_LEAST_VIEW_NS = 1000
_WHAT_BARS_SAY = "The stronger a bar, the more frames; its part in brown is what no layout explains; red is a problem"


class Strip(QWidget):
    """The whole recording at a glance; the bracket is the part the desks show.

    Drag inside the bracket moves it, drag its edges stretches it, a click outside moves it there. The wheel
    zooms at the pointer. Left and right move the cursor, with Shift the bracket; + and - zoom.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.scale = StripScale(session.clock, self)
        self.lanes = StripLanes(session)
        self.moments = StripMoments(session, self.scale, self)
        self.hits = StripHits(session, self.scale)
        self.notches = StripNotches(session, self.scale)
        self._lanes_shown = self.lanes.shown
        self._drag: tuple[BracketPart, float, int, int] | None = None
        self.bar = QScrollBar(Qt.Orientation.Vertical, self)
        self.bar.setAccessibleName("Lanes")
        self.bar.valueChanged.connect(self._on_scrolled)
        self.bar.hide()
        self.links = StripLinks(session, self.lanes, self, self._on_opened)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Recording")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        session.opened.connect(self._from_the_top)
        session.grown.connect(self._on_grown)
        session.clock.stretch_changed.connect(self._on_stretch)
        session.trial_changed.connect(self.update)
        session.in_hand.changed.connect(self._on_kind)
        session.reading.counts.changed.connect(self._on_counts)
        session.asking.changed.connect(self.update)
        session.second.changed.connect(self.update)
        session.problems.changed.connect(self.update)
        session.clock.view_changed.connect(self._on_clock)
        session.clock.cursor_changed.connect(self._on_clock)
        session.clock.pin_changed.connect(self.update)
        look.changed.connect(self._on_opened)

    def sizeHint(self) -> QSize:
        return QSize(600, TOP + self.lanes.height() + 10)

    def begin_moment(self) -> None:
        """Open a line at the cursor to type what happened; Enter keeps it, Escape drops it."""
        self.moments.begin()

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.paper))
        painter.setPen(QColor(theme.line))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        if self._session.capture is None:
            hint = "The whole recording will be here."
            draw_text(painter, QRectF(14, 0, 400, self.height()), hint, text_font(), theme.quiet)
        else:
            self._draw_lanes(painter)
            self.hits.draw(painter)
            self.moments.draw(painter)
            self._draw_window(painter)
        painter.end()

    def _draw_lanes(self, painter: QPainter) -> None:
        tall = self.lanes.lane_height()
        painter.save()
        painter.setClipRect(QRectF(0, TOP, self.width(), self.lanes.height()))
        painter.translate(0, -self.lanes.first * tall)
        self.lanes.draw(painter, self.scale.plot())
        self.notches.draw(painter, tall)
        painter.restore()

    def _draw_window(self, painter: QPainter) -> None:
        theme, clock = look.theme, self._session.clock
        bracket = self.scale.bracket()
        painter.fillRect(bracket, faded(theme.zest, 0.10))
        painter.setPen(QPen(QColor(theme.zest), 2))
        for x, turn in ((bracket.left(), 5), (bracket.right(), -5)):
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x, bracket.bottom()))
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x + turn, bracket.top()))
            painter.drawLine(QPointF(x, bracket.bottom()), QPointF(x + turn, bracket.bottom()))
        if clock.pin_ns is not None:
            x = self.scale.x_of(clock.pin_ns)
            painter.setPen(QPen(QColor(theme.quiet), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, TOP - 2), QPointF(x, self.height() - 4))
        x = self.scale.x_of(clock.cursor_ns)
        painter.setPen(QPen(QColor(theme.ink), 1.4))
        painter.drawLine(QPointF(x, TOP - 3), QPointF(x, self.height() - 4))

    # mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._session.capture is None or event.position().x() < NAMES_WIDTH:
            return
        clock, x = self._session.clock, event.position().x()
        moment = self.moments.at(event.position())
        if moment is not None:
            clock.set_cursor(moment, follow=True)
            return
        part = self.scale.bracket_part_at(x)
        if not part:
            at, half = self.scale.time_at(x), clock.view_span_ns // 2
            clock.set_view(at - half, at + half)
            clock.set_cursor(at)
            part = "whole"
        self._drag = (part, x, clock.view_first_ns, clock.view_last_ns)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what may be asked of the moment under the mouse."""
        text = self.moments.text_at(QPointF(event.pos())) if event is not None and self._session.capture else ""
        if event is not None and text:
            ask_menu(self, self._session, [asked.of_moment(text)], event.globalPos())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        x = event.position().x()
        self.setToolTip(_WHAT_BARS_SAY if x < NAMES_WIDTH else "")
        if self._drag is None:
            shapes = {"first": Qt.CursorShape.SizeHorCursor, "last": Qt.CursorShape.SizeHorCursor,
                      "whole": Qt.CursorShape.OpenHandCursor, "": Qt.CursorShape.ArrowCursor}  # fmt: skip
            self.setCursor(shapes[self.scale.bracket_part_at(x)])
            return
        part, start, first, last = self._drag
        moved = self.scale.time_at(x) - self.scale.time_at(start)
        clock = self._session.clock
        if part == "whole":
            clock.set_view(first + moved, last + moved)
        elif part == "first":
            clock.set_view(min(first + moved, last - _LEAST_VIEW_NS), last)
        else:
            clock.set_view(first, max(last + moved, first + _LEAST_VIEW_NS))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drag is not None and abs(event.position().x() - self._drag[1]) < 3:
            self._session.clock.set_cursor(self.scale.time_at(event.position().x()))
        self._drag = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        if event.position().x() < NAMES_WIDTH and self.lanes.hidden:
            # over their names it goes through the lanes, elsewhere through time
            self.bar.setValue(self.bar.value() - (1 if event.angleDelta().y() > 0 else -1))
        else:
            wheel_on_time(self._session.clock, event, self.scale.time_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        if not key_on_time(self._session.clock, event):
            super().keyPressEvent(event)

    # events

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        wide = self.bar.sizeHint().width()
        self.bar.setGeometry(self.width() - wide, TOP, wide, self.lanes.height())

    def _on_stretch(self) -> None:
        self.links.show()
        self._on_counts()

    def _on_grown(self) -> None:
        is_taller = self.lanes.shown != self._lanes_shown
        self.lanes.forget()
        self.links.show()
        if is_taller:
            self._on_opened()
        self.update()

    def _on_scrolled(self, first: int) -> None:
        self.lanes.first = first
        self.update()

    def _on_counts(self) -> None:
        self.lanes.forget()
        self.update()

    def _on_kind(self) -> None:
        session = self._session
        if session.capture is not None and session.in_hand.kind is not None:
            self.lanes.show_lane(session.capture.kinds.keys[session.in_hand.kind].lane)
            self.bar.setValue(self.lanes.first)

    def _from_the_top(self) -> None:
        self.lanes.first = 0
        self._on_opened()

    def _on_opened(self) -> None:
        self.lanes.forget()
        self._lanes_shown = self.lanes.shown
        self.lanes.first = min(self.lanes.first, self.lanes.hidden)
        self.bar.setRange(0, self.lanes.hidden)
        self.bar.setPageStep(self.lanes.shown)
        self.bar.setValue(self.lanes.first)
        self.bar.setVisible(self.lanes.hidden > 0)
        self.links.show()
        self.updateGeometry()
        self.update()

    def _on_clock(self) -> None:
        clock = self._session.clock
        shown = f"{span_text(clock.view_span_ns)} shown, cursor at {clock.words(clock.cursor_ns)} s"
        self.setAccessibleDescription(shown)
        self.update()
