"""A bar that shows a share and waits its turn to be painted."""

from __future__ import annotations

from PyQt6.QtWidgets import QProgressBar

_STEPS = 1000


class ShareBar(QProgressBar):
    """A thin bar without words, for a share in 0..1."""

    def __init__(self) -> None:
        super().__init__()
        self.setTextVisible(False)
        self.setRange(0, _STEPS)

    def show_share(self, share: float) -> None:
        """Show a share in 0..1 as soon as the window is painted again."""
        # Qt paints a bar at once, and with it all that waits to be painted in the window; while something is being
        # painted, which may ask for work and so move a bar, that takes the picture away from under its painter
        self.setUpdatesEnabled(False)
        self.setValue(round(share * _STEPS))
        self.setUpdatesEnabled(True)
