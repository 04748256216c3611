"""Painting shared by the custom widgets: curves from screen columns, ribbons, elided words."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPen, QPolygonF

from .theme import Theme
from .told import tell

if TYPE_CHECKING:
    from ...core.frames.decimate import Curve


def draw_curve(
    painter: QPainter,
    curve: Curve,
    rect: QRectF,
    span_ns: tuple[int, int],
    value_range: tuple[float, float],
    color: QColor,
    width: float = 1.4,
) -> None:
    """Draw a curve into a rectangle, reduced to its pixels.

    The line is laid into a picture column by column: stroking a long line that goes up and down takes Qt a
    hundred times as long.
    """
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    columns, rows = max(int(rect.width() * ratio), 2), max(int(rect.height() * ratio), 2)
    lowest, highest = curve.columns(span_ns[0], span_ns[1], columns).band()
    image = curve_image((lowest, highest), value_range, rows, color, width * ratio)
    image.setDevicePixelRatio(ratio)
    painter.drawImage(QPointF(rect.left(), rect.top() - _CURVE_EDGE), image)


def draw_reference(
    painter: QPainter, curve: Curve, plot: QRectF, span: tuple[int, int], shown: tuple[float, float], color: QColor
) -> None:
    """Draw readings joined by a broken line, and as points where there are few."""
    begin = max(int(np.searchsorted(curve.time_ns, span[0])) - 1, 0)
    end = int(np.searchsorted(curve.time_ns, span[1])) + 1
    step = max((end - begin) // _MOST_POINTS, 1)
    times, values = curve.time_ns[begin:end:step], curve.values[begin:end:step]
    known = ~np.isnan(values)
    x = plot.left() + (times[known] - span[0]) / (span[1] - span[0]) * plot.width()
    y = plot.bottom() - (values[known] - shown[0]) / (shown[1] - shown[0]) * plot.height()
    points = [QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)]
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(color, 1.6, Qt.PenStyle.DashLine))
    painter.drawPolyline(QPolygonF(points))
    if len(points) <= _FEW_READINGS:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        for point in points:
            painter.drawEllipse(point, 2.6, 2.6)


_MOST_POINTS = 4_000
_FEW_READINGS = 60
_CURVE_EDGE = 2
"""Pixels above and below a curve's rectangle, so that its extremes keep their full thickness."""


def curve_image(
    band: tuple[NDArray[np.float64], NDArray[np.float64]],
    value_range: tuple[float, float],
    rows: int,
    color: QColor,
    width: float,
) -> QImage:
    """Return a picture of a line: every pixel as opaque as the part of it that the line covers.

    Parameters
    ----------
    band
        Lowest and highest value in each column, NaN for none; float64 (columns,) each.
    value_range
        Values at the bottom and the top.
    rows
        Height of the range in pixels; the picture has a little more at both ends.
    width
        Thickness of the line in pixels.
    """
    low, high = value_range
    scale = rows / (high - low or 1.0)
    top = ((high - band[1]) * scale + (_CURVE_EDGE - width / 2)).astype(np.float32)
    bottom = ((high - band[0]) * scale + (_CURVE_EDGE + width / 2)).astype(np.float32)
    y = np.arange(rows + 2 * _CURVE_EDGE, dtype=np.float32)[:, None]
    covered = np.minimum(y + 1, bottom) - np.maximum(y, top)
    # NaN, where there is no line, becomes no cover
    opacity = (np.fmin(np.fmax(covered, 0), 1) * 255).astype(np.uint8)
    stride = (opacity.shape[1] + 3) // 4 * 4
    padded = np.zeros((opacity.shape[0], stride), np.uint8)
    padded[:, : opacity.shape[1]] = opacity
    image = QImage(padded.tobytes(), opacity.shape[1], opacity.shape[0], stride, QImage.Format.Format_Indexed8)
    image.setColorTable(_opacities(color.rgba()))
    return image.copy()


@lru_cache(64)
def _opacities(rgba: int) -> list[int]:
    """Return a colour in 256 steps of opacity, up to its own."""
    own = rgba >> 24
    return [(own * step // 255) << 24 | rgba & 0xFFFFFF for step in range(256)]


def padded_range(low: float, high: float) -> tuple[float, float]:
    """Return a range with a little air, never empty."""
    if not np.isfinite(low) or not np.isfinite(high):
        return 0.0, 1.0
    if low == high:
        return low - 0.5, high + 0.5
    air = (high - low) * 0.06
    return low - air, high + air


@lru_cache(8192)
def _elided(text: str, font_key: str, width: int, middle: bool) -> str:
    mode = Qt.TextElideMode.ElideMiddle if middle else Qt.TextElideMode.ElideRight
    return _metrics(font_key).elidedText(text, mode, width)


@lru_cache(64)
def _metrics(font_key: str) -> QFontMetricsF:
    font = QFont()
    font.fromString(font_key)
    return QFontMetricsF(font)


@lru_cache(8192)
def _advance(text: str, font_key: str) -> float:
    return _metrics(font_key).horizontalAdvance(text)


def advance(text: str, font: QFont) -> float:
    """Return how wide words are, in pixels; what was asked for before is known."""
    return _advance(text, font.key())


def elided(text: str, font: QFont, width: float, *, middle: bool = False) -> str:
    """Shorten words to a width, at their end or in the middle; what was asked for before is known."""
    return _elided(text, font.key(), int(width), middle)


def draw_text(
    painter: QPainter,
    rect: QRectF,
    text: str,
    font: QFont,
    color: QColor | str,
    align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
    *,
    middle: bool = False,
) -> None:
    """Draw one line of words, shortened to the rectangle; names that differ at their end in the ``middle``."""
    painter.setFont(font)
    painter.setPen(QColor(color))
    tell(painter, rect, text, at_right=bool(align & Qt.AlignmentFlag.AlignRight))
    shown = elided(text, font, rect.width(), middle=middle)
    painter.drawText(rect, align | Qt.AlignmentFlag.AlignVCenter, shown)


def draw_sentence(painter: QPainter, rect: QRectF, text: str, font: QFont, color: QColor | str, lines: int = 2) -> None:
    """Draw words in as many lines as they take, up to ``lines``; only the last of them is shortened."""
    painter.setFont(font)
    painter.setPen(QColor(color))
    tell(painter, rect, text)
    height = rect.height() / lines
    for number, said in enumerate(_wrapped(text, font.key(), int(rect.width()), lines)):
        line = QRectF(rect.left(), rect.top() + number * height, rect.width(), height)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, said)


@lru_cache(maxsize=4096)
def _wrapped(text: str, font_key: str, width: int, lines: int) -> tuple[str, ...]:
    """Return a text in lines of whole words; what the last one has no room for is left out."""
    metrics, rest = _metrics(font_key), text.split(" ")
    made: list[str] = []
    while rest and len(made) < lines - 1:
        count = len(rest)
        while count > 1 and metrics.horizontalAdvance(" ".join(rest[:count])) > width:
            count -= 1
        made.append(_elided(" ".join(rest[:count]), font_key, width, False))
        rest = rest[count:]
    return (*made, _elided(" ".join(rest), font_key, width, False)) if rest else tuple(made)


def draw_ribbon(
    painter: QPainter,
    rect: QRectF,
    moves: NDArray[np.bool_],
    owners: NDArray[np.int16],
    theme: Theme,
) -> None:
    """Draw the bits of a kind in a row, highest bit of each byte left: explained, unexplained, still.

    Explained bits are full height, unexplained ones half height, still ones a hairline, so that the picture
    reads without colour.
    """
    count = len(moves)
    if not count:
        return
    bytes_ = count // 8
    gap = 3.0 if bytes_ <= 8 else 1.0 if bytes_ <= 24 else 0.0
    step = (rect.width() - gap * (bytes_ - 1)) / count
    explained, unexplained, still = [], [], []
    for bit in range(count):
        byte, inner = divmod(bit, 8)
        x = rect.left() + (byte * 8 + 7 - inner) * step + byte * gap
        width = max(step - 0.7, 0.6)
        if not moves[bit]:
            still.append(QRectF(x, rect.center().y() - 0.5, width, 1.0))
        elif owners[bit] >= 0:
            explained.append(QRectF(x, rect.top(), width, rect.height()))
        else:
            unexplained.append(QRectF(x, rect.top() + rect.height() / 4, width, rect.height() / 2))
    painter.setPen(Qt.PenStyle.NoPen)
    for rects, color in ((explained, theme.fields[0]), (unexplained, theme.unexplained), (still, theme.rod)):
        painter.setBrush(QColor(color))
        if rects:
            painter.drawRects(*rects)


def byte_owners(owners: NDArray[np.int16], count: int) -> list[int]:
    """Return, for each of the first bytes, the field that owns most of its bits, -1 for none.

    Parameters
    ----------
    owners : int16 (n,)
        Owner of each bit, -1 for none.
    """
    found = []
    for byte in range(count):
        owned = owners[byte * 8 : byte * 8 + 8]
        owned = owned[owned >= 0]
        found.append(int(np.bincount(owned).argmax()) if len(owned) else -1)
    return found
