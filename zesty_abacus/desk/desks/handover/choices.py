"""Rows of buttons of which one is chosen."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable

from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QWidget

from ...widgets.parts import button
from ...widgets.wrapping import WrappingRow

_GAP = 5


class Choices(QWidget):
    """Buttons side by side, one of which is down.

    Parameters
    ----------
    choices
        Values and their words.
    wraps
        Whether those that do not fit go on in the next line, as where packages bring more of them.
    """

    def __init__(
        self, name: str, choices: tuple[tuple[str, str], ...], changed: Callable[[], None], *, wraps: bool = False
    ) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.value = choices[0][0]
        self._group = QButtonGroup(self)
        self._changed = changed
        self.buttons: dict[str, QAbstractButton] = {}
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        self._line: QHBoxLayout | WrappingRow = WrappingRow(_GAP) if wraps else QHBoxLayout()
        self._line.setSpacing(_GAP)
        line.addLayout(self._line, 1 if wraps else 0)
        if not wraps:
            line.addStretch(1)
        self.offer(choices)

    def offer(self, choices: Iterable[tuple[str, str]]) -> None:
        """Add choices that are not there yet, such as those of packages that are found when they are first needed."""
        for value, words in choices:
            if value in self.buttons:
                continue
            made = button(words)
            made.setCheckable(True)
            made.setChecked(value == self.value)
            made.clicked.connect(lambda _on, value=value: self._take(value))
            self._group.addButton(made)
            self.buttons[value] = made
            self._line.addWidget(made)

    def limit_to(self, values: Collection[str]) -> None:
        """Show only some of the choices; the first of them is chosen where the one that was is not among them."""
        for value, made in self.buttons.items():
            made.setVisible(value in values)
        if self.value not in values:
            first = next(value for value in self.buttons if value in values)
            self.buttons[first].setChecked(True)
            self.value = first

    def choose(self, value: str) -> None:
        """Choose as a click on the button would."""
        self.buttons[value].click()

    def _take(self, value: str) -> None:
        if value != self.value:
            self.value = value
            self._changed()
