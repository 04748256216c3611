"""How the abacus looks: where rods and beads stand, and what is drawn of each bit."""

from __future__ import annotations

import enum
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from .theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from .told import tell

BEAD_STEP = 20.0
LABEL_WIDTH = 44.0
VALUE_WIDTH = 40.0
TOP = 22.0
LOWEST_ROD = 22.0
_TALLEST_ROD = 39.0


class Drawing(enum.Enum):
    """What the beads show."""

    VALUES = "values"
    """Full for 1, ring for 0."""
    PLACES = "places"
    """Full for a bit with a field, whatever its value."""


@dataclass(frozen=True, slots=True, eq=False)
class AbacusState:
    """Everything the abacus draws, prepared by whoever owns it.

    Attributes
    ----------
    size
        Payload bytes.
    payload
        Bytes at the cursor; shorter than ``size`` where the frame is.
    moves : bool (size * 8,)
        Which bits ever change.
    owners : int16 (size * 8,)
        Field number of each bit, -1 for none.
    wrong
        Bits that are part of a problem, drawn with a brick ring.
    marked
        Bits to look at, drawn with a zest ring.
    """

    size: int = 0
    payload: bytes = b""
    moves: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, np.bool_))
    owners: NDArray[np.int16] = field(default_factory=lambda: np.zeros(0, np.int16))
    wrong: frozenset[int] = frozenset()
    marked: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class Rods:
    """Where rods and beads stand in a widget.

    Attributes
    ----------
    size
        Number of rods, one a byte.
    room
        Height of the widget in pixels.
    """

    size: int
    room: float

    @property
    def height(self) -> float:
        """Distance from rod to rod."""
        if not self.size:
            return _TALLEST_ROD
        return min(max((self.room - TOP - 4) / self.size, LOWEST_ROD), _TALLEST_ROD)

    @property
    def end(self) -> float:
        """The x where rods end and threads begin."""
        return LABEL_WIDTH + 8 * BEAD_STEP + 4

    def top(self, byte: int) -> float:
        """Return where a byte's row begins."""
        return TOP + byte * self.height

    def bead_center(self, bit: int) -> QPointF:
        """Return the middle of a bead."""
        byte, inner = divmod(bit, 8)
        x = LABEL_WIDTH + (7 - inner) * BEAD_STEP + BEAD_STEP / 2
        return QPointF(x, self.top(byte) + self.height / 2)

    def byte_at(self, point: QPointF) -> int:
        """Return the byte at the height of a point, -1 for none."""
        byte = int((point.y() - TOP) // self.height)
        return byte if 0 <= byte < self.size else -1

    def bit_at(self, point: QPointF, *, nearest: bool = False) -> int:
        """Return the bit under a point, -1 for none; ``nearest`` takes the closest bead."""
        column = int((point.x() - LABEL_WIDTH) // BEAD_STEP)
        byte = int((point.y() - TOP) // self.height)
        if nearest:
            column = min(max(column, 0), 7)
            byte = min(max(byte, 0), self.size - 1)
        if 0 <= column < 8 and 0 <= byte < self.size:
            return byte * 8 + 7 - column
        return -1


class AbacusPicture:
    """Draws an abacus once: heads, what is selected, rods and beads, and where the keys are."""

    def __init__(
        self, painter: QPainter, rods: Rods, state: AbacusState, bits: frozenset[int], drawing: Drawing
    ) -> None:
        self._painter = painter
        self._theme = look.theme
        self._rods = rods
        self._state = state
        self._bits = bits
        self._drawing = drawing

    def draw(self) -> None:
        """Draw all but the frame around the bead that has the keys."""
        self._painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._heads()
        self._selection()
        for byte in range(self._state.size):
            self._rod(byte)

    def draw_focus(self, bit: int) -> None:
        """Draw a dotted frame around the bead that keys act on."""
        center, painter = self._rods.bead_center(bit), self._painter
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self._theme.zest), 1, Qt.PenStyle.DotLine))
        painter.drawRoundedRect(QRectF(center.x() - 9.5, center.y() - 10, 19, 20), 5, 5)

    def _heads(self) -> None:
        painter, theme = self._painter, self._theme
        painter.setFont(text_font(TINY_PX))
        painter.setPen(QColor(theme.quiet))
        for inner in range(8):
            x = LABEL_WIDTH + (7 - inner) * BEAD_STEP
            painter.drawText(QRectF(x, 2, BEAD_STEP, 16), Qt.AlignmentFlag.AlignCenter, str(inner))
        painter.drawText(QRectF(4, 2, LABEL_WIDTH - 8, 16), Qt.AlignmentFlag.AlignLeft, "bit")

    def _selection(self) -> None:
        painter, theme = self._painter, self._theme
        if not self._bits:
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.selected))
        height = self._rods.height
        for bit in self._bits:
            if bit < self._state.size * 8:
                center = self._rods.bead_center(bit)
                painter.drawRect(QRectF(center.x() - BEAD_STEP / 2, center.y() - height / 2, BEAD_STEP, height))
        painter.setPen(QPen(QColor(theme.zest), 1.3, Qt.PenStyle.DashLine))
        for first, last in self._selection_edges():
            painter.drawLine(first, last)

    def _selection_edges(self) -> list[tuple[QPointF, QPointF]]:
        """Return the outline of the selected beads, edge by edge."""
        edges = []
        half, height = BEAD_STEP / 2, self._rods.height / 2
        for bit in self._bits:
            if bit >= self._state.size * 8:
                continue
            c = self._rods.bead_center(bit)
            left, right, top, bottom = c.x() - half, c.x() + half, c.y() - height, c.y() + height
            neighbours = (
                (bit % 8 < 7 and bit + 1 in self._bits, QPointF(left, top), QPointF(left, bottom)),
                (bit % 8 > 0 and bit - 1 in self._bits, QPointF(right, top), QPointF(right, bottom)),
                (bit - 8 in self._bits, QPointF(left, top), QPointF(right, top)),
                (bit + 8 in self._bits, QPointF(left, bottom), QPointF(right, bottom)),
            )
            edges += [(first, last) for inside, first, last in neighbours if not inside]
        return edges

    def _rod(self, byte: int) -> None:
        painter, theme = self._painter, self._theme
        y = self._rods.bead_center(byte * 8).y()
        painter.setPen(QColor(theme.quiet))
        painter.setFont(figure_font(SMALL_PX))
        painter.drawText(QRectF(8, y - 9, LABEL_WIDTH - 12, 18), Qt.AlignmentFlag.AlignVCenter, f"B{byte}")
        painter.setPen(QPen(QColor(theme.rod), 2.4))
        painter.drawLine(QPointF(LABEL_WIDTH, y), QPointF(self._rods.end, y))
        here = byte < len(self._state.payload)
        value = self._state.payload[byte] if here else 0
        if self._drawing is Drawing.VALUES:
            # as they stand: the highest bit at the left
            bits = "{:08b}" if here else "not in this frame"
            tell(painter, QRectF(8, y - 9, LABEL_WIDTH - 12, 18), lambda: f"B{byte}, {bits.format(value)}")
        for inner in range(8):
            self._bead(byte * 8 + inner, bool(value >> inner & 1))
        if self._drawing is Drawing.VALUES:
            painter.setPen(QColor(theme.ink if here else theme.quiet))
            painter.setFont(figure_font(SMALL_PX, bold=True))
            box = QRectF(self._rods.end + 8, y - 9, VALUE_WIDTH, 18)
            shown = f"{value:02X}" if here else "–"
            tell(painter, box, shown)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, shown)

    def _bead(self, bit: int, one: bool) -> None:
        painter, theme = self._painter, self._theme
        center = self._rods.bead_center(bit)
        radius = min(7.0, self._rods.height / 2 - 3)
        owner = int(self._state.owners[bit]) if bit < len(self._state.owners) else -1
        moves = bool(self._state.moves[bit]) if bit < len(self._state.moves) else False
        chosen = bit in self._bits
        if self._drawing is Drawing.PLACES:
            one = True
        if owner < 0 and not moves and not chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            still_one = one and self._drawing is Drawing.VALUES
            painter.setBrush(QColor(theme.quiet if still_one else theme.rod))
            painter.drawEllipse(center, 3.4, 3.4)
            return
        if owner >= 0:
            color = theme.field(owner)
        else:
            color = QColor(theme.zest if chosen else theme.unexplained)
        if owner < 0 and moves and not chosen:
            self._unexplained(center, radius, color, one)
        else:
            painter.setPen(QPen(color, 1.8))
            painter.setBrush(color if one else QColor(theme.panel))
            painter.drawEllipse(center, radius, radius)
        if bit in self._state.wrong or bit in self._state.marked:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.wrong if bit in self._state.wrong else theme.zest), 1.6))
            painter.drawEllipse(center, radius + 2.5, radius + 2.5)

    def _unexplained(self, center: QPointF, radius: float, color: QColor, one: bool) -> None:
        painter, theme = self._painter, self._theme
        if one and self._drawing is Drawing.VALUES:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(color)
            painter.drawPolygon(_notched(center, radius + 0.5))
            return
        painter.setPen(QPen(color, 1.6, Qt.PenStyle.DotLine))
        painter.setBrush(QColor(theme.panel))
        painter.drawEllipse(center, radius, radius)


def _notched(center: QPointF, radius: float) -> QPolygonF:
    """Return a bead with a notched rim, which reads as 'not explained' without its colour."""
    points = []
    for n in range(20):
        angle = n * np.pi / 10
        r = radius if n % 2 else radius - 1.6
        points.append(QPointF(center.x() + r * np.cos(angle), center.y() + r * np.sin(angle)))
    return QPolygonF(points)
