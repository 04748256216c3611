"""Moments on the strip: what a person noted, where it stands, and the line in which it is typed."""

from __future__ import annotations

from functools import partial
from math import ceil

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QCompleter, QLineEdit, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.parts import with_offers
from ...widgets.theme import TINY_PX, faded, look, text_font
from ...widgets.told import tell_whole
from .labels import Label, label_places
from .scale import TOP, StripScale

_ENTRY_WIDTH = 190
_LINE = 16
_REACH = 9
"""How far right of its flag a moment can be clicked where it has no words."""


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
        """Paint a flag a moment, with its words where there is room beside it."""
        theme, font = look.theme, text_font(TINY_PX)
        bottom = self._widget.height() - 6
        for moment, x, label in self._placed():
            painter.setPen(QPen(faded(theme.ink, 0.35), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, 8), QPointF(x, bottom))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.zest))
            painter.drawPolygon(QPolygonF([QPointF(x, 5), QPointF(x + 8, 9), QPointF(x, 13)]))
            tell_whole(painter, _box(x, label), partial(self._said, moment))
            if label is not None:
                draw_text(painter, QRectF(label.left, 1, label.width, _LINE), moment.text, font, theme.ink, middle=True)

    def _placed(self) -> list[tuple[engine.Moment, float, Label | None]]:
        """Return all moments with where their flags and their words stand."""
        moments = self._session.trial.file.moments
        flags = [self._scale.x_of(moment.time_ns) for moment in moments]
        metrics = QFontMetricsF(text_font(TINY_PX))
        # rounded up: words are cut to whole pixels
        widths = [ceil(metrics.horizontalAdvance(moment.text)) + 1 for moment in moments]
        labels = label_places(flags, widths, self._scale.plot().left(), self._widget.width())
        return list(zip(moments, flags, labels, strict=True))

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
        here = QPointF(point.x(), _LINE / 2)
        # the last of several: the words of one before may reach under a flag that has none
        near = [moment for moment, x, label in self._placed() if _box(x, label).contains(here)]
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


def _box(flag: float, label: Label | None) -> QRectF:
    """Return where a moment is under the hand: its flag and its words."""
    left = flag if label is None else min(flag, label.left)
    right = flag + _REACH if label is None else max(flag + _REACH, label.right)
    return QRectF(left, 1, right - left, _LINE)
