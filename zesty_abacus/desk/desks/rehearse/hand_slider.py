"""A slider beside a field: for what is fed by hand."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QSlider

from ...app.doors import engine

_WIDTH = 92


class HandSlider(QSlider):
    """Moves along the values that a field can be put to.

    Events
    ------
    moved
        (value as text) a person moved it.
    """

    moved = pyqtSignal(str)

    def __init__(self, name: str, stops: Any) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._stops = stops
        self._is_following = False
        self.setAccessibleName(f"{name} by hand")
        self.setFixedWidth(_WIDTH)
        self.setRange(0, stops.count - 1)
        self.setPageStep(max(stops.count // 10, 1))
        self.setToolTip(f"{engine.format_exact(stops.low)} to {engine.format_exact(stops.value(stops.count - 1))}")
        self.follow("0")
        self.valueChanged.connect(self._tell)

    def follow(self, text: str) -> None:
        """Stand where a value is; what is no number leaves it where it is."""
        try:
            value = Fraction(text.strip() or "0")
        except (ValueError, ZeroDivisionError):
            return
        self._is_following = True
        self.setValue(self._stops.nearest(value))
        self._is_following = False

    def _tell(self, stop: int) -> None:
        if not self._is_following:
            self.moved.emit(engine.format_exact(self._stops.value(stop)))
