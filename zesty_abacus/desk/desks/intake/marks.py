"""Draws decoded stretches of a wave: flags for starts and stops, capsules for addresses and data, rings and crosses."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from ...widgets.paint import draw_text
from ...widgets.theme import SMALL_PX, TINY_PX, Theme, faded, figure_font, look, text_font

(
    START, RESTART, STOP, ADDRESS, DATA, TAKEN, REFUSED, CHECK, SYNC, BREAK, ERROR, CONTROL, LEADER, BITS, ENOUGH,
) = range(1, 16)  # fmt: skip
_CAPSULES = (ADDRESS, DATA, CHECK, SYNC, BREAK, ERROR, CONTROL, LEADER, BITS)
_MOST_DRAWN = 900
_WORDS = {SYNC: "sync", BREAK: "break", LEADER: "leader", ERROR: "broken", CONTROL: "control", CHECK: "check"}
_FIELD = {ADDRESS: 1, DATA: 4, CHECK: 2, SYNC: 5, BREAK: 3, CONTROL: 6, LEADER: 5, BITS: 0}


class MarkIndex:
    """The marks of an outcome, made ready to be found by time at any zoom.

    Parameters
    ----------
    rows : int64 (n, 7)
        In order of their start.
    """

    def __init__(self, rows: np.ndarray) -> None:
        self.rows = rows
        # searching a column of a table would copy it each time
        self._starts = np.ascontiguousarray(rows[:, 0])
        self._faults = np.ascontiguousarray(rows[(rows[:, 4] != 0) | (rows[:, 2] == ERROR), 0])
        self.lines = int(rows[:, 6].max()) + 1 if len(rows) else 1

    def between(self, first_ns: int, last_ns: int, line: int) -> np.ndarray | None:
        """Return copies of the marks of a line in a span; None if they are too many to be drawn one by one."""
        # marks overlap little: a few before the first one in view may still reach into it
        begin = max(int(np.searchsorted(self._starts, first_ns)) - 64, 0)
        end = int(np.searchsorted(self._starts, last_ns, side="right"))
        if end - begin > _MOST_DRAWN * 4:
            return None
        part = self.rows[begin:end]
        return part[(part[:, 1] >= first_ns) & (part[:, 6] == line)].copy()

    def density(self, first_ns: int, last_ns: int, columns: int) -> tuple[np.ndarray, np.ndarray]:
        """Return which of equal parts of a span hold marks, and which hold faults; bool (columns,) each."""
        bounds = first_ns + (np.arange(columns + 1) * ((last_ns - first_ns) / columns)).astype(np.int64)
        some, wrong = (np.diff(np.searchsorted(starts, bounds)) > 0 for starts in (self._starts, self._faults))
        return some, wrong


def mark_text(kind: int, value: int, form: str) -> str:
    """Return what stands in a mark: a word, or its value in the way payloads are shown."""
    if kind == BITS and form == "bin":
        return f"{value:b}"
    if kind in (SYNC, LEADER, BREAK):
        return _WORDS[kind]
    if form == "dec":
        return str(value)
    if form == "bin":
        return f"{value:08b}"
    if form == "text" and 32 <= value < 127:
        return chr(value)
    return f"{value:02X}"


def mark_color(kind: int, theme: Theme) -> QColor:
    """Return the colour of a kind of mark."""
    return QColor(theme.wrong) if kind == ERROR else theme.field(_FIELD.get(kind, 0))


def draw_marks(
    painter: QPainter, rect: QRectF, rows: np.ndarray, span_ns: tuple[int, int], form: str, chosen: int,
    address_text: Callable[[int], str | None],
) -> None:  # fmt: skip
    """Draw the marks that lie in a span.

    Parameters
    ----------
    rows
        Marks in the span, times on the same clock as the span.
    chosen
        Number of the frame at the cursor, whose marks stand out.
    address_text
        How the line code writes an address that says more than a number; None if it does not.
    """
    scale = rect.width() / max(span_ns[1] - span_ns[0], 1)
    for start, end, kind, value, flags, frame, _ in rows:
        left = rect.left() + (int(start) - span_ns[0]) * scale
        width = max((int(end) - int(start)) * scale, 0.0)
        place = QRectF(left, rect.top(), width, rect.height())
        if kind in _CAPSULES:
            text = address_text(int(value)) if kind == ADDRESS else None
            text = mark_text(int(kind), int(value), form) if text is None else text
            _draw_capsule(painter, place, rect, int(kind), text, int(flags), int(frame) == chosen)
        else:
            _draw_sign(painter, place, rect, int(kind))


def draw_density(painter: QPainter, rect: QRectF, some: np.ndarray, wrong: np.ndarray) -> None:
    """Draw where marks are when they are too many to be told apart; faults stand below as notches."""
    theme = look.theme
    middle = rect.center().y()
    painter.setPen(Qt.PenStyle.NoPen)
    for columns, color, top, wide, tall in (
        (some, faded(theme.good, 0.55), middle - 9, 1, 18),
        (wrong, QColor(theme.wrong), middle + 11, 3, 5),
    ):
        rects = [QRectF(rect.left() + float(n) - wide // 2, top, wide, tall) for n in np.flatnonzero(columns)]
        painter.setBrush(color)
        if rects:
            painter.drawRects(*rects)


def _draw_capsule(
    painter: QPainter, place: QRectF, rect: QRectF, kind: int, text: str, flags: int, chosen: bool
) -> None:
    theme = look.theme
    left, right = max(place.left(), rect.left() - 20), min(place.right(), rect.right() + 20)
    box = QRectF(left, rect.center().y() - 13, max(right - left, 1.0), 26)
    color = mark_color(ERROR if flags else kind, theme)
    painter.setPen(
        QPen(color, 1.8 if chosen else 1.0, Qt.PenStyle.DashLine if kind in (BITS, ERROR) else Qt.PenStyle.SolidLine)
    )
    painter.setBrush(faded(color, 0.30 if chosen else 0.15))
    if box.width() < 4:
        painter.drawRect(box)
        return
    radius = min(13.0, box.width() / 2)
    painter.drawRoundedRect(box, radius, radius)
    seen = box.intersected(rect)
    painter.setFont(figure_font(SMALL_PX, bold=True))
    if painter.fontMetrics().horizontalAdvance(text) + 4 <= seen.width():
        word = _WORDS.get(kind, "") if kind not in (SYNC, LEADER, BREAK) else ""
        middle = Qt.AlignmentFlag.AlignHCenter
        if word and seen.width() > 60:
            draw_text(painter, seen.adjusted(0, -2, 0, -8), text, figure_font(SMALL_PX, bold=True), theme.ink, middle)
            draw_text(painter, seen.adjusted(0, 12, 0, 2), word, text_font(TINY_PX - 1), theme.quiet, middle)
        else:
            draw_text(painter, seen, text, figure_font(SMALL_PX, bold=True), theme.ink, middle)


def _draw_sign(painter: QPainter, place: QRectF, rect: QRectF, kind: int) -> None:
    """Draw what is a moment: start and stop as pennants, an acknowledge as a dot, a refusal as a cross.

    Where a reader wants no more the dot is a ring.
    """
    theme = look.theme
    x, y = place.center().x(), rect.center().y()
    painter.setPen(QPen(QColor(theme.ink), 1.4))
    if kind in (START, RESTART, STOP):
        turn = -8 if kind == STOP else 8
        painter.setBrush(QColor(theme.ink) if kind != RESTART else QColor(theme.paper))
        painter.drawLine(QPointF(x, y - 13), QPointF(x, y + 13))
        painter.drawPolygon(QPolygonF([QPointF(x, y - 13), QPointF(x + turn, y - 8), QPointF(x, y - 3)]))
        return
    if kind == ENOUGH:
        painter.setPen(QPen(QColor(theme.good), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, y), 3.2, 3.2)
        return
    if kind == TAKEN:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.good))
        painter.drawEllipse(QPointF(x, y), 3.2, 3.2)
        return
    painter.setPen(QPen(QColor(theme.wrong), 2))
    painter.drawLine(QPointF(x - 4, y - 4), QPointF(x + 4, y + 4))
    painter.drawLine(QPointF(x - 4, y + 4), QPointF(x + 4, y - 4))
