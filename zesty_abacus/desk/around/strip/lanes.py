"""The lanes of the strip: their names, how dense their frames are, and as the part in brown what is unexplained."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.theme import TINY_PX, look, text_font
from ...widgets.words import counted
from .scale import NAMES_WIDTH, TOP

_FOLDED_LANE, _LOW_LANE, _TALL_LANE = 4, 13, 17
_LEAST_HEIGHT = 18
"""Room for a line of words beside lanes that are folded."""
_SHARE_ROOM = 110
MOST_SHOWN = 12
"""Lanes at a time: more of them would take the desks their room."""


class StripLanes:
    """Paints a row a lane; the picture of their frames is made once for a width.

    Attributes
    ----------
    first
        The lane that is on top: of many lanes some are shown at a time.
    is_folded
        Whether lanes are thin, and their names are left out.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self.is_folded = session.settings.strip_folded
        self.first = 0
        self._picture: QImage | None = None
        self._shares: list[engine.Explained] | None = None

    def forget(self) -> None:
        """Drop the picture: the frames, the colours or what is explained are others."""
        self._picture = self._shares = None

    def lane_height(self) -> int:
        """Return the height of a lane; few lanes are taller."""
        if self.is_folded:
            return _FOLDED_LANE
        return _TALL_LANE if self._count() <= 4 else _LOW_LANE

    @property
    def shown(self) -> int:
        """How many lanes are shown at a time."""
        return min(self._count(), MOST_SHOWN)

    @property
    def hidden(self) -> int:
        """How many there are besides."""
        return self._count() - self.shown

    def height(self) -> int:
        """Return the height of the lanes that are shown."""
        return max(max(self.shown, 2) * self.lane_height(), _LEAST_HEIGHT)

    def show_lane(self, lane: int) -> None:
        """Let a lane be among those that are shown."""
        if not self.first <= lane < self.first + self.shown:
            self.first = min(max(lane - self.shown // 2, 0), self.hidden)

    def _count(self) -> int:
        return len(self._session.capture.lanes) if self._session.capture is not None else 2

    def draw(self, painter: QPainter, plot: QRectF) -> None:
        """Paint all lanes."""
        theme, tall = look.theme, self.lane_height()
        if self._picture is None or self._picture.width() != int(plot.width()):
            self._picture = self._density_picture(int(plot.width()))
        painter.drawImage(QPointF(plot.left(), TOP), self._picture)
        if self.is_folded:
            row = QRectF(14, TOP + self.first * tall, NAMES_WIDTH - 22, self.height())
            draw_text(painter, row, self._summary(), text_font(TINY_PX), theme.quiet)
            return
        for number, lane in enumerate(self._session.capture.lanes):
            y = TOP + number * tall
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.field(number))
            painter.drawEllipse(QPointF(17, y + tall / 2), 3.2, 3.2)
            row = QRectF(28, y, NAMES_WIDTH - 36, tall)
            note = " · ".join(part for part in (lane.note, self.share_of(number)) if part)
            draw_text(painter, row, note, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
            draw_text(painter, row.adjusted(0, 0, -_SHARE_ROOM, 0), lane.name, text_font(TINY_PX), theme.ink)

    def _summary(self) -> str:
        explained = self._session.reading.counts.explained_of_all()
        share = f" · {explained.share_text()} explained" if explained is not None and explained.moving else ""
        return f"{counted(self._count(), 'lane')}{share}"

    def share_of(self, lane: int) -> str:
        """Return how much of a lane's moving bits is explained, in words; nothing where none moves."""
        explained = self._explained(lane)
        return explained.share_text() if explained is not None and explained.moving else ""

    def _explained(self, lane: int) -> engine.Explained | None:
        counts, capture = self._session.reading.counts, self._session.capture
        if not counts.counted:
            return None
        if self._shares is None:
            # all lanes at once, and not with each picture: there may be thousands of kinds
            self._shares = [engine.Explained() for _ in capture.lanes]
            # kinds that have just come are counted presently
            for key, one in zip(capture.kinds.keys, counts.counted, strict=False):
                self._shares[key.lane] += one.explained
        return self._shares[lane] if lane < len(self._shares) else None

    def _brown_rows(self, lane: int, rows: int) -> int:
        """Return how many rows of a lane's bar stand for what is unexplained; one at least where anything is."""
        explained = self._explained(lane)
        if explained is None or explained.share is None or explained.share_text() == "100%":
            return 0
        return max(round(rows * (1 - explained.share)), 1)

    def _density_picture(self, width: int) -> QImage:
        """Paint frames a column as opacity: below in the lane's colour, above in brown as much as is unexplained."""
        density = self._session.density
        edges = np.linspace(0, density.shape[1], width + 1).astype(int)
        sums = np.add.reduceat(density, np.minimum(edges[:-1], density.shape[1] - 1), axis=1)
        # columns of the picture cover two or three of the counted ones: without this the strip would be striped
        sums = sums / np.maximum(np.diff(edges), 1)
        peak = np.maximum(sums.max(axis=1, keepdims=True), 1e-9)
        alpha = np.where(sums > 0, 0.25 + 0.6 * np.sqrt(sums / peak), 0.0)
        tall = self.lane_height()
        image = np.zeros((len(density) * tall, width, 4), np.uint8)
        for lane, row in enumerate(alpha):
            color: QColor = look.theme.field(lane)
            top = lane * tall + 1
            cell = np.array([color.red(), color.green(), color.blue()], np.uint8)
            image[top : top + tall - 2, :, :3] = cell
            brown = QColor(look.theme.unexplained)
            image[top : top + self._brown_rows(lane, tall - 2), :, :3] = brown.red(), brown.green(), brown.blue()
            image[top : top + tall - 2, :, 3] = (row * 255).astype(np.uint8)
        made = QImage(image.tobytes(), width, image.shape[0], width * 4, QImage.Format.Format_RGBA8888)
        # the image does not keep the bytes it was made of alive
        return made.copy()
