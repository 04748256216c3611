"""The waves of a source: samples or edges, thresholds to drag, and what was decoded below them, on the shared clock."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...around.time_hands import key_on_time, wheel_on_time
from ...widgets.theme import look
from ...widgets.words import counted
from .bench import Bench
from .marks import DATA
from .wave_painter import WavePainter
from .wave_place import OVERVIEW, WavePlace

_GRIP = 6


class WaveView(QWidget):
    """Channels one below the other, the decoded row under them.

    The wheel zooms at the pointer, dragging moves the view, a click puts the cursor; threshold lines are dragged up
    and down. Up and Down move the threshold of the first channel by a hundredth of the range.

    Events
    ------
    pointed
        (value, whether it is data, flags, frame, where on the screen) of a decoded stretch somebody asks about.
    """

    pointed = pyqtSignal(int, bool, int, int, QPoint)

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self._bench = bench
        self._drag: tuple[str, QPointF, tuple[int, int]] | None = None
        self.place = WavePlace(self, bench)
        self._painting = WavePainter(self, self.place, bench)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Waves")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(150)
        clock = bench.session.clock
        for event in (clock.view_changed, clock.cursor_changed, bench.session.form.changed, look.changed):
            event.connect(self.update)
        bench.source_changed.connect(self._on_source)
        bench.outcome_changed.connect(self._on_outcome)
        bench.recipe_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(700, 320)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self._painting.paint(painter)
        painter.end()

    # hands

    def _grip_at(self, point: QPointF) -> tuple[str, str] | None:
        for name, box in self.place.boxes().items():
            for which in ("above", "below"):
                level = self.place.threshold(name, which)
                if level is not None and box.top() - 10 <= point.y() <= box.bottom() + 10:
                    if abs(point.y() - self.place.y_of(name, level)) <= _GRIP:
                        return name, which
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._bench.opened is None:
            return
        point = event.position()
        self.setFocus()
        grip = self._grip_at(point)
        if grip is not None:
            self.place.moving = (*grip, self.place.threshold(*grip) or 0.0)
            return
        where = "overview" if point.y() < OVERVIEW else "view"
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            where = "lane"
        self._drag = (where, point, self.place.view())
        if where == "overview":
            self._move_overview(point)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        if self.place.moving is not None:
            name, which, _ = self.place.moving
            low, high = self.place.value_range(name)
            box = self.place.boxes()[name]
            share = min(max((box.bottom() - point.y()) / box.height(), 0.0), 1.0)
            self.place.moving = (name, which, low + share * (high - low))
            self.update()
        elif self._drag is not None and self._drag[0] == "overview":
            self._move_overview(point)
        elif self._drag is not None and self._drag[0] == "lane":
            self.place.shifted_ns = self._shift_at(point)
            self.update()
        elif self._drag is not None:
            _, start, (first, last) = self._drag
            moved = int((point.x() - start.x()) / self.place.plot().width() * (last - first))
            self._bench.session.clock.set_view(first - moved, last - moved)
        else:
            over = self._grip_at(point) is not None
            self.setCursor(Qt.CursorShape.SizeVerCursor if over else Qt.CursorShape.ArrowCursor)

    def _shift_at(self, point: QPointF) -> int:
        assert self._drag is not None
        first, last = self._drag[2]
        return int((point.x() - self._drag[1].x()) / self.place.plot().width() * (last - first))

    def _move_overview(self, point: QPointF) -> None:
        clock = self._bench.session.clock
        first, last = self._bench.span_ns
        share = (point.x() - self.place.plot().left()) / self.place.plot().width()
        middle = first + int(share * (last - first))
        half = clock.view_span_ns // 2
        clock.set_view(middle - half, middle + half)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        if self.place.moving is not None:
            name, which, level = self.place.moving
            self._bench.change.level(name, **{which: float(f"{level:.4g}")})
            self.place.moving = None
        elif self._drag is not None and self._drag[0] == "lane":
            shift, self.place.shifted_ns = self._shift_at(point), 0
            self._bench.offset.shift(shift)
        elif self._drag is not None and self._drag[0] == "view":
            if abs(point.x() - self._drag[1].x()) < 3 and abs(point.y() - self._drag[1].y()) < 3:
                self._click(point)
        self._drag = None
        self.update()

    def _click(self, point: QPointF) -> None:
        """Put the cursor here; on a mark, at the frame it belongs to."""
        mark = self._mark_at(point)
        if mark is not None:
            self._bench.frames.go(int(mark[5]))
        else:
            self._bench.session.clock.set_cursor(self.place.time_at(point.x()))

    def _mark_at(self, point: QPointF) -> np.ndarray | None:
        """Return the mark of a frame under a point, one row as of ``Marks``; None if there is none."""
        time = self.place.time_at(point.x())
        for row in range(self.place.mark_rows()):
            if self.place.marks_box(row).contains(point):
                marks = self.place.visible_marks(row)
                first, last = self.place.view()
                near = 6 * (last - first) / max(self.place.plot().width(), 1)
                hit = marks[(marks[:, 0] - near <= time) & (time <= marks[:, 1] + near) & (marks[:, 5] >= 0)]
                if len(hit):
                    # of those within reach the one that is nearest in the middle
                    return hit[int(np.argmin(np.abs((hit[:, 0] + hit[:, 1]) / 2 - time)))]
        return None

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        mark = self._mark_at(QPointF(event.pos())) if event is not None else None
        if event is not None and mark is not None:
            self.pointed.emit(int(mark[3]), int(mark[2]) == DATA, int(mark[4]), int(mark[5]), event.globalPos())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._bench.frames.show_frame(self._bench.frames.current())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self._bench.opened is not None:
            wheel_on_time(self._bench.session.clock, event, self.place.time_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._bench.opened is None:
            return
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()), 0)
        if step and self._nudge(step):
            return
        if not key_on_time(self._bench.session.clock, event):
            super().keyPressEvent(event)

    def _nudge(self, step: int) -> bool:
        for name in self.place.boxes():
            level = self.place.threshold(name)
            if level is not None:
                low, high = self.place.value_range(name)
                self._bench.change.level(name, above=float(f"{level + step * (high - low) / 100:.4g}"))
                return True
        return False

    # events

    def _on_source(self) -> None:
        self.place.forget_ranges()
        self.update()

    def _on_outcome(self) -> None:
        self.place.forget_ranges()
        outcome = self._bench.outcome
        if outcome is not None:
            self.setAccessibleDescription(
                f"{counted(len(outcome.result.frames), 'frame')}, {counted(len(outcome.result.marks), 'mark')}"
            )
        self.update()
