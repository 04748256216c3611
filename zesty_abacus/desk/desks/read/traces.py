"""The stack of traces: fields over the visible time, one cursor through all of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from uuid import UUID

from PyQt6.QtCore import QEvent, QMimeData, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QFileDialog, QSizePolicy, QWidget

from ...app.session import Session
from ...around.save_view import save_view
from ...around.time_hands import DragZoom, key_on_time, wheel_on_time
from ...widgets.picture_file import FORMS
from ...widgets.theme import look
from .trace_menu import trace_menu
from .trace_overlays import TraceOverlays
from .trace_picture import TracePicture
from .trace_plan import AXIS, TracePlan

FIELD_MIME = "application/x-zesty-abacus-field"


def field_mime(kind: int, field_id: UUID) -> QMimeData:
    """Return what a dragged field carries."""
    data = QMimeData()
    data.setData(FIELD_MIME, f"{kind} {field_id}".encode())
    return data


class TraceStack(QWidget):
    """Curves of number fields, blocks of named values and flags.

    Click or drag moves the cursor; dragging along the axis, or with Shift, shows that stretch; the wheel zooms at the
    pointer, with Shift it pans; a middle click or Delete takes the trace under the pointer off the stack. Fields can be
    dropped on it; a right click lays something over a trace.

    Events
    ------
    plot_wanted
        (sort, trace along, trace up) a picture of ``values``, ``distances`` or a ``cloud`` is wanted.
    """

    plot_wanted = pyqtSignal(str, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._dragging = False
        self._hovered = -1
        self.overlays = TraceOverlays(session)
        self._zoom = DragZoom(session.clock, lambda x: self.plan.time_at(x), lambda time_ns: self.plan.x_of(time_ns))
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Traces")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        for event in (session.opened, session.traces.changed, session.layouts_changed, session.store.curve_ready,
                      session.overlays.changed):  # fmt: skip
            event.connect(self._on_change)
        for event in (session.clock.view_changed, session.clock.cursor_changed, session.clock.pin_changed):
            event.connect(self.update)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, 80 * max(len(self._session.traces.shown), 2) + AXIS)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, 120)

    @property
    def plan(self) -> TracePlan:
        """Where everything stands now."""
        return TracePlan(self._session.traces, self._session.clock, self.size())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw(painter)
        self._zoom.draw(painter, self.height())
        painter.end()

    def draw(self, painter: QPainter) -> None:
        """Draw the stack, on the screen or into a file."""
        TracePicture(self._session, self.overlays, self.plan).draw(painter)

    # mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        number = self.plan.trace_at(event.position().y())
        if event.button() == Qt.MouseButton.MiddleButton and number >= 0:
            self._session.traces.toggle(*self._session.traces.shown[number])
        elif event.position().x() < self.plan.names_width and number >= 0:
            self._session.in_hand.take_kind(self._session.traces.shown[number][0])
        elif event.button() == Qt.MouseButton.LeftButton and self._zooms(event):
            self._zoom.begin(event.position().x())
        elif event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self._session.clock.set_cursor(self.plan.time_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._hovered = self.plan.trace_at(event.position().y())
        if self._zoom.is_on:
            self._zoom.move(event.position().x())
            self.update()
        elif self._dragging:
            self._session.clock.set_cursor(self.plan.time_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._dragging = False
        if self._zoom.is_on:
            self._zoom.end()
            self.update()

    def _zooms(self, event: QMouseEvent) -> bool:
        """Return whether dragging chooses a stretch to see: along the axis, or with Shift."""
        with_shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        return with_shift or event.position().y() >= self.height() - AXIS

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what can be done with the trace under the mouse."""
        number = self.plan.trace_at(event.pos().y()) if event is not None else -1
        if event is not None and number >= 0:
            trace = self._session.traces.shown[number]
            time_ns = self.plan.time_at(event.pos().x())
            trace_menu(self, self._session, trace, time_ns, event.globalPos(), self._acts(trace))

    def _acts(self, trace: tuple[int, UUID]) -> list[tuple[str, Callable[[], object]]]:
        """Return what can be seen of a trace besides, and that the picture can be saved."""
        acts: list[tuple[str, Callable[[], object]]] = [
            ("How often it has its values", lambda: self.plot_wanted.emit("values", trace, trace)),
            ("How far apart its frames come", lambda: self.plot_wanted.emit("distances", trace, trace)),
        ]
        for other in self._session.traces.shown:
            field = self._session.traces.field(other)
            if other != trace and field is not None and not self.plan.is_blocks(other):
                acts.append((f"Against {field.name}", partial(self.plot_wanted.emit, "cloud", other, trace)))
        return [*acts, ("Save the picture…", self.ask_picture)]

    def ask_picture(self) -> None:
        """Ask where the picture of the stack is to be saved."""
        name, _ = QFileDialog.getSaveFileName(self, "Save the picture", "traces.png", FORMS)
        if name:
            save_view(self._session, name, self.size(), self.draw)

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hovered = -1

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self._session.capture is not None:
            wheel_on_time(self._session.clock, event, self.plan.time_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        if event.key() == Qt.Key.Key_Delete and 0 <= self._hovered < len(self._session.traces.shown):
            self._session.traces.toggle(*self._session.traces.shown[self._hovered])
        elif not key_on_time(self._session.clock, event):
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(FIELD_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None:
            return
        kind, field_id = data.data(FIELD_MIME).data().decode().split()
        trace = (int(kind), UUID(field_id))
        if trace not in self._session.traces.shown:
            self._session.traces.toggle(*trace)
        event.acceptProposedAction()

    def _on_change(self) -> None:
        names = [field.name for trace in self._session.traces.shown if (field := self._session.traces.field(trace))]
        self.setAccessibleDescription(", ".join(names))
        self.updateGeometry()
        self.update()
