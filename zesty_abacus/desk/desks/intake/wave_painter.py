"""Draws the waves of a source: overview, channels with thresholds, marks, notes, cursor and ruler."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QFontMetricsF,
    QPainter,
    QPen,
)
from PyQt6.QtWidgets import QWidget

from ...app.doors import lines
from ...widgets.paint import draw_text
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ...widgets.words import span_text, time_text
from .bench import Bench
from .channel_pictures import draw_edges, draw_following, draw_samples
from .marks import draw_density, draw_marks
from .wave_place import GUTTER, OVERVIEW, RULER, WavePlace

_MOST_NOTES = 500
_MOST_MARKS = 900


class WavePainter:
    """Paints what a :class:`WavePlace` lays out."""

    def __init__(self, widget: QWidget, place: WavePlace, bench: Bench) -> None:
        self._widget, self._place, self._bench = widget, place, bench

    def paint(self, painter: QPainter) -> None:
        """Draw everything there is."""
        bench = self._bench
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self._widget.rect(), QColor(look.theme.paper))
        if bench.opened is None or bench.opened.recording is None:
            return
        self._draw_overview(painter)
        painter.save()
        painter.setClipRect(self._place.plot().adjusted(-1, OVERVIEW, 1, 0))
        for number, channel in enumerate(self._place.channels()):
            self._draw_channel(painter, number, channel)
        self._draw_marks(painter)
        self._draw_notes(painter)
        self._draw_cursor(painter)
        self._draw_shift(painter)
        painter.restore()
        self._draw_gutter(painter)
        self._draw_ruler(painter)

    def _draw_overview(self, painter: QPainter) -> None:
        """Draw where frames are in the whole recording, and the part in view."""
        theme, bench = look.theme, self._bench
        area = QRectF(self._place.plot().left(), 6, self._place.plot().width(), OVERVIEW - 12)
        first, last = bench.span_ns
        scale = area.width() / max(last - first, 1)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.chip))
        painter.drawRoundedRect(area, 4, 4)
        columns = max(int(area.width()), 1)
        busy, wrong = bench.frames.overview(columns)
        painter.setBrush(faded(theme.good, 0.75))
        for run in np.split(busy, np.flatnonzero(np.diff(busy) > 1) + 1):
            if len(run):
                place = QRectF(area.left() + float(run[0]), area.top() + 3, float(len(run)), area.height() - 6)
                painter.drawRect(place)
        painter.setBrush(QColor(theme.wrong))
        for column in wrong:
            painter.drawRect(QRectF(area.left() + float(column) - 1, area.bottom() - 4, 3, 6))
        view = self._place.view()
        left, right = (area.left() + (np.clip(t, first, last) - first) * scale for t in view)
        bracket = QRectF(left, area.top() - 3, max(right - left, 4), area.height() + 6)
        painter.setPen(QPen(QColor(theme.zest), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for x, turn in ((bracket.left(), 5), (bracket.right(), -5)):
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x, bracket.bottom()))
            painter.drawLine(QPointF(x, bracket.top()), QPointF(x + turn, bracket.top()))
            painter.drawLine(QPointF(x, bracket.bottom()), QPointF(x + turn, bracket.bottom()))

    def _draw_channel(self, painter: QPainter, number: int, channel: lines.Channel) -> None:
        box = self._place.boxes()[channel.name]
        color = look.theme.field(number + 1)
        line = self._place.line(channel.name)
        wave = line.wave if line is not None and line.wave is not None else channel.samples
        zero = self._place.zero_ns
        first, last = (time - zero for time in self._place.view())
        if wave is not None and not wave.is_iq and len(wave.lows):
            draw_samples(painter, box, wave, (first, last), self._place.value_range(channel.name), color)
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
            draw_following(painter, box, line.wave, line.threshold, span, self._place.value_range(name))
        for which in ("above", "below"):
            level = self._place.threshold(name, which)
            if level is None:
                continue
            y = self._place.y_of(name, level)
            band_half = (line.setting.dead_band or 0.0) / 2 if line is not None else 0.0
            top, bottom = self._place.y_of(name, level + band_half), self._place.y_of(name, level - band_half)
            painter.fillRect(QRectF(box.left(), top, box.width(), bottom - top), faded(theme.zest, 0.08))
            painter.setPen(QPen(QColor(theme.zest), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))

    def _draw_marks(self, painter: QPainter) -> None:
        bench, index = self._bench, self._bench.frames.marks()
        if index is None:
            words = bench.problem or "Choose at right what these wires speak."
            color = look.theme.wrong if bench.problem else look.theme.quiet
            draw_text(painter, self._place.marks_box(0).adjusted(4, 0, 0, 0), words, text_font(SMALL_PX), color)
            return
        current = bench.frames.current()
        zero = self._place.zero_ns
        first, last = (time - zero for time in self._place.view())
        for row in range(index.lines):
            box = self._place.marks_box(row)
            marks = index.between(first, last, row)
            if marks is None or len(marks) > _MOST_MARKS:
                draw_density(painter, box, *index.density(first, last, max(int(box.width()), 1)))
                continue
            marks[:, :2] += zero
            draw_marks(painter, box, marks, self._place.view(), bench.session.form.asked, current, self._address_text)

    def _address_text(self, value: int) -> str | None:
        """Return an address of the line in hand as its code writes it."""
        recipe = self._bench.recipe
        return lines.address_text(recipe.line, value) if recipe is not None else None

    def _draw_notes(self, painter: QPainter) -> None:
        """Draw what the file itself notes about spans of its time."""
        theme, opened = look.theme, self._bench.opened
        assert opened is not None and opened.recording is not None
        zero = self._place.zero_ns
        first, last = self._place.view()
        for note in opened.recording.annotations[:_MOST_NOTES]:
            if note.last_ns + zero < first or note.first_ns + zero > last:
                continue
            left, right = self._place.x_of(note.first_ns + zero), self._place.x_of(note.last_ns + zero)
            y = OVERVIEW + 12
            painter.setPen(QPen(QColor(theme.quiet), 1))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            for x in (left, right):
                painter.drawLine(QPointF(x, y), QPointF(x, y + 5))
            words = QRectF(max(left, self._place.plot().left()) + 4, y - 13, 200, 12)
            draw_text(painter, words, note.text, text_font(TINY_PX), theme.quiet)

    def _draw_shift(self, painter: QPainter) -> None:
        """Say how far the lane is being moved."""
        if not self._place.shifted_ns:
            return
        box = QRectF(self._place.plot().left() + 8, OVERVIEW + 8, 260, 22)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(look.theme.zest))
        painter.drawRoundedRect(box, 11, 11)
        shift = self._place.shifted_ns
        words = f"{self._bench.lane_name} {span_text(shift)} {'later' if shift > 0 else 'earlier'}"
        draw_text(painter, box, words, text_font(SMALL_PX, bold=True), "#1B1208", Qt.AlignmentFlag.AlignHCenter)

    def _draw_cursor(self, painter: QPainter) -> None:
        theme, clock = look.theme, self._bench.session.clock
        for time, pen in (
            (clock.pin_ns, QPen(QColor(theme.quiet), 1, Qt.PenStyle.DashLine)),
            (clock.cursor_ns, QPen(QColor(theme.ink), 1.2)),
        ):
            if time is not None:
                painter.setPen(pen)
                x = self._place.x_of(time)
                painter.drawLine(QPointF(x, OVERVIEW), QPointF(x, self._widget.height() - RULER))

    def _draw_gutter(self, painter: QPainter) -> None:
        theme = look.theme
        for number, (name, box) in enumerate(self._place.boxes().items()):
            color = theme.field(number + 1)
            role = self._role_of(name)
            draw_text(
                painter,
                QRectF(10, box.top() - 2, GUTTER - 14, 16),
                role or name,
                text_font(SMALL_PX, bold=True),
                color,
            )
            if role:
                draw_text(painter, QRectF(10, box.top() + 13, GUTTER - 14, 14), name, text_font(TINY_PX), theme.quiet)
            for which in ("above", "below"):
                level = self._place.threshold(name, which)
                if level is None:
                    continue
                pill = QRectF(10, self._place.y_of(name, level) - 9, GUTTER - 26, 18)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(theme.zest))
                painter.drawRoundedRect(pill, 9, 9)
                middle = Qt.AlignmentFlag.AlignHCenter
                draw_text(painter, pill, f"{level:.3g}", figure_font(TINY_PX, bold=True), "#1B1208", middle)
        recipe = self._bench.recipe
        if recipe is not None:
            for row in range(self._place.mark_rows()):
                box = self._place.marks_box(row)
                words = recipe.speaks.split(",")[0].removeprefix("Manchester ").removeprefix("Clocked ")
                if self._place.mark_rows() > 1:
                    words = ("to device", "from device")[row]
                place = QRectF(10, box.top(), GUTTER - 14, box.height())
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
        area = self._place.plot()
        first, last = self._place.view()
        box = QRectF(area.left(), self._widget.height() - RULER, area.width(), RULER)
        painter.setPen(QColor(theme.line))
        painter.drawLine(box.topLeft(), box.topRight())
        step = _round_step((last - first) / max(area.width() / 130, 1))
        digits = max(0, min(9, 9 - int(np.floor(np.log10(max(step, 1))))))
        tick = (first - clock.first_ns) // step * step + clock.first_ns
        while tick <= last:
            x = self._place.x_of(tick)
            if x >= area.left():
                painter.setPen(QColor(theme.rod))
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.top() + 4))
                self._draw_time(painter, x, box, time_text(clock.seconds(tick), digits))
            tick += step
        place = QRectF(10, box.top() + 1, GUTTER - 14, RULER - 2)
        draw_text(painter, place, span_text(last - first), text_font(TINY_PX),
                  theme.quiet)  # fmt: skip

    def _draw_time(self, painter: QPainter, x: float, box: QRectF, text: str) -> None:
        """Write a time behind its tick, or before it where it would be cut off at the right end."""
        font = figure_font(TINY_PX)
        place = QRectF(x + 4, box.top() + 1, 124, RULER - 2)
        is_cut = x + 4 + QFontMetricsF(font).horizontalAdvance(text) > self._widget.width()
        if is_cut:
            place.moveRight(x - 4)
        side = Qt.AlignmentFlag.AlignRight if is_cut else Qt.AlignmentFlag.AlignLeft
        draw_text(painter, place, text, font, look.theme.quiet, side)


def _round_step(step: float) -> int:
    """Return a step of 1, 2 or 5 times a power of ten that is no smaller."""
    power = 10.0 ** np.floor(np.log10(max(step, 1.0)))
    for factor in (1, 2, 5, 10):
        if factor * power >= step:
            return max(int(factor * power), 1)
    return max(int(10 * power), 1)
