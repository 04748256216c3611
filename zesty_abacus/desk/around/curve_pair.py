"""What one field gives under two layouts, as two curves over the same time and on the same scale."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ..app.doors import engine, laid
from ..app.session import Session
from ..widgets.paint import draw_curve, draw_text, padded_range
from ..widgets.theme import TINY_PX, look, text_font

_LINE_PX, _CURVE_PX = 16, 32


def has_curves(one: laid.Compared) -> bool:
    """Return whether what two layouts have of one thing, or one of them has, is a number with a place: a curve."""
    return any(getattr(item, "raw_is_number", False) and len(item.places) for item in (one.before, one.after))


class CurvePair(QWidget):
    """What one field gives under two layouts: before above, after below, over the whole capture, and in what range."""

    def __init__(
        self, session: Session, sides: list[tuple[engine.Layout, Any]], kind: int | None, words: tuple[str, str]
    ) -> None:
        super().__init__()
        self._session, self._sides, self._kind, self._words = session, sides, kind, words
        self.setFixedHeight(2 * (_LINE_PX + _CURVE_PX + 4))
        self.setMinimumWidth(120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        session.store.curve_ready.connect(self.update)

    def curves(self) -> list[Any]:
        """Return the two curves; None where there is none, or not yet."""
        if self._kind is None:
            return [None, None]
        made = []
        for layout, field in self._sides:
            found = self._session.store.curve(self._kind, layout, field.id) if field is not None else None
            made.append(found[1] if found is not None else None)
        return made

    def says(self, number: int, curve: Any) -> str:
        """Return which of the two a curve is, and from where to where it goes."""
        field, words = self._sides[number][1], self._words[number]
        if field is None or curve is None:
            return f"{words}: no curve"
        unit = f" {field.unit}" if field.unit else ""
        low, high = curve.value_range()
        return f"{words}: {engine.wording.range_text(low, high, field)}{unit}"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, clock = look.theme, self._session.clock
        curves = self.curves()
        ranges = [curve.value_range() for curve in curves if curve is not None]
        spans = [(low, high) for low, high in ranges if low == low]
        # one range for both, so that another scale is another height
        shown = padded_range(min(low for low, _ in spans), max(high for _, high in spans)) if spans else (0.0, 1.0)
        for number, curve in enumerate(curves):
            line = QRectF(0, number * (_LINE_PX + _CURVE_PX + 4), self.width(), _LINE_PX)
            draw_text(painter, line, self.says(number, curve), text_font(TINY_PX), theme.quiet)
            if curve is None:
                continue
            box = QRectF(0, line.bottom(), self.width(), _CURVE_PX)
            painter.fillRect(box, QColor(theme.paper))
            color = QColor(theme.quiet) if number == 0 else QColor(theme.zest)
            span = (clock.first_ns, clock.last_ns)
            draw_curve(painter, curve, box, span, shown, color, 1.2)
        painter.end()
