"""Cards of the plan: a field, a part, a check or a computed value, two lines each; opened, a form."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QSizePolicy, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.parts import USES_SPACE
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ...widgets.words import counted

CARD_HEIGHT = 37
_INDENT = 16


class Card(QFrame):
    """What every card does: two lines of words, a colour bar, room for a form.

    Events
    ------
    picked
        (item id) the card was clicked.
    """

    picked = pyqtSignal(object)

    def __init__(self, session: Session, item: Any, number: int, level: int) -> None:
        super().__init__()
        self.session = session
        self.item = item
        self.number = number
        self.level = level
        self.layout_shown: engine.Layout | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setProperty(USES_SPACE, True)
        self.column = QVBoxLayout(self)
        self.column.setSpacing(0)
        self.show_item(item, number, level, None)
        self.close_form()

    def open_form(self, form: QWidget) -> None:
        """Grow to hold the form."""
        self.column.addWidget(form)
        form.show()
        self.setMinimumHeight(0)
        self.setMaximumHeight(16_777_215)
        self.updateGeometry()

    def close_form(self) -> None:
        """Shrink to two lines."""
        self.setFixedHeight(CARD_HEIGHT)
        self.update()

    def show_item(self, item: Any, number: int, level: int, layout: engine.Layout | None) -> None:
        """Show the item changed, at another place."""
        self.item, self.number, self.level, self.layout_shown = item, number, level, layout
        self.column.setContentsMargins(10 + level * _INDENT, CARD_HEIGHT, 10, 8)
        self.setAccessibleName(f"{self.kind_word()} {item.name}")
        self.update()

    def kind_word(self) -> str:
        """Return what the card is about, for screen readers."""
        return "Field"

    def texts(self) -> tuple[str, str, str, str]:
        """Return name and words below it, and figures at the right and below them."""
        raise NotImplementedError

    def color(self) -> QColor:
        """Return the colour of the bar."""
        return look.theme.field(self.number)

    @property
    def is_open(self) -> bool:
        """Whether a form is in this card."""
        return self.column.count() > 0

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        color, left = self.color(), self.level * _INDENT
        box = QRectF(self.rect()).adjusted(0.8 + left, 0.8, -0.8, -0.8)
        painter.setPen(QPen(QColor(theme.zest) if self.is_open else faded(color, 0.55), 1.6 if self.is_open else 1))
        painter.setBrush(QColor(theme.panel) if self.is_open else faded(color, 0.12))
        painter.drawRoundedRect(box, 7, 7)
        painter.fillRect(QRectF(1.5 + left, 8, 3.5, CARD_HEIGHT - 16), color)
        self._draw_words(painter, left)
        painter.end()

    def _draw_words(self, painter: QPainter, left: int) -> None:
        theme = look.theme
        name, words, figures, below_figures = self.texts()
        right = Qt.AlignmentFlag.AlignRight
        top = QRectF(12 + left, 3, self.width() - 24 - left, 16)
        draw_text(painter, top, figures, figure_font(SMALL_PX), theme.ink, right)
        used = painter.fontMetrics().horizontalAdvance(figures) + 10
        draw_text(painter, top.adjusted(0, 0, -used, 0), name, text_font(SMALL_PX, bold=True), theme.ink)
        below = top.translated(0, 15)
        draw_text(painter, below, below_figures, text_font(TINY_PX), theme.quiet, right)
        used = painter.fontMetrics().horizontalAdvance(below_figures) + 10
        draw_text(painter, below.adjusted(0, 0, -used, 0), words, text_font(TINY_PX), theme.quiet)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.picked.emit(self.item.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and not self.is_open:
            self.picked.emit(self.item.id)
        else:
            super().keyPressEvent(event)


class FieldCard(Card):
    """One field: its name and reading, its scale and range."""

    def texts(self) -> tuple[str, str, str, str]:
        field = self.item
        words = engine.wording.places_words(field)
        if len(field.places):
            shown = self.layout_shown.places_text(field.places) if self.layout_shown is not None else field.places
            words = f"{shown}  {words}"
        if field.kind.value in ("names", "bits"):
            return field.name, words, counted(len(field.names), "name"), ""
        if field.kind.value in ("flag", "text", "bytes"):
            return field.name, words, "", ""
        return (field.name or "passed over", words, *self._figures())

    def _figures(self) -> tuple[str, str]:
        field = self.item
        unit = f" {field.unit}" if field.unit else ""
        scale = f"{engine.format_exact(field.ratio)}{unit} a step"
        if field.is_curved:
            scale = f"{'polynomial' if field.polynomial else 'table'}{',' + unit if unit else ''}"
        elif field.ratio == 1 and not unit:
            scale = ""
        if field.kind.value == "float" or not len(field.places):
            return unit.strip(), ""
        low, high = engine.wording.field_range(field)
        low = field.low if field.low is not None else low
        high = field.high if field.high is not None else high
        return scale, engine.wording.range_text(float(low), float(high), field)


class ItemCard(Card):
    """A part, a case of elements, a check or a computed value."""

    def kind_word(self) -> str:
        return {"parts": "Part", "checks": "Check", "computed": "Computed value"}.get(self._shelf(), "Part")

    def _shelf(self) -> str:
        layout = self.layout_shown
        if layout is not None:
            for shelf, items in (("checks", layout.all_checks()), ("computed", layout.all_computed())):
                if any(one.id == self.item.id for one in items):
                    return shelf
        return "parts"

    def color(self) -> QColor:
        return QColor(look.theme.quiet)

    def texts(self) -> tuple[str, str, str, str]:
        item, layout = self.item, self.layout_shown
        if hasattr(item, "types"):
            return item.name, "elements of these types", str(item.types), ""
        if hasattr(item, "expression"):
            if getattr(item, "text", None):
                return item.name, f"text: {item.text}", "", ""
            words = "computed" if self._shelf() == "computed" else "rule"
            return item.name, f"{words}: {item.expression}", getattr(item, "unit", ""), ""
        if self._shelf() == "checks":
            words = item.words()
            return item.name, words if words != item.name else "check", self._checked_field(), self._coverage()
        amount = next((str(one) for name, one in item.expressions() if name in ("amount", "length")), "")
        when = engine.attribute_text(item, "selected", layout) if layout is not None else ""
        words = ", ".join(part for part in (item.words(), f"when {when}" if when else "") if part)
        return item.name, words, amount, _size_words(item)

    def _checked_field(self) -> str:
        field = getattr(self.item, "field", None)
        if field is None or self.layout_shown is None:
            return str(getattr(self.item, "places", ""))
        return engine.attribute_text(self.item, "field", self.layout_shown)

    def _coverage(self) -> str:
        coverage = getattr(self.item, "coverage", None)
        if coverage is None:
            return ""
        if coverage.places is not None:
            return f"over {coverage.places}"
        return f"over bytes {coverage.first} up to {coverage.end}"


def _size_words(item: Any) -> str:
    """Return how many bytes a part of a size has, or each of its items; nothing of others."""
    if getattr(item, "size", None) is None:
        return ""
    size: str = counted(item.size, "byte")
    return f"{size} an item" if item in item.lists() else size
