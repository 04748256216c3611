"""A step of a rehearsal as a row: what it does, how it came out, and by which frame."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...widgets.parts import USES_SPACE, label
from ...widgets.theme import look, text_font

_SIGNS = {"passed": "✓", "failed": "✗", "left out": "–", "": "▸"}


class StepRow(QWidget):
    """A step as a sentence, with a sign and what decided it."""

    def __init__(
        self, number: str, words: str, path: tuple[int, ...], pick: Callable[[tuple[int, ...]], None],
        move: Callable[[tuple[int, ...], int], None],
    ) -> None:  # fmt: skip
        super().__init__()
        self.number, self.path = number, path
        self._pick, self._move = pick, move
        self.state = ""
        self._sign = label("")
        self._sign.setFixedWidth(16)
        self._sign.setFont(text_font(bold=True))
        self._words = label("", wrap=True)
        self.say(words)
        self._why = label("", "quiet", wrap=True)
        self._why.hide()
        if path:
            self.setAccessibleName(f"step {number}: {words}")
            self.setProperty(USES_SPACE, True)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self._words)
        column.addWidget(self._why)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 2)
        row.setSpacing(4)
        row.addWidget(self._sign)
        row.addLayout(column, 1)

    def say(self, words: str) -> None:
        """Show what the step does."""
        # back quotes are for those who write a condition, not for those who read one
        self._words.setText(f"{self.number}  {words.replace('`', '')}")

    def hold(self, is_held: bool) -> None:
        """Show that it is in hand."""
        self._words.setFont(text_font(bold=is_held))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.path:
            self._pick(self.path)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and self.path and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self._pick(self.path)
            return
        by = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0) if event is not None else 0
        if event is not None and self.path and by and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._move(self.path, by)
            return
        super().keyPressEvent(event)

    @property
    def why(self) -> str:
        """What is said of its outcome."""
        return self._why.text()

    def show_outcome(self, outcome: Any) -> None:
        """Show how the step came out, or that it is being done."""
        theme = look.theme
        self.state = outcome.state
        colours = {"passed": theme.good, "failed": theme.wrong}
        self._sign.setText(_SIGNS.get(outcome.state, ""))
        self._sign.setStyleSheet(f"color: {colours.get(outcome.state, theme.zest_text)}")
        self._sign.setAccessibleName(outcome.state or "being done")
        said = f"{outcome.reason} {outcome.frame}".strip()
        self._why.setText(said)
        self._why.setVisible(bool(said))
