"""Finds the order of bytes, words and bits under which received bytes give a value that is known."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.parts import button, label
from ...widgets.theme import figure_font
from .helper import Helper

_SHOWN = 60


class OrderHelper(Helper):
    """A known value and the bytes that were received; below, every way to read them that gives it.

    Events
    ------
    taken
        (order, byte) an order is to be used, its places counted from this byte of the message.
    """

    taken = pyqtSignal(object, int)

    def __init__(self, session: Session) -> None:
        super().__init__("Find the order of a known value")
        self._session = session
        self.orders: list[laid.Order] = []
        self.value, self.received, self.first = QLineEdit(), QLineEdit(), QLineEdit("0")
        self.list = QListWidget()
        self.words = label("", "quiet", wrap=True)
        self._build()

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        entries = (
            ("value known", self.value, "230.4"), ("bytes or words", self.received, "12 34 AB or 0x1234, 4660"),
            ("first is byte", self.first, "0"),
        )  # fmt: skip
        for number, (words, line, hint) in enumerate(entries):
            line.setPlaceholderText(hint)
            line.setAccessibleName(words)
            line.setFont(figure_font())
            line.editingFinished.connect(self.search)
            name = label(words, "section")
            name.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(name, number, 0)
            grid.addWidget(line, number, 1)
        self.list.setAccessibleName("Orders that give the value")
        self.list.setMinimumHeight(110)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemActivated.connect(lambda _item: self.take())
        self.take_button = button("Take this order", "Read the open field, or a new one, this way (Enter)", main=True)
        self.take_button.clicked.connect(self.take)
        self.column.addLayout(grid)
        self.column.addWidget(self.words)
        self.column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.take_button)
        self.column.addLayout(row)

    def begin(self, payload: bytes, first: int) -> None:
        """Offer the bytes of the frame at the cursor from one on, and ask for the value."""
        self.received.setText(payload[first : first + 8].hex(" ").upper())
        self.first.setText(str(first))
        self.value.clear()
        self._show([], "Type the value you know, from a display or a paper, and press Enter.")
        self.value.setFocus()

    def search(self) -> None:
        """Look for every order that gives the value."""
        if self._session.capture is None or not self.value.text().strip() or not self.received.text().strip():
            return
        try:
            value = engine.parse_exact(self.value.text())
            received = laid.parse_received(self.received.text())
        except engine.AbacusError as error:
            self._show([], str(error))
            return
        self._session.jobs.start(
            "orders", "trying orders", lambda _progress: laid.orders_that_give(value, received), self._found
        )

    def _found(self, orders: list[laid.Order]) -> None:
        told = "No order gives it. Look at the value's scale, or paste more bytes."
        many = f"{len(orders)} orders give it, the plainest first." if len(orders) > 1 else "One order gives it."
        self._show(orders, many if orders else told)

    def _show(self, orders: list[laid.Order], words: str) -> None:
        self.orders = orders[:_SHOWN]
        self.words.setText(words)
        self.list.clear()
        for order in self.orders:
            self.list.addItem(QListWidgetItem(self._text_of(order)))
        if self.orders:
            self.list.setCurrentRow(0)
        self.take_button.setEnabled(bool(self.orders))

    def _text_of(self, order: laid.Order) -> str:
        scale = "" if order.ratio == 1 else f", step {engine.format_exact(order.ratio)}"
        turned = ", bits turned" if order.inverted else ""
        return f"{order.places}: {order.kind.words}{scale}{turned}; {order.words}"

    def take(self) -> None:
        """Use the order in hand."""
        row = self.list.currentRow()
        if 0 <= row < len(self.orders):
            text = self.first.text().strip()
            self.taken.emit(self.orders[row], int(text) if text.isdigit() else 0)
