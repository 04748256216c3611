"""Which frames a list shows, and in which order."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from ..app.session import FrameInHand, Session

if TYPE_CHECKING:
    from ...core.frames.capture import Capture
    from ...core.frames.order import RowsInOrder, TimeOrder

_WINDOW = 1024
"""Rows that are looked up at once; a screen shows a few dozen."""


class ListedFrames(QObject):
    """All frames of the capture, of some lanes or of the kind in hand, or hits, by their place in the list.

    Events
    ------
    changed
        Others are listed.
    """

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._only_kind = False
        self._only_hits = False
        self._lanes: frozenset[int] | None = None
        self._capture: Capture | None = None
        self._order: TimeOrder | RowsInOrder | None = None
        self._rows: dict[int, NDArray[np.uint32]] = {}
        self._chosen: tuple[TimeOrder | RowsInOrder, int] | None = None
        session.opened.connect(lambda: self.show_lanes(None))
        session.in_hand.changed.connect(self._on_kind)
        session.asking.changed.connect(self._on_asked)

    @property
    def follows_the_kind(self) -> bool:
        """Whether only frames of the kind in hand are listed."""
        return self._only_kind

    def show_kind(self, only: bool) -> None:
        """List only frames of the kind in hand, or all."""
        self._only_kind = only
        self.look_again()

    def show_hits(self, only: bool) -> None:
        """List only frames in which the condition in hand holds, or all; while it is not known where, all."""
        self._only_hits = only
        self.look_again()

    @property
    def follows_the_hits(self) -> bool:
        """Whether only hits are listed."""
        return self._only_hits

    def show_lanes(self, lanes: frozenset[int] | None) -> None:
        """List only frames of these lane numbers; None is all."""
        capture = self._session.capture
        is_all = lanes is None or (capture is not None and lanes == frozenset(range(len(capture.lanes))))
        self._lanes = None if is_all else lanes
        self.look_again()

    def look_again(self) -> None:
        """Find out anew which frames are listed."""
        self._forget()
        self.changed.emit()

    def _forget(self) -> None:
        self._order, self._rows = None, {}

    def _on_kind(self) -> None:
        if self._only_kind:
            self.look_again()

    def _on_asked(self) -> None:
        if self._only_hits:
            self.look_again()

    def order(self) -> TimeOrder | RowsInOrder:
        """Return the frames that are listed, in order of time."""
        session = self._session
        if self._capture is not session.capture:
            # a capture that takes the place of another tells the clock first, and lists are asked meanwhile
            self._capture = session.capture
            self._forget()
        if self._order is None:
            hits = session.asking.hits if self._only_hits else None
            if hits is not None and session.capture.has_grown_from(hits.capture):
                self._order = hits.in_order()
            elif self._only_kind and session.in_hand.kind is not None:
                self._order = session.capture.order_of_kind(session.in_hand.kind)
            elif self._lanes is not None:
                self._order = session.capture.order_of_lanes(self._lanes)
            else:
                self._order = session.capture.order
        return self._order

    def row(self, place: int) -> int:
        """Return the row of the capture at a place of the list."""
        order = self.order()
        first = place // _WINDOW * _WINDOW
        if first not in self._rows:
            if len(self._rows) > 2:
                self._rows.clear()
            self._rows[first] = order.rows(first, first + _WINDOW)
        return int(self._rows[first][place - first])

    def choose(self, place: int) -> None:
        """Take the frame at a place in hand, of several at one moment."""
        self._chosen = (self.order(), place)

    def current(self) -> int:
        """Return the place of the last frame at or before the cursor, -1 before the first.

        Of several at that moment it is the one that was chosen, until the cursor is at another moment: both lines of a
        bus have frames at once.
        """
        order = self.order()
        place = order.count_until(self._session.clock.cursor_ns) - 1
        if self._chosen is None or self._chosen[0] is not order or place < 0:
            return place
        chosen = self._chosen[1]
        rows = np.array([self.row(place), self.row(chosen)], np.uint32)
        last, mine = self._session.capture.frames.times(rows).tolist()
        return chosen if mine == last else place

    def in_hand(self) -> FrameInHand | None:
        """Return the frame at the cursor, None before the first."""
        session = self._session
        place = self.current() if session.capture is not None else -1
        if place < 0:
            return None
        row = self.row(place)
        lane, address, flags = session.kinds.origin(session.store.kind_of_row(row))
        return FrameInHand(lane, session.capture.frames.at(row).time_ns, address, flags)

    def time_since_last(self, place: int) -> int | None:
        """Return how many nanoseconds lie between a frame and the one listed before it; None for the first."""
        if place == 0:
            return None
        rows = np.array([self.row(place - 1), self.row(place)], np.uint32)
        before, at = self._session.capture.frames.times(rows).tolist()
        return at - before
