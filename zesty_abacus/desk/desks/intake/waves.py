"""The waves of a source: samples or edges, thresholds to drag, and what was decoded below them, on the shared clock."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.doors import lines
from ...around.time_hands import key_on_time, wheel_on_time
from ...widgets.paint import draw_text, padded_range
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ...widgets.words import span_text, time_text
from .bench import Bench
from .channel_pictures import draw_edges, draw_following, draw_samples
from .marks import draw_density, draw_marks

_GUTTER = 92
_OVERVIEW = 30
_RULER = 20
_MARK_ROW = 40
_GRIP = 6
_LEAST_WAVE = 44
_MOST_NOTES = 500
_MOST_MARKS = 900


class WaveView(QWidget):
    """Channels one below the other, the decoded row under them.

    The wheel zooms at the pointer, dragging moves the view, a click puts the cursor; threshold lines are dragged up
    and down. Up and Down move the threshold of the first channel by a hundredth of the range.
    """

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self._bench = bench
        self._drag: tuple[str, QPointF, tuple[int, int]] | None = None
        self._moving: tuple[str, str, float] | None = None
        self._ranges: dict[str, tuple[float, float]] = {}
        self._shifted_ns = 0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Waves")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(150)
        clock = bench.session.clock
        for event in (clock.view_changed, clock.cursor_changed, bench.session.form_changed, look.changed):
            event.connect(self.update)
        bench.source_changed.connect(self._on_source)
        bench.outcome_changed.connect(self._on_outcome)
        bench.recipe_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(700, 320)

    # what is shown

    def channels(self) -> list[lines.Channel]:
        """Return the channels to draw: those the recipe uses, or all while it uses none."""
        opened, recipe = self._bench.opened, self._bench.recipe
        if opened is None or opened.recording is None:
            return []
        used = recipe.channels() if recipe is not None else ()
        chosen = [c for name in used if (c := opened.recording.channel(name)) is not None]
        return chosen or list(opened.recording.channels[:8])

    def _line(self, name: str) -> lines.PreparedLine | None:
        outcome = self._bench.outcome
        return outcome.lines.get(name) if outcome is not None else None

    def _mark_rows(self) -> int:
        index = self._bench.mark_index()
        return index.lines if index is not None else 1

    def plot(self) -> QRectF:
        """Return where time runs from left to right."""
        return QRectF(_GUTTER, 0, max(self.width() - _GUTTER - 14, 40), self.height())

    def boxes(self) -> dict[str, QRectF]:
        """Return the box of each channel."""
        names = [channel.name for channel in self.channels()]
        area = self.plot()
        bottom = self.height() - _RULER - _MARK_ROW * self._mark_rows()
        each = max((bottom - _OVERVIEW - 6) / max(len(names), 1), _LEAST_WAVE)
        return {
            name: QRectF(area.left(), _OVERVIEW + 6 + number * each + 5, area.width(), each - 10)
            for number, name in enumerate(names)
        }

    def _marks_box(self, row: int) -> QRectF:
        area = self.plot()
        top = self.height() - _RULER - _MARK_ROW * (self._mark_rows() - row)
        return QRectF(area.left(), top, area.width(), _MARK_ROW)

    def _view(self) -> tuple[int, int]:
        clock = self._bench.session.clock
        return clock.view_first_ns, clock.view_last_ns

    def x_of(self, time_ns: int) -> float:
        """Return where a time of the capture's clock lies."""
        first, last = self._view()
        area = self.plot()
        return area.left() + (time_ns - first) / max(last - first, 1) * area.width()

    def time_at(self, x: float) -> int:
        """Return the time of the capture's clock at a place."""
        first, last = self._view()
        area = self.plot()
        return first + int((x - area.left()) / area.width() * (last - first))

    def value_range(self, name: str) -> tuple[float, float]:
        """Return the values at the bottom and the top of a channel's box."""
        if name not in self._ranges:
            self._ranges[name] = self._find_range(name)
        return self._ranges[name]

    def _find_range(self, name: str) -> tuple[float, float]:
        line = self._line(name)
        if line is not None and line.wave is not None:
            wave = line.wave
        else:
            opened = self._bench.opened
            channel = opened.recording.channel(name) if opened is not None and opened.recording is not None else None
            if channel is None or channel.samples is None or channel.samples.is_iq:
                return -0.15, 1.15
            wave = channel.samples
        if not len(wave.lows):
            return -0.15, 1.15
        low, high = float(np.nanmin(wave.lows)), float(np.nanmax(wave.highs))
        low, high = low * wave.scale + wave.offset, high * wave.scale + wave.offset
        return padded_range(min(low, high), max(low, high))

    def threshold(self, name: str, which: str = "above") -> float | None:
        """Return the level of a threshold line, None where there is none to drag."""
        if self._moving is not None and self._moving[:2] == (name, which):
            return self._moving[2]
        line = self._line(name)
        if line is None or line.wave is None or line.threshold is not None:
            return None
        return getattr(line.setting, which)

    def y_of(self, name: str, value: float) -> float:
        """Return the height of a value in its channel's box."""
        low, high = self.value_range(name)
        box = self.boxes()[name]
        return box.bottom() - (value - low) / (high - low) * box.height()

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, bench = look.theme, self._bench
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.paper))
        if bench.opened is not None and bench.opened.recording is not None:
            self._draw_overview(painter)
            painter.save()
            painter.setClipRect(self.plot().adjusted(-1, _OVERVIEW, 1, 0))
            for number, channel in enumerate(self.channels()):
                self._draw_channel(painter, number, channel)
            self._draw_marks(painter)
            self._draw_notes(painter)
            self._draw_cursor(painter)
            self._draw_shift(painter)
            painter.restore()
            self._draw_gutter(painter)
            self._draw_ruler(painter)
        painter.end()

    def _draw_overview(self, painter: QPainter) -> None:
        """Draw where frames are in the whole recording, and the part in view."""
        theme, bench = look.theme, self._bench
        area = QRectF(self.plot().left(), 6, self.plot().width(), _OVERVIEW - 12)
        first, last = bench.span_ns
        scale = area.width() / max(last - first, 1)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.chip))
        painter.drawRoundedRect(area, 4, 4)
        columns = max(int(area.width()), 1)
        busy, wrong = bench.overview(columns)
        painter.setBrush(faded(theme.fields[4], 0.75))
        for run in np.split(busy, np.flatnonzero(np.diff(busy) > 1) + 1):
            if len(run):
                place = QRectF(area.left() + float(run[0]), area.top() + 3, float(len(run)), area.height() - 6)
                painter.drawRect(place)
        painter.setBrush(QColor(theme.wrong))
        for column in wrong:
            painter.drawRect(QRectF(area.left() + float(column) - 1, area.bottom() - 4, 3, 6))
        view = self._view()
        left, right = (area.left() + (np.clip(t, first, last) - first) * scale for t in view)
        bracket = QRectF(left, area.top() - 3, max(right - left, 4), area.height() + 6)
        painter.setPen(QPen(QColor(theme.zest), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for x, turn in ((bracket.left(), 5), (bracket.right(), -5)):
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x, bracket.bottom()))
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x + turn, bracket.top()))
            painter.drawLine(QPointF(x, bracket.bottom()), QPointF(x + turn, bracket.bottom()))

    def _draw_channel(self, painter: QPainter, number: int, channel: lines.Channel) -> None:
        box = self.boxes()[channel.name]
        color = look.theme.field(number + 1)
        line = self._line(channel.name)
        wave = line.wave if line is not None and line.wave is not None else channel.samples
        zero = self._bench.zero_ns + self._shifted_ns
        first, last = (time - zero for time in self._view())
        if wave is not None and not wave.is_iq and len(wave.lows):
            draw_samples(painter, box, wave, (first, last), self.value_range(channel.name), color)
            self._draw_thresholds(painter, box, channel.name, line, (first, last))
        elif wave is None or not wave.is_iq:
            edges = line.edges if line is not None and self._bench.is_whole else channel.edges
            if edges is not None:
                draw_edges(painter, box, edges, (first, last), color)
        else:
            hint = "choose what the carrier does to see its envelope"
            draw_text(painter, box, hint, text_font(SMALL_PX), look.theme.quiet)

    def _draw_thresholds(
        self, painter: QPainter, box: QRectF, name: str, line: lines.PreparedLine | None, span: tuple[int, int]
    ) -> None:
        theme = look.theme
        if line is not None and line.threshold is not None and line.wave is not None:
            draw_following(painter, box, line.wave, line.threshold, span, self.value_range(name))
        for which in ("above", "below"):
            level = self.threshold(name, which)
            if level is None:
                continue
            y = self.y_of(name, level)
            band_half = (line.setting.dead_band or 0.0) / 2 if line is not None else 0.0
            top, bottom = self.y_of(name, level + band_half), self.y_of(name, level - band_half)
            painter.fillRect(QRectF(box.left(), top, box.width(), bottom - top), faded(theme.zest, 0.08))
            painter.setPen(QPen(QColor(theme.zest), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))

    def visible_marks(self, row: int = 0) -> np.ndarray:
        """Return the marks of a row that lie in view, their times on the capture's clock; none if they are many."""
        index = self._bench.mark_index()
        zero = self._bench.zero_ns + self._shifted_ns
        first, last = (time - zero for time in self._view())
        part = index.between(first, last, row) if index is not None else None
        if part is None:
            return np.empty((0, 7), np.int64)
        part[:, :2] += zero
        return part

    def _draw_marks(self, painter: QPainter) -> None:
        bench, index = self._bench, self._bench.mark_index()
        if index is None:
            words = bench.problem or "Choose at right what these wires speak."
            color = look.theme.wrong if bench.problem else look.theme.quiet
            draw_text(painter, self._marks_box(0).adjusted(4, 0, 0, 0), words, text_font(SMALL_PX), color)
            return
        current = bench.current()
        zero = bench.zero_ns + self._shifted_ns
        first, last = (time - zero for time in self._view())
        for row in range(index.lines):
            box = self._marks_box(row)
            marks = index.between(first, last, row)
            if marks is None or len(marks) > _MOST_MARKS:
                draw_density(painter, box, *index.density(first, last, max(int(box.width()), 1)))
                continue
            marks[:, :2] += zero
            draw_marks(painter, box, marks, self._view(), bench.session.form, current)

    def _draw_notes(self, painter: QPainter) -> None:
        """Draw what the file itself notes about spans of its time."""
        theme, opened = look.theme, self._bench.opened
        assert opened is not None and opened.recording is not None
        zero = self._bench.zero_ns + self._shifted_ns
        first, last = self._view()
        for note in opened.recording.annotations[:_MOST_NOTES]:
            if note.last_ns + zero < first or note.first_ns + zero > last:
                continue
            left, right = self.x_of(note.first_ns + zero), self.x_of(note.last_ns + zero)
            y = _OVERVIEW + 12
            painter.setPen(QPen(QColor(theme.quiet), 1))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            for x in (left, right):
                painter.drawLine(QPointF(x, y), QPointF(x, y + 5))
            words = QRectF(max(left, self.plot().left()) + 4, y - 13, 200, 12)
            draw_text(painter, words, note.text, text_font(TINY_PX), theme.quiet)

    def _draw_shift(self, painter: QPainter) -> None:
        """Say how far the lane is being moved."""
        if not self._shifted_ns:
            return
        box = QRectF(self.plot().left() + 8, _OVERVIEW + 8, 260, 22)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(look.theme.zest))
        painter.drawRoundedRect(box, 11, 11)
        words = (
            f"{self._bench.lane_name} {span_text(self._shifted_ns)} {'later' if self._shifted_ns > 0 else 'earlier'}"
        )
        draw_text(painter, box, words, text_font(SMALL_PX, bold=True), "#1B1208", Qt.AlignmentFlag.AlignHCenter)

    def _draw_cursor(self, painter: QPainter) -> None:
        theme, clock = look.theme, self._bench.session.clock
        for time, pen in (
            (clock.pin_ns, QPen(QColor(theme.quiet), 1, Qt.PenStyle.DashLine)),
            (clock.cursor_ns, QPen(QColor(theme.ink), 1.2)),
        ):
            if time is not None:
                painter.setPen(pen)
                x = self.x_of(time)
                painter.drawLine(QPointF(x, _OVERVIEW), QPointF(x, self.height() - _RULER))

    def _draw_gutter(self, painter: QPainter) -> None:
        theme = look.theme
        for number, (name, box) in enumerate(self.boxes().items()):
            color = theme.field(number + 1)
            role = self._role_of(name)
            draw_text(
                painter,
                QRectF(10, box.top() - 2, _GUTTER - 14, 16),
                role or name,
                text_font(SMALL_PX, bold=True),
                color,
            )
            if role:
                draw_text(painter, QRectF(10, box.top() + 13, _GUTTER - 14, 14), name, text_font(TINY_PX), theme.quiet)
            for which in ("above", "below"):
                level = self.threshold(name, which)
                if level is None:
                    continue
                pill = QRectF(10, self.y_of(name, level) - 9, _GUTTER - 26, 18)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(theme.zest))
                painter.drawRoundedRect(pill, 9, 9)
                middle = Qt.AlignmentFlag.AlignHCenter
                draw_text(painter, pill, f"{level:.3g}", figure_font(TINY_PX, bold=True), "#1B1208", middle)
        recipe = self._bench.recipe
        if recipe is not None:
            for row in range(self._mark_rows()):
                box = self._marks_box(row)
                words = recipe.speaks.split(",")[0].removeprefix("Manchester ").removeprefix("Clocked ")
                if self._mark_rows() > 1:
                    words = ("to device", "from device")[row]
                place = QRectF(10, box.top(), _GUTTER - 14, box.height())
                draw_text(painter, place, words, text_font(SMALL_PX, bold=True),
                          theme.ink)  # fmt: skip

    def _role_of(self, name: str) -> str:
        recipe = self._bench.recipe
        if recipe is None or recipe.line is None:
            return ""
        fields = lines.fields_of(recipe.line)
        kind = recipe.level(name).kind
        if kind != "threshold":
            return "envelope" if kind == "envelope" else "two tones"
        words = [f.words for f in fields if f.kind == "channel" and getattr(recipe.line, f.name) == name]
        return words[0].removesuffix(" line").removeprefix("data ") if words else ""

    def _draw_ruler(self, painter: QPainter) -> None:
        theme, clock = look.theme, self._bench.session.clock
        area = self.plot()
        first, last = self._view()
        box = QRectF(area.left(), self.height() - _RULER, area.width(), _RULER)
        painter.setPen(QColor(theme.line))
        painter.drawLine(box.topLeft(), box.topRight())
        step = _round_step((last - first) / max(area.width() / 130, 1))
        digits = max(0, min(9, 9 - int(np.floor(np.log10(max(step, 1))))))
        tick = (first - clock.first_ns) // step * step + clock.first_ns
        while tick <= last:
            x = self.x_of(tick)
            if x >= area.left():
                painter.setPen(QColor(theme.rod))
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.top() + 4))
                text = time_text(clock.seconds(tick), digits)
                draw_text(
                    painter, QRectF(x + 4, box.top() + 1, 124, _RULER - 2), text, figure_font(TINY_PX), theme.quiet
                )
            tick += step
        place = QRectF(10, box.top() + 1, _GUTTER - 14, _RULER - 2)
        draw_text(painter, place, span_text(last - first), text_font(TINY_PX),
                  theme.quiet)  # fmt: skip

    # hands

    def _grip_at(self, point: QPointF) -> tuple[str, str] | None:
        for name, box in self.boxes().items():
            for which in ("above", "below"):
                level = self.threshold(name, which)
                if level is not None and box.top() - 10 <= point.y() <= box.bottom() + 10:
                    if abs(point.y() - self.y_of(name, level)) <= _GRIP:
                        return name, which
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._bench.opened is None:
            return
        point = event.position()
        self.setFocus()
        grip = self._grip_at(point)
        if grip is not None:
            self._moving = (*grip, self.threshold(*grip) or 0.0)
            return
        where = "overview" if point.y() < _OVERVIEW else "view"
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            where = "lane"
        self._drag = (where, point, self._view())
        if where == "overview":
            self._move_overview(point)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        if self._moving is not None:
            name, which, _ = self._moving
            low, high = self.value_range(name)
            box = self.boxes()[name]
            share = min(max((box.bottom() - point.y()) / box.height(), 0.0), 1.0)
            self._moving = (name, which, low + share * (high - low))
            self.update()
        elif self._drag is not None and self._drag[0] == "overview":
            self._move_overview(point)
        elif self._drag is not None and self._drag[0] == "lane":
            self._shifted_ns = self._shift_at(point)
            self.update()
        elif self._drag is not None:
            _, start, (first, last) = self._drag
            moved = int((point.x() - start.x()) / self.plot().width() * (last - first))
            self._bench.session.clock.set_view(first - moved, last - moved)
        else:
            over = self._grip_at(point) is not None
            self.setCursor(Qt.CursorShape.SizeVerCursor if over else Qt.CursorShape.ArrowCursor)

    def _shift_at(self, point: QPointF) -> int:
        assert self._drag is not None
        first, last = self._drag[2]
        return int((point.x() - self._drag[1].x()) / self.plot().width() * (last - first))

    def _move_overview(self, point: QPointF) -> None:
        clock = self._bench.session.clock
        first, last = self._bench.span_ns
        share = (point.x() - self.plot().left()) / self.plot().width()
        middle = first + int(share * (last - first))
        half = clock.view_span_ns // 2
        clock.set_view(middle - half, middle + half)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        if self._moving is not None:
            name, which, level = self._moving
            self._bench.set_level(name, **{which: float(f"{level:.4g}")})
            self._moving = None
        elif self._drag is not None and self._drag[0] == "lane":
            shift, self._shifted_ns = self._shift_at(point), 0
            self._bench.shift(shift)
        elif self._drag is not None and self._drag[0] == "view":
            if abs(point.x() - self._drag[1].x()) < 3 and abs(point.y() - self._drag[1].y()) < 3:
                self._click(point)
        self._drag = None
        self.update()

    def _click(self, point: QPointF) -> None:
        """Put the cursor here; on a mark, at the frame it belongs to."""
        bench, time = self._bench, self.time_at(point.x())
        for row in range(self._mark_rows()):
            if self._marks_box(row).contains(point):
                marks = self.visible_marks(row)
                near = (self.plot().width() and 6 * (self._view()[1] - self._view()[0]) / self.plot().width()) or 1
                hit = marks[(marks[:, 0] - near <= time) & (time <= marks[:, 1] + near) & (marks[:, 5] >= 0)]
                if len(hit):
                    bench.go(int(hit[0, 5]))
                    return
        bench.session.clock.set_cursor(time)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._bench.show_frame(self._bench.current())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self._bench.opened is not None:
            wheel_on_time(self._bench.session.clock, event, self.time_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._bench.opened is None:
            return
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()), 0)
        if step and self._nudge(step):
            return
        if not key_on_time(self._bench.session.clock, event):
            super().keyPressEvent(event)

    def _nudge(self, step: int) -> bool:
        for name in self.boxes():
            level = self.threshold(name)
            if level is not None:
                low, high = self.value_range(name)
                self._bench.set_level(name, above=float(f"{level + step * (high - low) / 100:.4g}"))
                return True
        return False

    # events

    def _on_source(self) -> None:
        self._ranges.clear()
        self.update()

    def _on_outcome(self) -> None:
        self._ranges.clear()
        outcome = self._bench.outcome
        if outcome is not None:
            self.setAccessibleDescription(f"{len(outcome.result.frames)} frames, {len(outcome.result.marks)} marks")
        self.update()


def _round_step(step: float) -> int:
    """Return a step of 1, 2 or 5 times a power of ten that is no smaller."""
    power = 10.0 ** np.floor(np.log10(max(step, 1.0)))
    for factor in (1, 2, 5, 10):
        if factor * power >= step:
            return max(int(factor * power), 1)
    return max(int(10 * power), 1)
