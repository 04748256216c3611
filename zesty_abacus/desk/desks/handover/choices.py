"""Rows of buttons of which one is chosen."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QWidget

from ...widgets.parts import button


class Choices(QWidget):
    """Buttons side by side, one of which is down.

    Parameters
    ----------
    choices
        Values and their words.
    """

    def __init__(self, name: str, choices: tuple[tuple[str, str], ...], changed: Callable[[], None]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.value = choices[0][0]
        self._group = QButtonGroup(self)
        self._changed = changed
        self.buttons = {}
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        for value, words in choices:
            made = button(words)
            made.setCheckable(True)
            made.setChecked(value == self.value)
            made.clicked.connect(lambda _on, value=value: self._take(value))
            self._group.addButton(made)
            self.buttons[value] = made
            line.addWidget(made)
        line.addStretch(1)

    def choose(self, value: str) -> None:
        """Choose as a click on the button would."""
        self.buttons[value].click()

    def _take(self, value: str) -> None:
        if value != self.value:
            self.value = value
            self._changed()
