"""The abacus of the plan: fields are taken hold of by their beads, to be moved, stretched or split."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent

from ...widgets.abacus import Abacus
from ...widgets.beads import Drawing


@dataclass(frozen=True, slots=True)
class Grab:
    """A field taken hold of.

    Attributes
    ----------
    owner
        Its number.
    bit
        The bead it was taken by.
    to
        The bead it is dragged to.
    """

    owner: int
    bit: int
    to: int


class PlanAbacus(Abacus):
    """Beads with owners can be dragged.

    A bead in the middle of a field moves the field, the bead at one of its ends stretches it; with Alt the
    beads swept over are split off. Beads of nobody are marked, as in every abacus; with Ctrl all are.

    Attributes
    ----------
    preview
        Gives the bits a drag would lead to, None if it leads nowhere.
    is_end
        Tells whether a bead is an end of its field.

    Events
    ------
    dragged
        (grab) a field was moved or stretched.
    split
        (number of the field, bits) beads of a field were swept over with Alt.
    clicked
        (number of the field) a bead was clicked and not dragged.
    """

    dragged = pyqtSignal(object)
    split = pyqtSignal(int, object)
    clicked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__(Drawing.PLACES)
        self.preview: Callable[[Grab], frozenset[int] | None] = lambda _grab: None
        self.is_end: Callable[[int, int], bool] = lambda _owner, _bit: False
        self._grab: Grab | None = None
        self._before: frozenset[int] = frozenset()
        self._splits = -1

    def owner_of(self, bit: int) -> int:
        """Return the number of the field a bead belongs to, -1 for none."""
        owners = self._state.owners
        return int(owners[bit]) if 0 <= bit < len(owners) else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        bit = self.rods.bit_at(event.position()) if event is not None else -1
        owner = self.owner_of(bit)
        plain = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        if event is None or owner < 0 or event.modifiers() & plain:
            super().mousePressEvent(event)
            return
        self.setFocus()
        self._focus_bit = bit
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._splits = owner
            super().mousePressEvent(event)
            return
        self._grab, self._before = Grab(owner, bit, bit), self.bits

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._grab is None:
            if self._anchor is None:
                self._show_shape(self.rods.bit_at(event.position()))
            super().mouseMoveEvent(event)
            return
        to = self.rods.bit_at(event.position(), nearest=True)
        if to != self._grab.to:
            self._grab = Grab(self._grab.owner, self._grab.bit, to)
            bits = self.preview(self._grab)
            self.show_bits(self._before if bits is None else bits)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        grab, self._grab = self._grab, None
        if grab is None:
            owner, self._splits = self._splits, -1
            if owner < 0:
                super().mouseReleaseEvent(event)
            else:
                self._anchor = None
                bits = frozenset(bit for bit in self.bits if self.owner_of(bit) == owner)
                self.show_bits(self._before)
                self.split.emit(owner, bits)
            return
        self.show_bits(self._before)
        if grab.to == grab.bit:
            self.clicked.emit(grab.owner)
        else:
            self.dragged.emit(grab)

    def _show_shape(self, bit: int) -> None:
        """Say by the shape of the pointer what a drag would do."""
        owner = self.owner_of(bit)
        if bit < 0 or owner < 0:
            self.unsetCursor()
        elif self.is_end(owner, bit):
            self.setCursor(Qt.CursorShape.SizeHorCursor)
        else:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
