"""The line in which a frame is typed of which no layout is known: its address, and what sort of frame it is."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from ...app.doors import engine, going
from ...widgets.parts import Choice, label
from ...widgets.theme import figure_font

_USUAL_BYTES = {"can": 8}
_FEW_BYTES = 2


class ByHandLine(QWidget):
    """An address and a sort.

    Attributes
    ----------
    address, sort
    count
        Bytes of the frame; they follow what is typed as hex.

    Events
    ------
    typed
        A person gave something.
    """

    typed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._protocol = ""
        self.count = 0
        self.address = QLineEdit()
        self.address.setAccessibleName("Address of the frame")
        self.address.setFont(figure_font())
        self.sort = Choice()
        self.sort.setAccessibleName("Sort of frame")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 6, 0)
        line.setSpacing(8)
        line.addWidget(label("address", "quiet"))
        line.addWidget(self.address, 1)
        line.addWidget(self.sort)
        self.address.editingFinished.connect(self._finish)
        self.sort.activated.connect(lambda _index: self.typed.emit())

    def _finish(self) -> None:
        if self.address.isModified():
            self.address.setModified(False)
            self.typed.emit()

    def offer(self, protocol: str) -> None:
        """Offer what frames of another bus have; nothing typed stays, since it would mean something else there."""
        if protocol == self._protocol:
            return
        self._protocol = protocol
        self.count = _USUAL_BYTES.get(protocol, _FEW_BYTES)
        self.address.clear()
        self.address.setPlaceholderText(engine.protocol_named(protocol).address_example)
        self.sort.clear()
        self.sort.addItems(list(going.bare_sorts(protocol)))
        self.sort.setVisible(self.sort.count() > 0)

    def take(self, address: int, flags: int, count: int) -> None:
        """Show a frame that was heard, or goes out already."""
        extended = bool(flags & going.EXTENDED)
        self.address.setText(engine.protocol_named(self._protocol).address_text(address, extended=extended))
        self.count = min(count, going.MOST_BYTES)
        self.sort.setCurrentText(going.sort_of(self._protocol, flags))

    def frame(self) -> Any:
        """Return the frame as it is typed, None as long as nothing is.

        Raises
        ------
        MisuseError
            If there is no such frame.
        """
        if not self.address.text().strip():
            return None
        return going.bare_frame(self._protocol, self.address.text(), self.count, self.sort.currentText())
