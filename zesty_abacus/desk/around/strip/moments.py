"""Moments on the strip: what a person noted, where it stands, and the line in which it is typed."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QCompleter, QLineEdit, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_text, elided
from ...widgets.parts import with_offers
from ...widgets.theme import TINY_PX, faded, look, text_font
from ...widgets.told import tell_whole
from .scale import TOP, StripScale

_ENTRY_WIDTH = 190
_WORDS_WIDTH = 150.0
_REACH = 90
"""How far right of its flag a moment can be clicked."""


class StripMoments:
    """Draws moments, finds the one under the hand, and takes a new one.

    Attributes
    ----------
    entry
        The line in which a moment is being typed.
    """

    def __init__(self, session: Session, scale: StripScale, widget: QWidget) -> None:
        self._session = session
        self._scale = scale
        self._widget = widget
        self.entry: QLineEdit | None = None

    def draw(self, painter: QPainter) -> None:
        """Paint a flag a moment, with its words where there is room before the next."""
        theme = look.theme
        bottom = self._widget.height() - 6
        free_from = 0.0
        font = text_font(TINY_PX)
        moments = self._session.trial.file.moments
        places = [self._scale.x_of(moment.time_ns) for moment in moments]
        for number, (moment, x) in enumerate(zip(moments, places, strict=True)):
            painter.setPen(QPen(faded(theme.ink, 0.35), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, 8), QPointF(x, bottom))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.zest))
            painter.drawPolygon(QPolygonF([QPointF(x, 5), QPointF(x + 8, 9), QPointF(x, 13)]))
            following = places[number + 1] if number + 1 < len(places) else float(self._widget.width())
            tell_whole(painter, QRectF(x, 1, max(following - x - 1, 1), 16), partial(self._said, moment))
            room = min(_WORDS_WIDTH, following - x - 15)
            if x + 11 >= free_from and room > 14:
                text = elided(moment.text, font, room, middle=True)
                draw_text(painter, QRectF(x + 11, 1, room, 16), text, font, theme.ink)
                free_from = x + 18 + painter.fontMetrics().horizontalAdvance(text)

    def _said(self, moment: engine.Moment) -> str:
        return f"{self._session.clock.words(moment.time_ns)} s: {moment.text}"

    def at(self, point: QPointF) -> int | None:
        """Return the time of the moment under a point."""
        found = self._under(point)
        return found.time_ns if found is not None else None

    def text_at(self, point: QPointF) -> str:
        """Return what the moment under a point is called; empty if there is none."""
        found = self._under(point)
        return found.text if found is not None else ""

    def _under(self, point: QPointF) -> engine.Moment | None:
        if point.y() > TOP - 3:
            return None
        moments = self._session.trial.file.moments
        near = [one for one in moments if 0 <= point.x() - self._scale.x_of(one.time_ns) <= _REACH]
        return near[-1] if near else None

    def begin(self) -> None:
        """Open a line at the cursor to type what happened; Enter keeps it, Escape drops it."""
        if self._session.capture is None:
            return
        entry = QLineEdit(self._widget)
        entry.setPlaceholderText("What happened here?")
        entry.setAccessibleName("Moment")
        entry.setFixedWidth(_ENTRY_WIDTH)
        # what the team calls such a thing is offered, so that it is called so here
        words = QCompleter([moment.text for moment in self._session.shared.moments], entry)
        words.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        words.setFilterMode(Qt.MatchFlag.MatchContains)
        entry.setCompleter(with_offers(words))
        x = min(self._scale.x_of(self._session.clock.cursor_ns), self._widget.width() - _ENTRY_WIDTH - 10)
        entry.move(int(x), 2)
        entry.returnPressed.connect(self._keep)
        entry.editingFinished.connect(self.drop)
        entry.show()
        entry.setFocus()
        self.entry = entry

    def drop(self) -> None:
        """Close the line without keeping anything."""
        if self.entry is not None:
            entry, self.entry = self.entry, None
            entry.hide()
            entry.deleteLater()
            self._widget.setFocus()

    def _keep(self) -> None:
        if self.entry is not None and self.entry.text().strip():
            text = self.entry.text().strip()
            self.drop()
            self._session.trials.add_moment(self._session.clock.cursor_ns, text)
