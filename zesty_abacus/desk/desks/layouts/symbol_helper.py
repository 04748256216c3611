"""Works a code table out: of frames whose text is known, or the shortest one for a text."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.parts import ElidedLabel, button, label
from ...widgets.theme import figure_font
from ...widgets.words import counted
from .helper import Helper


class SymbolHelper(Helper):
    """Texts that frames say, one after another; below, the table that they lead to.

    Parameters
    ----------
    bits_at_cursor
        Gives the bits of the text in hand in the frame at the cursor; empty where there is none.

    Attributes
    ----------
    known
        What frames were said to say.
    symbols
        The table as it was worked out last.

    Events
    ------
    taken
        (symbols) a table is to be used.
    """

    taken = pyqtSignal(object)

    def __init__(self, session: Session, bits_at_cursor: Callable[[], str]) -> None:
        super().__init__("Work out a code table")
        self._session, self._bits_at_cursor = session, bits_at_cursor
        self.known: list[laid.KnownText] = []
        self.symbols: tuple[engine.Symbol, ...] = ()
        self.said, self.sample = QLineEdit(), QLineEdit()
        self.bits, self.so_far, self.table = ElidedLabel(), ElidedLabel(), ElidedLabel()
        for line in (self.bits, self.table):
            line.setFont(figure_font())
        self.words = label("", "quiet", wrap=True)
        self._build()
        session.clock.cursor_changed.connect(self._show_bits)

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        entries = (
            ("bits at the cursor", self.bits, ""), ("they say", self.said, "this frame, as text"),
            ("or shortest for", self.sample, "a typical text"),
        )  # fmt: skip
        for number, (words, widget, hint) in enumerate(entries):
            name = label(words, "section")
            name.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(name, number, 0)
            grid.addWidget(widget, number, 1)
            if isinstance(widget, QLineEdit):
                widget.setPlaceholderText(hint)
                widget.setAccessibleName(words)
        self.said.returnPressed.connect(self._take_in)
        self.sample.returnPressed.connect(self._make_shortest)
        self.take_button = button("Take this table", "Read the open field by it", main=True)
        self.take_button.clicked.connect(lambda: self.taken.emit(self.symbols))
        self.forget = button("Begin anew", "Forget what frames were said to say", link=True)
        self.forget.clicked.connect(self.begin)
        self.column.addLayout(grid)
        for line, action in ((self.so_far, self.forget), (self.table, self.take_button)):
            row = QHBoxLayout()
            row.addWidget(line, 1)
            row.addWidget(action)
            self.column.addLayout(row)
        self.column.addWidget(self.words)

    def begin(self) -> None:
        """Ask for a first text."""
        self.known.clear()
        self.said.clear()
        self.sample.clear()
        self.so_far.setText("")
        self._show((), "Go to a frame whose text you know and type it; two or three different ones mostly tell it all.")
        self._show_bits()
        self.said.setFocus()

    def _show_bits(self) -> None:
        if self.isVisible():
            bits = self._bits_at_cursor()
            self.bits.setText(bits or "no frame here")

    def _take_in(self) -> None:
        bits, text = self._bits_at_cursor(), self.said.text()
        if not bits or not text:
            return
        self.known = [one for one in self.known if one.bits != bits] + [laid.KnownText(bits, text)]
        self.so_far.setText("Known: " + ", ".join(f"“{one.text}”" for one in self.known))
        self.said.clear()
        known = list(self.known)
        self._session.jobs.start(
            "code table", "working the code table out", lambda _progress: laid.derived_code(known), self._found,
            self._refused,
        )  # fmt: skip

    def _found(self, found: laid.DerivedCode) -> None:
        words = f"{counted(len(found.symbols), 'symbol')}; they say every text that is known so far."
        if found.unsure:
            words = f"One of several tables: “{found.unsure}” may have other bits. Another frame tells more."
        self._show(found.symbols, words)

    def _refused(self, sentence: str) -> None:
        self._show((), sentence)

    def _make_shortest(self) -> None:
        text = self.sample.text()
        if text:
            symbols = engine.shortest_code(text)
            bits = len(engine.SymbolCode(symbols).write(text))
            self._show(symbols, f"“{text}” takes {bits // 8} bytes by it, and {len(text.encode())} in UTF-8.")

    def _show(self, symbols: tuple[engine.Symbol, ...], words: str) -> None:
        self.symbols = symbols
        self.words.setText(words)
        self.table.setText(engine.symbols_text(symbols))
        self.take_button.setEnabled(bool(symbols))
