"""Hits of the condition in hand as ticks on the strip, above the lanes."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QPointF
from PyQt6.QtGui import QColor, QPainter, QPen

from ...app.asking import Asking
from ...app.session import Session
from ...widgets.theme import look
from .scale import TOP, StripScale

_TALL = 5


class StripHits:
    """Draws a tick for each column of the strip in which there is a hit; however many there are, no more than that."""

    def __init__(self, session: Session, scale: StripScale) -> None:
        self._session = session
        self._scale = scale

    def columns(self, asking: Asking | None = None) -> list[int]:
        """Return the columns of the strip that hold a hit of the condition in hand, or of another one."""
        hits = (self._session.asking if asking is None else asking).hits
        if hits is None or not len(hits) or not self._session.capture.has_grown_from(hits.capture):
            return []
        plot = self._scale.plot()
        # a search a column: hits are in order of time, and may be millions, while the strip is painted at every step
        edges = np.arange(int(plot.left()), int(plot.right()) + 2)
        ends = np.searchsorted(hits.time_ns, [self._scale.time_at(float(x)) for x in edges])
        # the last frame lies on the right edge itself
        ends[-1] = len(hits)
        return edges[:-1][np.diff(ends) > 0].tolist()

    def draw(self, painter: QPainter) -> None:
        """Paint the ticks."""
        # those of the second one stand above those of the first, so that place tells them apart and not colour alone
        sets = ((self._session.asking, TOP - 1, QColor(look.theme.zest)),
                (self._session.second, TOP - 2 - _TALL, look.theme.field(1)))  # fmt: skip
        for asking, bottom, color in sets:
            columns = self.columns(asking)
            if columns:
                painter.setPen(QPen(color, 1))
                painter.drawLines(*[QLineF(QPointF(x, bottom - _TALL), QPointF(x, bottom)) for x in columns])
