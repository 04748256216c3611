"""Beside the cards of a register map: the registers of the device one above the other."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.doors import engine
from ...widgets.paint import draw_curve, draw_text, padded_range
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font

_WIDTH, _MARGIN = 270, 12
_CURVE = 60


@dataclass(frozen=True, slots=True)
class AtCursor:
    """What a device last said at the cursor.

    Attributes
    ----------
    fields
        The value of each field of its map, as words.
    registers
        The number in each register, whoever laid it out.
    """

    fields: Mapping[UUID, str]
    registers: Mapping[int, int]


@dataclass(frozen=True, slots=True)
class Rung:
    """One register, or several that a field spans.

    Attributes
    ----------
    first, last
        Registers, from 0.
    field
        What lies there, None for registers that nothing is known of.
    seen
        Whether the exchange in hand carries it.
    past_end
        Whether it lies behind the last register of the map.
    """

    first: int
    last: int
    field: engine.Field | None
    seen: bool
    past_end: bool = False

    @property
    def is_one(self) -> bool:
        """Whether it is a single register."""
        return self.first == self.last


class RegisterLadder(QWidget):
    """The registers of a device one above the other: their number, the customary one, and what lies there.

    Of registers that nobody laid out it is what the capture holds: whether they move, how, and the number now.

    Events
    ------
    rung_picked
        (field id) a register with a field was clicked.
    swept
        (first, last) registers of nobody were clicked or dragged over.
    """

    rung_picked = pyqtSignal(object)
    swept = pyqtSignal(int, int)
    _ROW = 26

    def __init__(self) -> None:
        super().__init__()
        self._layout: engine.Layout | None = None
        self._window: engine.Layout | None = None
        self._chosen: UUID | None = None
        self._now = AtCursor({}, {})
        self._held: Mapping[int, Any] = {}
        self.rungs: list[Rung] = []
        self._swept: tuple[int, int] | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Registers of the device")
        look.changed.connect(self.update)

    def show_map(
        self, layout: engine.Layout, window: engine.Layout, now: AtCursor, held: Mapping[int, Any], chosen: UUID | None
    ) -> None:
        """Show a register map.

        Parameters
        ----------
        window
            What the exchange in hand carries of it.
        held
            The registers that the capture holds, by number.
        """
        self._now, self._chosen = now, chosen
        if layout is not self._layout or window is not self._window or held is not self._held:
            # with each step of the cursor only the numbers are others
            self._layout, self._window, self._held = layout, window, held
            self.rungs = make_rungs(layout, window, held)
            self.updateGeometry()
            self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(_WIDTH, 40 + len(self.rungs) * self._ROW)

    minimumSizeHint = sizeHint

    def rung_rect(self, number: int) -> QRectF:
        """Return where a rung is drawn."""
        return QRectF(_MARGIN, 34 + number * self._ROW, self.width() - _MARGIN * 2, self._ROW - 3)

    def rung_of(self, register: int) -> QRectF:
        """Return where the rung of a register is drawn."""
        number = next((n for n, rung in enumerate(self.rungs) if rung.first <= register <= rung.last), 0)
        return self.rung_rect(number)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._layout is None or self._layout.registers is None:
            return
        theme, registers = look.theme, self._layout.registers
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        device = f"unit {registers.device}" if registers.space.functions else f"device 0x{registers.device or 0:02X}"
        words = f"{registers.space.words} of {device}, from {registers.first} on"
        draw_text(painter, QRectF(_MARGIN, 6, self.width() - 16, 16), words, text_font(TINY_PX), theme.quiet)
        if self.rungs:
            numbers = QRectF(_MARGIN, 20, 88, 13)
            draw_text(painter, numbers, "papers", text_font(TINY_PX), theme.quiet)
            other = "customary" if registers.space.functions else "address"
            draw_text(painter, numbers, other, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
        # two rails, as a ladder has
        for x in (_MARGIN + 92.0, self.width() - _MARGIN * 1.0):
            painter.setPen(QPen(QColor(theme.rod), 2))
            painter.drawLine(QPointF(x, 30), QPointF(x, 36 + len(self.rungs) * self._ROW))
        for number, rung in enumerate(self.rungs):
            self._draw_rung(painter, number, rung)
        painter.end()

    def _draw_rung(self, painter: QPainter, number: int, rung: Rung) -> None:
        theme, box = look.theme, self.rung_rect(number)
        assert self._layout is not None and self._layout.registers is not None
        registers = self._layout.registers
        numbers = QRectF(box.left(), box.top() + 4, 88, 16)
        span = f"{registers.paper(rung.first)}" + (f"–{registers.paper(rung.last)}" if rung.last > rung.first else "")
        draw_text(painter, numbers, span, figure_font(SMALL_PX), theme.ink if rung.seen else theme.quiet)
        customary = registers.customary(rung.first)
        draw_text(painter, numbers, customary, figure_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
        body = box.adjusted(96, 1, -5, -1)
        if rung.field is None:
            self._draw_free(painter, number, rung, body)
            return
        color = theme.field(self._layout.fields.index(rung.field))
        chosen = rung.field.id == self._chosen
        painter.setPen(QPen(QColor(theme.zest) if chosen else faded(color, 0.5), 1.6 if chosen else 1))
        painter.setBrush(faded(color, 0.2 if rung.seen else 0.07))
        painter.drawRoundedRect(body, 5, 5)
        inner = body.adjusted(7, 3, -6, 0)
        value = self._now.fields.get(rung.field.id, "")
        draw_text(painter, inner, value, figure_font(TINY_PX), theme.ink, Qt.AlignmentFlag.AlignRight)
        used = painter.fontMetrics().horizontalAdvance(value) + 8
        draw_text(painter, inner.adjusted(0, 0, -used, 0), rung.field.name, text_font(SMALL_PX), theme.ink)

    def _draw_free(self, painter: QPainter, number: int, rung: Rung, body: QRectF) -> None:
        """Draw registers nobody laid out; those that are being swept over, and those past the end, look it."""
        theme = look.theme
        first, last = sorted(self._swept) if self._swept is not None else (1, 0)
        chosen = first <= number <= last
        if chosen:
            painter.setPen(QPen(QColor(theme.zest), 1.4, Qt.PenStyle.DashLine))
            painter.setBrush(QColor(theme.selected))
            painter.drawRoundedRect(body, 5, 5)
        held = self._held.get(rung.first) if rung.is_one and not rung.past_end else None
        if held is not None:
            self._draw_held(painter, rung, held, body)
            return
        many = rung.last - rung.first + 1
        words = "past the end of the map" if rung.past_end else "free" if many == 1 else f"{many} free registers"
        color = theme.wrong if rung.past_end else theme.quiet
        draw_text(painter, body.adjusted(8, 3, 0, 0), words, text_font(TINY_PX), color)

    def _draw_held(self, painter: QPainter, rung: Rung, held: Any, body: QRectF) -> None:
        """Draw what a register of nobody holds: how it goes over the capture, and its number at the cursor."""
        theme, inner = look.theme, body.adjusted(8, 3, -8, 0)
        color = QColor(theme.unexplained) if held.moves else QColor(theme.quiet)
        if held.moves:
            plot = QRectF(inner.left(), body.top() + 3, _CURVE, body.height() - 6)
            times = held.curve.time_ns
            span = int(times[0]), int(times[-1]) + 1
            draw_curve(painter, held.curve, plot, span, padded_range(*held.curve.value_range()), color, 1.1)
        else:
            draw_text(painter, inner, "still", text_font(TINY_PX), theme.quiet)
        number = self._now.registers.get(rung.first)
        words = "" if number is None else str(number)
        draw_text(painter, inner, words, figure_font(TINY_PX), color, Qt.AlignmentFlag.AlignRight)

    def _rung_at(self, point: QPointF) -> int:
        return next((n for n in range(len(self.rungs)) if self.rung_rect(n).contains(point)), -1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        number = self._rung_at(event.position()) if event is not None else -1
        if number < 0:
            return
        rung = self.rungs[number]
        if rung.field is not None:
            self.rung_picked.emit(rung.field.id)
        elif not rung.past_end:
            self._swept = (number, number)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._swept is None:
            return
        number = self._rung_at(event.position())
        between = self.rungs[min(self._swept[0], number) : max(self._swept[0], number) + 1] if number >= 0 else []
        if between and all(rung.field is None and not rung.past_end for rung in between):
            self._swept = (self._swept[0], number)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._swept is None:
            return
        first, last = sorted(self._swept)
        self._swept = None
        self.update()
        # of a long free stretch that is one rung, its first register is meant
        end = self.rungs[last].first if first == last else self.rungs[last].last
        self.swept.emit(self.rungs[first].first, end)


_FREE_SHOWN = 3
"""Registers of a free stretch that are rungs of their own; the rest of it is one."""


def make_rungs(layout: engine.Layout, window: engine.Layout, held: Collection[int] = ()) -> list[Rung]:
    """Return the rungs of a map in order of register; what the exchange carries past its end comes last.

    Parameters
    ----------
    held
        Registers that the capture holds; each of those that nobody laid out is a rung of its own.
    """
    registers = layout.registers
    assert registers is not None
    width = registers.space.register_bits
    seen = {field.id for field in window.fields}
    placed = sorted(
        ((min(field.places.bits) // width, max(field.places.bits) // width, field) for field in layout.fields),
        key=lambda entry: (entry[0], entry[1]),
    )
    end = _end_of(window)
    shown = window.registers.window if window.registers is not None else None
    carried = range(shown if shown is not None else 0, end)
    last_known = max((one for one in held if not registers.count or one < registers.count), default=-1)
    rungs: list[Rung] = []
    after = 0
    for first, last, field in placed:
        rungs += _unlaid(after, first - 1, held, carried)
        rungs.append(Rung(first, last, field, field.id in seen))
        after = max(after, last + 1)
    rungs += _unlaid(after, max(registers.count - 1, last_known), held, carried)
    if registers.count and end > registers.count:
        rungs.append(Rung(registers.count, end - 1, None, True, past_end=True))
    return rungs


def _end_of(window: engine.Layout) -> int:
    """Return the register behind the last one that an exchange carries."""
    registers = window.registers
    if registers is None or registers.window is None:
        return 0
    bits = registers.space.register_bits
    # coils are filled up to whole bytes, so of them only whole spare bytes are past the end
    return registers.window + (window.size * 8 // bits if bits > 1 else max(window.size * 8 - 7, 0))


def past_end(layout: engine.Layout, window: engine.Layout) -> int:
    """Return how many registers an exchange carries past the end of the map, 0 if the map does not say its end."""
    assert layout.registers is not None
    return max(_end_of(window) - layout.registers.count, 0) if layout.registers.count else 0


def _unlaid(first: int, last: int, held: Collection[int], carried: range) -> list[Rung]:
    """Return the rungs of registers that nobody laid out: one each of what the capture holds, few of the others."""
    rungs: list[Rung] = []
    after = first
    for one in sorted(number for number in held if first <= number <= last):
        rungs += _free(after, one - 1)
        rungs.append(Rung(one, one, None, one in carried))
        after = one + 1
    return rungs + _free(after, last)


def _free(first: int, last: int) -> list[Rung]:
    shown = [Rung(n, n, None, False) for n in range(first, min(last, first + _FREE_SHOWN - 1) + 1)]
    if last - first + 1 > _FREE_SHOWN:
        shown.append(Rung(first + _FREE_SHOWN, last, None, False))
    return shown
