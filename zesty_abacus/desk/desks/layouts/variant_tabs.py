"""Tabs over the plan: one for each variant of a message with selectors."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QTabBar, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.parts import plain_tip

_LONGEST = 28


class VariantTabs(QTabBar):
    """All of a message, or what it holds under one value of its selectors.

    Events
    ------
    chosen
        Another variant is in hand.
    """

    chosen = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self._session = session
        self._variants: list[laid.Variant] = []
        self.setAccessibleName("Variants of the message")
        self.setExpanding(False)
        self.setDrawBase(False)
        self.setUsesScrollButtons(True)
        self.currentChanged.connect(lambda _number: self.chosen.emit())
        self.hide()

    @property
    def variant(self) -> laid.Variant | None:
        """The variant in hand, None for all of the message."""
        number = self.currentIndex() - 1
        return self._variants[number] if 0 <= number < len(self._variants) else None

    def show_layout(self, layout: engine.Layout | None) -> None:
        """Offer the variants of a layout; the one in hand stays if it is still there."""
        variants = laid.variants_of(layout) if layout is not None else []
        if variants == self._variants:
            return
        held = self.variant.held if self.variant is not None else None
        self.blockSignals(True)
        while self.count():
            self.removeTab(0)
        self._variants = variants
        if variants:
            self.addTab("whole message")
            for number, variant in enumerate(variants, 1):
                words = variant.words if len(variant.words) <= _LONGEST else variant.words[: _LONGEST - 1] + "…"
                self.addTab(words)
                self.setTabToolTip(number, plain_tip(f"What is there while {variant.words}"))
            kept = next((n for n, one in enumerate(variants, 1) if one.held == held), 0)
            self.setCurrentIndex(kept)
        self.blockSignals(False)
        self.setVisible(bool(variants))

    def go(self, step: int) -> None:
        """Take the next variant in hand, or the one before."""
        if self.count():
            self.setCurrentIndex((self.currentIndex() + step) % self.count())
