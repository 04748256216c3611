"""Where a desk stands in the window: in the middle, with a panel at its left and one at its right."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QScrollArea, QSplitter, QStackedWidget, QWidget

from .desks.desk import NARROW, Desk
from .widgets.parts import in_room

_SPLIT, _NARROW_SPLIT = (246, 732, 302), (188, 576, 194)
_LEAST_CENTRE = 420


class Room(QSplitter):
    """The desk that is shown, between its panels.

    Parameters
    ----------
    roster
        The panel at the left of desks that have none of their own.

    Attributes
    ----------
    left, centre, side
        What is there of all desks, one on the other.
    """

    def __init__(self, roster: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._roster = roster
        self._areas: dict[str, QScrollArea] = {}
        self.left, self.centre, self.side = QStackedWidget(), QStackedWidget(), QStackedWidget()
        self.left.addWidget(roster)
        self.setHandleWidth(1)
        for part in (self.left, self.centre, self.side):
            self.addWidget(part)
        self.setStretchFactor(1, 1)
        self.setSizes(list(_SPLIT))
        self.setCollapsible(1, False)
        self.left.setMinimumWidth(_NARROW_SPLIT[0])
        self.side.setMinimumWidth(_NARROW_SPLIT[2])
        self.centre.setMinimumWidth(_LEAST_CENTRE)

    def place(self, desk: Desk) -> None:
        """Give a desk that was made its place."""
        self._areas[desk.name] = area = in_room(desk)
        self.centre.addWidget(area)
        self.side.addWidget(desk.side)
        if desk.left is not None:
            self.left.addWidget(desk.left)

    def show_desk(self, desk: Desk, width: int) -> None:
        """Show a desk in a window of a width."""
        self.centre.setCurrentWidget(self._areas[desk.name])
        self.side.setCurrentWidget(desk.side)
        self.left.setCurrentWidget(self._roster if desk.left is None else desk.left)
        self.left.setVisible(width >= desk.left_from)

    def fit(self, width: int) -> None:
        """Divide a window that became narrow, or wide again."""
        self.setSizes(list(_NARROW_SPLIT if width < NARROW else _SPLIT))
