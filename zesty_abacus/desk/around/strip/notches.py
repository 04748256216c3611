"""Problems as notches at the lower edge of their lane on the strip."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QPointF
from PyQt6.QtGui import QColor, QPainter, QPen

from ...app.session import Session
from ...widgets.theme import look
from .scale import TOP, StripScale

_TALL = 5


class StripNotches:
    """Draws a notch for each column of a lane in which something is wrong."""

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
        painter.setPen(QPen(QColor(look.theme.wrong), 2))
        long = min(_TALL, tall - 1)
        for lane in range(len(self._session.capture.lanes)):
            bottom = TOP + (lane + 1) * tall - 1
            columns = self.columns(lane)
            if columns:
                painter.drawLines(*[QLineF(QPointF(x, bottom - long), QPointF(x, bottom)) for x in columns])
