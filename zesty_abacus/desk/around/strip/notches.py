"""Problems as notches at the lower edge of their lane on the strip."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PyQt6.QtCore import QLineF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from ...app.session import Session
from ...widgets.theme import look
from .scale import TOP, StripScale

_TALL = 7
_NEXT = 4
"""Columns no further apart than this are of one stretch."""
_LONG = 24
"""A stretch of more columns is a line: notches side by side would hide the lane, and not say where it began."""


class StripNotches:
    """Draws a notch for each column of a lane in which something is wrong; where it goes on and on, a thin line."""

    def __init__(self, session: Session, scale: StripScale) -> None:
        self._session = session
        self._scale = scale

    def columns(self, lane: int) -> list[int]:
        """Return the columns of the strip in which something is wrong on a lane."""
        found = self._session.problems.notches
        if found is None or lane >= len(found):
            return []
        plot = self._scale.plot()
        places = np.flatnonzero(found[lane]) / found.shape[1] * plot.width() + plot.left()
        return np.unique(places.astype(int)).tolist()

    def draw(self, painter: QPainter, tall: int) -> None:
        """Paint them; ``tall`` is the height of a lane."""
        pen = QPen(QColor(look.theme.wrong), 2)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        painter.setPen(pen)
        for lane in range(len(self._session.capture.lanes)):
            lines = list(_lines(self.columns(lane), TOP + (lane + 1) * tall, min(_TALL, tall - 1)))
            if lines:
                painter.drawLines(*lines)


def _lines(columns: list[int], bottom: int, tall: int) -> Iterator[QLineF]:
    """Yield a notch for each column, and for a long stretch one where it begins and a line under all of it."""
    breaks = np.flatnonzero(np.diff(columns) > _NEXT) + 1
    for stretch in np.split(np.array(columns, np.int64), breaks):
        if len(stretch) > _LONG:
            yield QLineF(stretch[0], bottom - 1, stretch[-1] + 1, bottom - 1)
            stretch = stretch[:1]
        for x in stretch.tolist():
            yield QLineF(x, bottom - tall, x, bottom)
