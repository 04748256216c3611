"""An entry that narrows the list below it; Return goes on in the list."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtWidgets import QWidget

from .hinted_line import HintedLine


class FilterLine(HintedLine):
    """Words that a list is narrowed to.

    Parameters
    ----------
    name
        What it is called for screen readers.
    hints
        Shown while nothing is typed, the fullest that there is room for.
    """

    def __init__(self, name: str, *hints: str) -> None:
        super().__init__(*hints)
        self.setAccessibleName(name)
        self.setClearButtonEnabled(True)

    def lead_to(self, work: QWidget, hits: Callable[[], Sequence[Any]], take: Callable[[Any], None]) -> None:
        """Have Return give the keys to a list, where arrows choose; what is the only hit is taken at once.

        Parameters
        ----------
        hits
            What the list holds for the words as they stand.
        """

        def go_on() -> None:
            found = hits()
            if not found:
                return  # the words are what has to be changed
            work.setFocus()
            if len(found) == 1:
                take(found[0])

        self.returnPressed.connect(go_on)
