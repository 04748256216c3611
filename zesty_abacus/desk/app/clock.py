"""One time axis, one cursor: what every desk and the strip share."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from ..widgets.words import exact_time

_COARSE_DIGITS = 3
_FINE_VIEW_NS = 2_000_000
_SHORTEST_VIEW_NS = 100
"""A view of one bit of a fast line."""
_READABLE_NS = 15_000_000_000
FOLLOWED_NS = 10_000_000_000
"""How much of a live recording is shown at first."""


class Clock(QObject):
    """The stretch of time in hand, the visible part of it, the cursor and the pin; all in nanoseconds.

    Recordings of different days are stretches of their own: one is in hand, and times are counted from its beginning.
    A cursor or view that is wanted elsewhere takes the stretch there in hand.

    Attributes
    ----------
    stretches
        First and last time of each, in order of time.
    first_ns, last_ns
        Of the one in hand.
    is_following
        Whether the newest frames of a live recording stay in sight.

    Events
    ------
    cursor_changed
        The cursor moved.
    view_changed
        Another part is visible, or the capture is another.
    pin_changed
        The pin was set or taken away.
    stretch_changed
        Another stretch of the same capture is in hand: times are counted from elsewhere.
    following_changed
        The newest frames are followed, or no longer.
    """

    cursor_changed = pyqtSignal()
    view_changed = pyqtSignal()
    pin_changed = pyqtSignal()
    stretch_changed = pyqtSignal()
    following_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.stretches: list[tuple[int, int]] = [(0, 1)]
        self.first_ns = 0
        self.last_ns = 1
        self.view_first_ns = 0
        self.view_last_ns = 1
        self.cursor_ns = 0
        self.pin_ns: int | None = None
        self.is_following = False
        self._followed_ns = FOLLOWED_NS
        self._recorded_digits = _COARSE_DIGITS

    def start(self, stretches: Sequence[tuple[int, int]], digits: int = 6) -> None:
        """Begin with another capture: its last stretch in hand, the cursor a third in, a readable part around it shown.

        Parameters
        ----------
        stretches
            First and last time of each, in order of time; at least one, and none empty.
        digits
            Behind the point of a second, that its times have: 3, 6 or 9.
        """
        self._recorded_digits = digits
        self.stretches = list(stretches)
        self.first_ns, self.last_ns = self.stretches[-1]
        self.pin_ns = None
        self._set_following(False)
        self.cursor_ns = self.first_ns + (self.last_ns - self.first_ns) // 3
        self._show_around(self.cursor_ns)
        self.pin_changed.emit()
        self.view_changed.emit()
        self.cursor_changed.emit()

    # what comes live

    def grow(self, stretches: Sequence[tuple[int, int]]) -> None:
        """Let recordings reach further, or a new one begin; what is followed stays in sight, all else where it is."""
        self.stretches = list(stretches)
        self._take_in_hand(self.stretches[-1] if self.is_following else self._stretch_at(self.cursor_ns))
        if self.is_following:
            self._show_newest()
        else:
            self._put_view(self.view_first_ns, self.view_last_ns)

    def follow(self, span_ns: int | None = None) -> None:
        """Keep the newest frames in sight until somebody looks elsewhere; ``span_ns`` is how much is shown."""
        self._followed_ns = max(self.view_span_ns if span_ns is None else span_ns, _SHORTEST_VIEW_NS)
        self._set_following(True)
        self._take_in_hand(self.stretches[-1])
        self._show_newest()

    def stay(self) -> None:
        """Follow no longer: what is in sight stays."""
        self._set_following(False)

    def _show_newest(self) -> None:
        before, self.cursor_ns = self.cursor_ns, self.last_ns
        # a stretch that has just begun is shorter than what is to be shown of it later
        self._place_view(self.last_ns - self._followed_ns, self.last_ns)
        self.view_changed.emit()
        if self.cursor_ns != before:
            self.cursor_changed.emit()

    def _set_following(self, is_following: bool) -> None:
        if is_following != self.is_following:
            self.is_following = is_following
            self.following_changed.emit()

    # stretches

    @property
    def stretch(self) -> int:
        """Which stretch is in hand."""
        return self.stretches.index((self.first_ns, self.last_ns))

    def next_stretch(self, by: int = 1) -> None:
        """Take the next stretch in hand, behind the last one the first, or with -1 the one before."""
        first, last = self.stretches[(self.stretch + by) % len(self.stretches)]
        self.set_cursor(first + (last - first) // 3, follow=True)

    def _stretch_at(self, time_ns: int) -> tuple[int, int]:
        """Return the stretch that a time lies in, or lies nearest to."""
        return min(self.stretches, key=lambda one: max(one[0] - time_ns, time_ns - one[1], 0))

    def _take_in_hand(self, stretch: tuple[int, int]) -> bool:
        """Take a stretch in hand; return whether times are counted from elsewhere now, which is told."""
        is_other = stretch[0] != self.first_ns
        self.first_ns, self.last_ns = stretch
        if is_other:
            self.stretch_changed.emit()
        return is_other

    @property
    def view_span_ns(self) -> int:
        """Length of the visible part."""
        return self.view_last_ns - self.view_first_ns

    def set_cursor(self, time_ns: int, *, follow: bool = False) -> None:
        """Move the cursor; with ``follow`` the view comes along if it would leave it, into another stretch always."""
        self.stay()
        is_elsewhere = self._take_in_hand(self._stretch_at(time_ns))
        time_ns = min(max(time_ns, self.first_ns), self.last_ns)
        if is_elsewhere:
            self._show_around(time_ns)
            self.view_changed.emit()
        elif follow and not self.view_first_ns <= time_ns <= self.view_last_ns:
            half = self.view_span_ns // 2
            self.set_view(time_ns - half, time_ns + half)
        if time_ns != self.cursor_ns:
            self.cursor_ns = time_ns
            self.cursor_changed.emit()

    def set_view(self, first_ns: int, last_ns: int) -> None:
        """Show another part; it is kept inside the stretch that its middle is in."""
        self.stay()
        is_elsewhere = self._take_in_hand(self._stretch_at((first_ns + last_ns) // 2))
        self._put_view(first_ns, last_ns)
        if is_elsewhere:
            # a cursor in another stretch would be nowhere
            self.set_cursor(min(max(self.cursor_ns, self.view_first_ns), self.view_last_ns))

    def zoom(self, factor: float, at_ns: int) -> None:
        """Show ``factor`` times as much, with the time at the pointer staying where it is."""
        span = max(int(self.view_span_ns * factor), _SHORTEST_VIEW_NS)
        if self.is_following:
            # closer to what comes, or further away from it, and it still comes
            span = int(self._followed_ns * factor)
            self.follow(min(span, max(self.last_ns - self.first_ns, FOLLOWED_NS)))
            return
        share = (at_ns - self.view_first_ns) / max(self.view_span_ns, 1)
        first = at_ns - int(span * share)
        self.set_view(first, first + span)

    def pan(self, by_ns: int) -> None:
        """Move the view by some time."""
        self.set_view(self.view_first_ns + by_ns, self.view_last_ns + by_ns)

    def show_all(self) -> None:
        """Show the whole stretch."""
        self.set_view(self.first_ns, self.last_ns)

    def toggle_pin(self) -> None:
        """Put the pin at the cursor, or take it away if it is there."""
        self.pin_ns = None if self.pin_ns == self.cursor_ns else self.cursor_ns
        self.pin_changed.emit()

    @property
    def digits(self) -> int:
        """How many digits of a second are shown: as many as the recording has, and as the zoom needs."""
        # where a thousandth of the view is a microsecond, the next three digits are needed to tell bits apart
        needed = 9 if self.view_span_ns < _FINE_VIEW_NS else 6
        return min(max(self._recorded_digits, _COARSE_DIGITS), needed)

    def words(self, time_ns: int) -> str:
        """Return a time since the stretch in hand began, in seconds, exactly: ``412.371 204``."""
        return exact_time(time_ns - self.first_ns, self.digits)

    def seconds(self, time_ns: int) -> float:
        """Return a time in seconds since the stretch in hand began."""
        return (time_ns - self.first_ns) / 1e9

    def _put_view(self, first_ns: int, last_ns: int) -> None:
        """Show another part, and tell if it is another one."""
        before = (self.view_first_ns, self.view_last_ns)
        self._place_view(first_ns, last_ns)
        if (self.view_first_ns, self.view_last_ns) != before:
            self.view_changed.emit()

    def _show_around(self, time_ns: int) -> None:
        whole = self.last_ns - self.first_ns
        shown = min(whole, max(whole // 8, _READABLE_NS))
        self._place_view(time_ns - shown // 2, time_ns - shown // 2 + shown)

    def _place_view(self, first_ns: int, last_ns: int) -> None:
        span = min(max(last_ns - first_ns, _SHORTEST_VIEW_NS), max(self.last_ns - self.first_ns, 1))
        first = min(max(first_ns, self.first_ns), self.last_ns - span)
        self.view_first_ns, self.view_last_ns = first, first + span
