"""A payload that is composed: as beads, as hex and as text, each following the others."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine
from ...widgets.abacus import Abacus
from ...widgets.beads import AbacusState
from ...widgets.parts import ElidedLabel, label, scrolled

_TEXT_PX = 72
_TEXT_BYTES = 24


class PayloadView(QWidget):
    """Shows a payload and takes another one.

    Attributes
    ----------
    hex
        Where it is typed.
    text, abacus
    payload
        What is shown.

    Events
    ------
    given
        (bytes) a person typed a payload, or turned a bead.
    refused
        (sentence) what was typed is none.
    """

    given = pyqtSignal(bytes)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.payload = b""
        self.hex = QLineEdit()
        self.hex.setAccessibleName("Payload as hex")
        self.text = ElidedLabel()
        self.text.setObjectName("quiet")
        self.text.setMaximumWidth(_TEXT_PX)
        self.abacus = Abacus()
        beads = scrolled(self.abacus)
        beads.setFixedWidth(self.abacus.sizeHint().width() + 14)
        beads.setMinimumHeight(100)
        as_hex = QHBoxLayout()
        as_hex.setSpacing(8)
        as_hex.addWidget(label("hex", "quiet"))
        as_hex.addWidget(self.hex, 1)
        as_hex.addWidget(self.text)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(beads, 1)
        column.addLayout(as_hex)
        self.hex.editingFinished.connect(self._take_hex)
        self.abacus.selected.connect(self._flip)

    def show_payload(self, layout: Any, payload: bytes) -> None:
        """Show a payload, its beads in the colours of a layout's fields."""
        self.payload, size = payload, len(payload)
        self.hex.setText(payload.hex(" ").upper())
        self.hex.setCursorPosition(0)
        text = "".join(chr(b) if 32 <= b < 127 else "·" for b in payload[:_TEXT_BYTES])
        # a row of dots says nothing
        self.text.setText(text.rstrip("·"))
        self.text.setVisible(bool(text.strip("· ")))
        owners = engine.owners_in_frame(layout, payload)
        self.abacus.show_state(AbacusState(size, payload, np.ones(size * 8, np.bool_), owners))
        self.abacus.show_bits(frozenset())

    def _take_hex(self) -> None:
        if not self.hex.isModified():
            return
        self.hex.setModified(False)
        try:
            data = bytes.fromhex(self.hex.text())
        except ValueError:
            self.refused.emit("These are no pairs of hex digits.")
            return
        self.given.emit(data)

    def _flip(self, bits: frozenset[int]) -> None:
        """Turn the beads that were clicked."""
        data = bytearray(self.payload)
        for bit in bits:
            if bit // 8 < len(data):
                data[bit // 8] ^= 1 << bit % 8
        if bits:
            self.given.emit(bytes(data))
