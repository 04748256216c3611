"""Finds the order of bytes, words and bits under which a message, or pasted bytes, give a value that is known."""

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
    """A known value; below, every way to read it out of the message in hand, or out of bytes that are pasted.

    What is known of the message is what is asked on Unravel: each further frame whose value is typed leaves fewer ways,
    and on either desk one goes on where the other one was.

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
        self.forget = button("Forget", "Ask for another value", link=True)
        self._build()
        session.questions.changed.connect(self._show_answers)
        session.questions.told.connect(self._on_told)
        session.in_hand.changed.connect(self._show_answers)

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        entries = (
            ("value at the cursor", self.value, "230.4 or 0xCAFE, then Enter"),
            ("or in bytes, words", self.received, "pasted: 12 34 AB or 0x1234, 4660"),
            ("first is byte", self.first, "0"),
        )  # fmt: skip
        for number, (words, line, hint) in enumerate(entries):
            line.setPlaceholderText(hint)
            line.setAccessibleName(words)
            line.setFont(figure_font())
            name = label(words, "section")
            name.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(name, number, 0)
            grid.addWidget(line, number, 1)
            if line is self.first:
                self._of_pasted = (name, line)
        self.received.textChanged.connect(lambda text: self._show_place(is_pasted=bool(text.strip())))
        self._show_place(is_pasted=False)
        self.list.setAccessibleName("Orders that give the value")
        self.list.setMinimumHeight(110)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemActivated.connect(lambda _item: self.take())
        self.take_button = button("Take this order", "Read the open field, or a new one, this way (Enter)", main=True)
        self.take_button.clicked.connect(self.take)
        self.value.returnPressed.connect(self.search)
        self.received.editingFinished.connect(self._search_pasted)
        self.first.editingFinished.connect(self._search_pasted)
        self.forget.clicked.connect(self._session.questions.forget_values)
        self.column.addLayout(grid)
        said = QHBoxLayout()
        said.addWidget(self.words, 1)
        said.addWidget(self.forget, 0, Qt.AlignmentFlag.AlignTop)
        self.column.addLayout(said)
        self.column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.take_button)
        self.column.addLayout(row)

    def _show_place(self, *, is_pasted: bool) -> None:
        """Ask where bytes begin only where some are pasted."""
        for part in self._of_pasted:
            part.setVisible(is_pasted)

    def begin(self, first: int) -> None:
        """Ask for the value that the message has at the cursor; bytes that are pasted begin at a byte of it."""
        self.received.clear()
        self.first.setText(str(first))
        self.value.clear()
        self._show_answers()
        self.value.setFocus()

    def search(self) -> None:
        """Look for every order that gives the value: in the message at the cursor, unless bytes are pasted."""
        if self.received.text().strip():
            self._search_pasted()
        elif self._session.in_hand.kind is not None:
            self._session.questions.add_value(self.value.text(), [self._session.in_hand.kind])
            self.value.selectAll()

    def _show_answers(self) -> None:
        """Show what the values that are known of the message lead to."""
        questions, session = self._session.questions, self._session
        if not self.isVisible() or self.received.text().strip():
            return
        known = ", ".join(f"{one.text} at {session.clock.words(one.time_ns)} s" for one in questions.sightings)
        self.forget.setVisible(bool(known))
        answers = [
            laid.order_of(finding) for kind, finding in questions.values or ()
            if kind == session.in_hand.kind and finding.kind == "order"
        ]  # fmt: skip
        if questions.values is None:
            words = "Go to a frame whose value you know, from a display or a paper, type it and press Enter."
        elif not answers:
            words = f"{known}: no place of this message has it. Look at its scale, or at the time."
        else:
            words = f"{known}. Go to another time and type what it was there: fewer ways are left."
        self._show(answers, words)

    def _on_told(self, sentence: str) -> None:
        if self.isVisible():
            self._show([], sentence)

    def _search_pasted(self) -> None:
        if self._session.capture is None or not self.value.text().strip() or not self.received.text().strip():
            return
        self.forget.hide()
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
            text, is_pasted = self.first.text().strip(), bool(self.received.text().strip())
            # places of an answer are those of the message already
            self.taken.emit(self.orders[row], int(text) if is_pasted and text.isdigit() else 0)
