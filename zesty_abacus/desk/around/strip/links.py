"""What can be pressed at the top of the strip: to fold its lanes, and to go to the recordings of another day."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime

from PyQt6.QtWidgets import QPushButton, QWidget

from ...app.session import Session
from ...app.settings import save_settings
from ...widgets.parts import button
from ...widgets.theme import TINY_PX, text_font
from .lanes import StripLanes
from .scale import NAMES_WIDTH

_LEFT, _TOP = 12, 1


class StripLinks:
    """Says whether the lanes are folded, and which stretch is shown.

    Parameters
    ----------
    changed
        Called when the lanes were folded or shown again.

    Attributes
    ----------
    fold, stretch
    """

    def __init__(self, session: Session, lanes: StripLanes, strip: QWidget, changed: Callable[[], None]) -> None:
        self._session, self._lanes, self._changed = session, lanes, changed
        self._wants_room = self._is_kept_open = False
        self.fold = _link(strip, "Fold the lanes, or show them with their names (Shift L)")
        self.fold.move(_LEFT, _TOP)
        self.fold.clicked.connect(self.turn_fold)
        self.stretch = _link(strip, "Go to the recordings of another day (Alt Right, Alt Left)")
        self.stretch.clicked.connect(lambda: session.clock.next_stretch())
        self.show()

    def turn_fold(self) -> None:
        """Fold the lanes, or show them again; it is remembered."""
        settings = self._session.settings
        settings.strip_folded = not self._lanes.is_folded
        self._is_kept_open = self._wants_room and not settings.strip_folded
        save_settings(settings)
        self._set_folded(settings.strip_folded)

    def fold_for_room(self, wants_room: bool) -> None:
        """Fold the lanes while their room is wanted, unless a person showed them then; what was chosen comes back."""
        if wants_room != self._wants_room:
            self._wants_room = wants_room
            self._set_folded((wants_room and not self._is_kept_open) or self._session.settings.strip_folded)

    def _set_folded(self, folded: bool) -> None:
        self._lanes.is_folded = folded
        self._changed()

    def show(self) -> None:
        """Say what pressing them does now."""
        clock = self._session.clock
        self.fold.setText("Show lanes" if self._lanes.is_folded else "Fold lanes")
        self.fold.adjustSize()
        self.fold.setVisible(self._session.capture is not None)
        self.stretch.setVisible(len(clock.stretches) > 1)
        if len(clock.stretches) > 1:
            begins = datetime.fromtimestamp(clock.first_ns // 1_000_000_000, UTC)
            self.stretch.setText(f"{begins:%Y-%m-%d %H:%M}, {clock.stretch + 1} of {len(clock.stretches)}")
            self.stretch.adjustSize()
            self.stretch.move(NAMES_WIDTH - self.stretch.width(), _TOP)


def _link(strip: QWidget, tip: str) -> QPushButton:
    made = button("", tip, link=True)
    made.setParent(strip)
    made.setFont(text_font(TINY_PX))
    return made
