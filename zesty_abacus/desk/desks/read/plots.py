"""Pictures of values that are not over time, each with its axes; worked out on a thread, drawn on whatever paints."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any
from uuid import UUID

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from ...app.doors import engine, seen
from ...app.session import Session
from ...app.traces import Trace
from ...widgets.paint import draw_text
from ...widgets.theme import TINY_PX, faded, figure_font, look, text_font
from ...widgets.words import figure_text, grouped
from .trace_plan import nice_step

_LEFT, _BOTTOM, _TOP, _RIGHT = 74, 34, 26, 24
_ANGLES = {"deg": math.pi / 180, "°": math.pi / 180, "rad": 1.0}


class Plot:
    """A picture of something in view.

    Attributes
    ----------
    title
        What it shows.
    """

    def __init__(self, session: Session, title: str) -> None:
        self._session = session
        self.title = title

    def work(self) -> Callable[[Any], Any]:
        """Return what is to be done on a thread, for the visible time."""
        raise NotImplementedError

    def draw(self, painter: QPainter, box: QRectF, made: Any) -> None:
        """Draw what came of it."""
        raise NotImplementedError

    def _span(self) -> tuple[int, int]:
        clock = self._session.clock
        return clock.view_first_ns, clock.view_last_ns


class HistogramPlot(Plot):
    """How often a field has its values."""

    def __init__(self, session: Session, trace: Trace) -> None:
        self._trace, self._field = trace, session.traces.field(trace)
        super().__init__(session, f"How often {self._field.name if self._field else '?'} has its values")

    def work(self) -> Callable[[Any], Any]:
        found, (first, last), field = self._session.figures.curve(self._trace), self._span(), self._field
        step = float(field.ratio) if field is not None and not field.is_curved else 0.0

        def reckon(_progress: Any) -> Any:
            if found is None:
                return None
            begin, end = np.searchsorted(found[1].time_ns, [first, last + 1])
            return seen.histogram(found[1].values[begin:end], abs(step))

        return reckon

    def draw(self, painter: QPainter, box: QRectF, made: Any) -> None:
        field = self._field
        unit = f"{field.name} {field.unit}".strip() if field is not None else ""
        _draw_histogram(painter, box, made, unit, look.theme.field(0))


class DistancesPlot(Plot):
    """How far apart in time frames of a message come."""

    def __init__(self, session: Session, trace: Trace) -> None:
        self._trace = trace
        super().__init__(session, f"How far apart {session.kinds.name(trace[0]) or 'frames'} come")

    def work(self) -> Callable[[Any], Any]:
        capture, kind, (first, last) = self._session.capture, self._trace[0], self._span()

        def reckon(_progress: Any) -> Any:
            times = capture.frames.times(capture.kinds.rows(kind))
            return seen.histogram(seen.distances(times, first, last) * 1e3)

        return reckon

    def draw(self, painter: QPainter, box: QRectF, made: Any) -> None:
        _draw_histogram(painter, box, made, "distance ms", look.theme.field(1))


class CloudPlot(Plot):
    """One field against another, early points faint and late ones full."""

    def __init__(self, session: Session, along: Trace, up: Trace) -> None:
        self._along, self._up = along, up
        names = [field.name if (field := session.traces.field(one)) else "?" for one in (up, along)]
        super().__init__(session, f"{names[0]} against {names[1]}")

    def work(self) -> Callable[[Any], Any]:
        curves = [self._session.figures.curve(one) for one in (self._along, self._up)]
        first, last = self._span()

        def reckon(_progress: Any) -> Any:
            if curves[0] is None or curves[1] is None:
                return None
            return seen.cloud(curves[0][1], curves[1][1], first, last)

        return reckon

    def draw(self, painter: QPainter, box: QRectF, made: Any) -> None:
        theme = look.theme
        plot = _plot(box)
        if made is None or not len(made.x):
            _say(painter, plot, "Both have no value together in view.")
            return
        spans = [_air(float(one.min()), float(one.max())) for one in (made.x, made.y)]
        words = []
        for trace in (self._along, self._up):
            field = self._session.traces.field(trace)
            words.append(f"{field.name} {field.unit}".strip() if field is not None else "")
        _draw_axes(painter, plot, spans[0], spans[1], words[0], words[1])
        x = plot.left() + (made.x - spans[0][0]) / (spans[0][1] - spans[0][0]) * plot.width()
        y = plot.bottom() - (made.y - spans[1][0]) / (spans[1][1] - spans[1][0]) * plot.height()
        painter.setPen(Qt.PenStyle.NoPen)
        # a few shades are as many as the eye tells apart, and each is set once
        shades = np.minimum((made.share * 6).astype(int), 5)
        for shade in range(6):
            painter.setBrush(faded(theme.field(0), 0.18 + 0.16 * shade))
            for place in np.flatnonzero(shades == shade).tolist():
                painter.drawEllipse(QPointF(float(x[place]), float(y[place])), 1.8, 1.8)


class ArrayOverTimePlot(Plot):
    """An array over time: time across, position up, value as shade."""

    def __init__(self, session: Session, kind: int, array_id: UUID, field_id: UUID, name: str) -> None:
        self._of = kind, array_id, field_id
        super().__init__(session, f"{name} over time")

    def work(self) -> Callable[[Any], Any]:
        return _array_work(self._session, self._of, self._span())

    def draw(self, painter: QPainter, box: QRectF, made: Any) -> None:
        plot = _plot(box).adjusted(0, 0, -60, 0)
        if made is None or not made.values.size or not np.isfinite(made.values).any():
            _say(painter, plot, "No such array in view.")
            return
        clock = self._session.clock
        first, last = self._span()
        span = clock.seconds(first), clock.seconds(last)
        low, high = float(np.nanmin(made.values)), float(np.nanmax(made.values))
        half = abs(float(made.axis[1] - made.axis[0])) / 2 if len(made.axis) > 1 else 0.5
        up = (float(made.axis.min()) - half, float(made.axis.max()) + half)
        painter.drawImage(plot, _shaded(made, self._span(), int(plot.width()), low, high))
        _draw_axes(painter, plot, span, up, "time s", f"{made.axis_name} {made.axis_unit}".strip())
        at = clock.seconds(clock.cursor_ns)
        if span[0] <= at <= span[1]:
            x = plot.left() + (at - span[0]) / (span[1] - span[0]) * plot.width()
            painter.setPen(QPen(QColor(look.theme.ink), 1.3))
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        _draw_shades(painter, plot, low, high, f"{made.name} {made.unit}".strip())


class RoundPlot(Plot):
    """An array round a point, where its axis is an angle: the frame at the cursor full, those in view faint."""

    def __init__(self, session: Session, kind: int, array_id: UUID, field_id: UUID, name: str) -> None:
        self._of = kind, array_id, field_id
        super().__init__(session, f"{name} round its angle")

    def work(self) -> Callable[[Any], Any]:
        return _array_work(self._session, self._of, self._span())

    def draw(self, painter: QPainter, box: QRectF, made: Any) -> None:
        theme = look.theme
        if made is None or not made.values.size or not np.isfinite(made.values).any():
            _say(painter, box, "No such array in view.")
            return
        radius = min(box.width(), box.height() - 20) / 2 - 26
        centre = QPointF(box.center().x(), box.center().y() + 4)
        angle = made.axis * _ANGLES.get(made.axis_unit, math.pi / 180)
        reach = float(np.nanmax(np.abs(made.values))) or 1.0
        painter.setBrush(Qt.BrushStyle.NoBrush)
        step = nice_step(reach, 4)
        rings = [number * step for number in range(1, int(reach / step + 1e-9) + 1)]
        for value in rings:
            painter.setPen(QPen(QColor(theme.line), 1))
            painter.drawEllipse(centre, radius * value / reach, radius * value / reach)
            place = QRectF(centre.x() + 3, centre.y() - radius * value / reach - 13, 90, 13)
            painter.fillRect(QRectF(place.left() - 2, place.top(), 30, 13), faded(theme.panel, 0.8))
            draw_text(painter, place, f"{figure_text(value)} {made.unit}".strip(), figure_font(10), theme.quiet)
        for degrees in range(0, 360, 30):
            turn = math.radians(degrees)
            end = QPointF(centre.x() + radius * math.sin(turn), centre.y() - radius * math.cos(turn))
            painter.setPen(QPen(faded(theme.line, 0.7), 1))
            painter.drawLine(centre, end)
            words = QRectF(end.x() + 13 * math.sin(turn) - 20, end.y() - 13 * math.cos(turn) - 7, 40, 14)
            draw_text(painter, words, f"{degrees}°", figure_font(10), theme.quiet, Qt.AlignmentFlag.AlignHCenter)
        chosen = np.linspace(0, made.values.shape[1] - 1, min(made.values.shape[1], 40)).astype(int)
        for number in np.unique(chosen).tolist():
            _draw_ring(painter, centre, radius / reach, angle, made.values[:, number], faded(theme.field(0), 0.15), 1.0)
        now = made.column_at(self._session.clock.cursor_ns)
        _draw_ring(painter, centre, radius / reach, angle, now, theme.field(0), 2.0)
        said = f"{made.name} by {made.axis_name}; full: the frame at the cursor, faint: those in view"
        foot = QRectF(box.left() + 10, box.bottom() - 16, box.width() - 20, 14)
        draw_text(painter, foot, said, text_font(TINY_PX), theme.quiet)


def is_angle(unit: str) -> bool:
    """Return whether an axis of this unit goes round."""
    return unit in _ANGLES


# parts


def _array_work(session: Session, of: tuple[int, UUID, UUID], span: tuple[int, int]) -> Callable[[Any], Any]:
    meaning = session.reading.meaning

    def reckon(progress: Any) -> Any:
        try:
            return seen.array_picture(meaning, *of, *span, progress)  # type: ignore[arg-type]
        except engine.AbacusError:
            return None

    return reckon


def _plot(box: QRectF) -> QRectF:
    return box.adjusted(_LEFT, _TOP, -_RIGHT, -_BOTTOM)


def _air(low: float, high: float) -> tuple[float, float]:
    air = (high - low) * 0.05 or max(abs(low) * 0.05, 0.5)
    return low - air, high + air


def _say(painter: QPainter, box: QRectF, words: str) -> None:
    draw_text(painter, box, words, text_font(), look.theme.quiet, Qt.AlignmentFlag.AlignHCenter)


def _draw_axes(
    painter: QPainter,
    plot: QRectF,
    along: tuple[float, float],
    up: tuple[float, float],
    along_words: str,
    up_words: str,
) -> None:
    """Draw the frame of a plot with ticks at round numbers, and what both axes are."""
    theme = look.theme
    font = figure_font(10)
    for value in _ticks(along, plot.width() / 90):
        x = plot.left() + (value - along[0]) / (along[1] - along[0]) * plot.width()
        painter.setPen(QPen(faded(theme.line, 0.8), 1))
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        draw_text(painter, QRectF(x - 45, plot.bottom() + 1, 90, 14), _tick(value), font, theme.quiet,
                  Qt.AlignmentFlag.AlignHCenter)  # fmt: skip
    for value in _ticks(up, plot.height() / 45):
        y = plot.bottom() - (value - up[0]) / (up[1] - up[0]) * plot.height()
        painter.setPen(QPen(faded(theme.line, 0.8), 1))
        painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
        draw_text(painter, QRectF(plot.left() - _LEFT + 4, y - 7, _LEFT - 10, 14), _tick(value), font, theme.quiet,
                  Qt.AlignmentFlag.AlignRight)  # fmt: skip
    tiny = text_font(TINY_PX)
    foot = QRectF(plot.left(), plot.bottom() + 14, plot.width(), 16)
    draw_text(painter, foot, along_words, tiny, theme.ink, Qt.AlignmentFlag.AlignRight)
    draw_text(painter, QRectF(plot.left() - _LEFT + 10, plot.top() - 20, 300, 16), up_words, tiny, theme.ink)


def _ticks(span: tuple[float, float], parts: float) -> list[float]:
    step = nice_step(span[1] - span[0], max(int(parts), 2))
    return [number * step for number in range(math.ceil(span[0] / step), math.floor(span[1] / step) + 1)]


def _tick(value: float) -> str:
    return figure_text(value)


def _draw_histogram(painter: QPainter, box: QRectF, made: Any, words: str, color: QColor) -> None:
    plot = _plot(box)
    if made is None or not made.total:
        _say(painter, plot, "No value in view.")
        return
    along, most = (float(made.edges[0]), float(made.edges[-1])), float(made.counts.max())
    _draw_axes(painter, plot, along, (0.0, most * 1.05), words, f"{grouped(made.total)} in view")
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(faded(color, 0.75))
    left = plot.left() + (made.edges - along[0]) / (along[1] - along[0]) * plot.width()
    for number, count in enumerate(made.counts.tolist()):
        if count:
            # what is there is seen, however little beside the rest
            tall = max(count / (most * 1.05) * plot.height(), 1.0)
            wide = max(float(left[number + 1] - left[number]) - 1, 1.0)
            painter.drawRect(QRectF(float(left[number]), plot.bottom() - tall, wide, tall))


def _shaded(made: Any, span: tuple[int, int], width: int, low: float, high: float) -> QImage:
    """Return a picture of the array: a column of the screen shows the newest frame up to it."""
    edges = span[0] + (np.arange(max(width, 2)) + 0.5) * ((span[1] - span[0]) / max(width, 2))
    place = np.searchsorted(made.time_ns, edges, side="right") - 1
    values = np.where(place >= 0, made.values[:, np.maximum(place, 0)], np.nan)
    share = (values - low) / ((high - low) or 1.0)
    paper, ink = (np.array([one.red(), one.green(), one.blue()], float) for one in _shade_ends())
    rgb = paper + np.nan_to_num(share)[..., None] * (ink - paper)
    rgb[np.isnan(share)] = [(one := QColor(look.theme.paper)).red(), one.green(), one.blue()]
    # the first item at the bottom, as on any axis
    picture = np.ascontiguousarray(rgb[::-1].astype(np.uint8))
    image = QImage(
        picture.tobytes(), picture.shape[1], picture.shape[0], picture.shape[1] * 3, QImage.Format.Format_RGB888
    )
    return image.copy()


def _shade_ends() -> tuple[QColor, QColor]:
    theme = look.theme
    return QColor(theme.chip), theme.field(0).darker(150) if theme.name == "Peel" else theme.field(0).lighter(130)


def _draw_shades(painter: QPainter, plot: QRectF, low: float, high: float, words: str) -> None:
    """Draw which shade is which value."""
    paper, ink = _shade_ends()
    bar = QRectF(plot.right() + 16, plot.top(), 10, plot.height())
    for number in range(40):
        share = number / 39
        mixed = QColor(*(round(a + share * (b - a)) for a, b in zip(paper.getRgb()[:3], ink.getRgb()[:3], strict=True)))  # type: ignore[operator,misc]
        painter.fillRect(QRectF(bar.left(), bar.bottom() - (number + 1) * bar.height() / 40, 10, bar.height() / 40 + 1),
                         mixed)  # fmt: skip
    for value, top in ((high, bar.top() - 4), (low, bar.bottom() - 10)):
        draw_text(painter, QRectF(bar.right() + 3, top, 56, 14), _tick(value), figure_font(10), look.theme.quiet)
    above = QRectF(plot.right() - 160, plot.top() - 20, 240, 16)
    draw_text(painter, above, words, text_font(TINY_PX), look.theme.ink, Qt.AlignmentFlag.AlignRight)


def _draw_ring(
    painter: QPainter, centre: QPointF, scale: float, angle: np.ndarray, values: np.ndarray, color: QColor, width: float
) -> None:
    known = np.flatnonzero(np.isfinite(values))
    if not len(known):
        return
    x = centre.x() + values[known] * scale * np.sin(angle[known])
    y = centre.y() - values[known] * scale * np.cos(angle[known])
    points = [QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)]
    painter.setPen(QPen(color, width))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    turn = np.ptp(angle) + (np.ptp(angle) / (len(angle) - 1) if len(angle) > 1 else 0)
    if turn >= 2 * math.pi - 1e-6 and len(known) == len(angle):
        painter.drawPolygon(QPolygonF(points))
    else:
        painter.drawPolyline(QPolygonF(points))
    if width > 1 and len(points) <= 90:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        for point in points:
            painter.drawEllipse(point, 2.4, 2.4)
