"""What all desks have in common, and the desks of a window, each made when it is first needed."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import TypeVar

from PyQt6.QtWidgets import QWidget

NARROW, LOW = 1100, 640
"""Below these a window has room for less at once."""
NEVER = 1 << 24
"""Wider than any window."""


class Desk(QWidget):
    """A place of the window for one part of the work.

    A desk is made when it is first needed, perhaps long after a trial was opened: it shows what there is when it is
    made, and follows the events of the session from then on.

    Attributes
    ----------
    name
        As the header shows it.
    side
        The panel for the right side of the window.
    left
        The panel for the left side, None for the roster.
    left_from
        The width of a window from which that is shown.
    strip_from
        The height of a window from which the strip shows its lanes.
    """

    name: str
    side: QWidget
    left: QWidget | None = None
    left_from: int = 0
    strip_from: int = LOW

    def keys_first(self) -> tuple[QWidget, ...]:
        """Return what takes the keys while nothing else was chosen; the first of them that is to be seen does."""
        return ()

    def step_frame(self, by: int) -> bool:
        """Go so many frames on in the desk's own list; say whether it has one."""
        return False


DeskT = TypeVar("DeskT", bound=Desk)


class Desks(Mapping[str, Desk]):
    """The desks of a window by name, in the order of the work.

    A window starts with the one it shows: six more take as long as all the rest of it, and few people need all of them.

    Parameters
    ----------
    makers
        What makes each desk.
    place
        Gives a desk that was made its place in the window.
    """

    def __init__(self, makers: Mapping[str, Callable[[], Desk]], place: Callable[[Desk], None]) -> None:
        self._makers = makers
        self._place = place
        self._made: dict[str, Desk] = {}

    def __getitem__(self, name: str) -> Desk:
        if name not in self._made:
            self._made[name] = desk = self._makers[name]()
            self._place(desk)
        return self._made[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._makers)

    def __len__(self) -> int:
        return len(self._makers)

    def of(self, desk: type[DeskT]) -> DeskT:
        """Return the desk of a class."""
        made = self[desk.name]
        assert isinstance(made, desk)
        return made

    def if_made(self, desk: type[DeskT]) -> DeskT | None:
        """Return the desk of a class if anybody needed it yet, else None."""
        return self.of(desk) if desk.name in self._made else None
