"""What is looked at on every desk: a message with bits of it, or a layout that reads no message of the capture."""

from __future__ import annotations

from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import engine
from .edits import Edits
from .reading import Reading


class InHand(QObject):
    """The one message that all desks look at; some of them write, all of them follow its events.

    Attributes
    ----------
    kind
        Number of the message kind in hand, None for none.
    bits
        The selected bits of that kind.

    Events
    ------
    changed, bits_changed
        Another message or layout, or other bits of it.
    """

    changed = pyqtSignal()
    bits_changed = pyqtSignal()

    def __init__(self, reading: Reading, edits: Edits) -> None:
        super().__init__()
        self._reading, self._edits = reading, edits
        self._layout_alone: UUID | None = None
        self.kind: int | None = None
        self.bits: frozenset[int] = frozenset()

    def start(self) -> None:
        """Begin with another capture; nobody is told, since everything is another one."""
        self.kind, self._layout_alone = None, None
        self.bits = frozenset()

    def stay(self, kind: int | None) -> None:
        """Go on with a capture in which the message in hand has another number, or is no more; nobody is told."""
        self.kind = kind
        self.bits = self.bits if kind is not None else frozenset()

    @property
    def layout(self) -> engine.Layout | None:
        """The layout in hand: of the message in hand as that shows it, or one that reads no message of the capture."""
        if self._layout_alone is not None:
            return self._edits.layout(self._layout_alone)
        return self._reading.layout_of(self.kind)

    def layouts(self) -> list[engine.Layout]:
        """Return all layouts that the message in hand is read by, in order of precedence, or the one in hand alone."""
        if self._layout_alone is not None:
            alone = self._edits.layout(self._layout_alone)
            return [alone] if alone is not None else []
        return [reader.layout for reader in self._reading.readers(self.kind)]

    def take_kind(self, kind: int | None) -> None:
        """Take a message kind in hand; the selection of bits belongs to the old one and goes."""
        if kind != self.kind or self._layout_alone is not None:
            self._take(kind, None)

    def take_layout(self, layout_id: UUID) -> None:
        """Take a layout in hand, with a message that it reads; alone where the capture has none."""
        kind = self._reading.kind_read_by(layout_id, self.kind)
        if kind is not None:
            self.take_kind(kind)
        elif layout_id != self._layout_alone:
            self._take(None, layout_id)

    def find_message(self) -> None:
        """Take the message of a layout that is in hand alone, if an edit or a recording has given it one."""
        if self._layout_alone is not None:
            self.take_layout(self._layout_alone)

    def _take(self, kind: int | None, layout_alone: UUID | None) -> None:
        self.kind, self._layout_alone = kind, layout_alone
        self.bits = frozenset()
        self.changed.emit()
        self.bits_changed.emit()

    def select_bits(self, bits: frozenset[int]) -> None:
        """Select bits of the kind in hand."""
        if bits != self.bits:
            self.bits = bits
            self.bits_changed.emit()
