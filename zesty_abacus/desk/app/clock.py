"""One time axis, one cursor: what every desk and the strip share."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from ..widgets.words import exact_time

_COARSE_DIGITS = 3
_FINE_VIEW_NS = 2_000_000
_SHORTEST_VIEW_NS = 100
"""A view of one bit of a fast line."""


class Clock(QObject):
    """The span of the capture, the visible part of it, the cursor and the pin; all in nanoseconds.

    Events
    ------
    cursor_changed
        The cursor moved.
    view_changed
        Another part is visible, or the capture is another.
    pin_changed
        The pin was set or taken away.
    """

    cursor_changed = pyqtSignal()
    view_changed = pyqtSignal()
    pin_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.first_ns = 0
        self.last_ns = 1
        self.view_first_ns = 0
        self.view_last_ns = 1
        self.cursor_ns = 0
        self.pin_ns: int | None = None
        self._recorded_digits = _COARSE_DIGITS

    def start(self, first_ns: int, last_ns: int, digits: int = 6) -> None:
        """Begin with another capture: the cursor a third in, and a readable part around it visible.

        Parameters
        ----------
        digits
            Behind the point of a second, that its times have: 3, 6 or 9.
        """
        self._recorded_digits = digits
        self.first_ns, self.last_ns = first_ns, max(last_ns, first_ns + 1)
        self.pin_ns = None
        self.cursor_ns = first_ns + (self.last_ns - first_ns) // 3
        shown = min(self.last_ns - first_ns, max((self.last_ns - first_ns) // 8, 15_000_000_000))
        self._place_view(self.cursor_ns - shown // 2, self.cursor_ns - shown // 2 + shown)
        self.pin_changed.emit()
        self.view_changed.emit()
        self.cursor_changed.emit()

    @property
    def view_span_ns(self) -> int:
        """Length of the visible part."""
        return self.view_last_ns - self.view_first_ns

    def set_cursor(self, time_ns: int, *, follow: bool = False) -> None:
        """Move the cursor; with ``follow`` the view comes along if it would leave it."""
        time_ns = min(max(time_ns, self.first_ns), self.last_ns)
        if follow and not self.view_first_ns <= time_ns <= self.view_last_ns:
            half = self.view_span_ns // 2
            self.set_view(time_ns - half, time_ns + half)
        if time_ns != self.cursor_ns:
            self.cursor_ns = time_ns
            self.cursor_changed.emit()

    def set_view(self, first_ns: int, last_ns: int) -> None:
        """Show another part; it is kept inside the capture."""
        before = (self.view_first_ns, self.view_last_ns)
        self._place_view(first_ns, last_ns)
        if (self.view_first_ns, self.view_last_ns) != before:
            self.view_changed.emit()

    def zoom(self, factor: float, at_ns: int) -> None:
        """Show ``factor`` times as much, with the time at the pointer staying where it is."""
        span = max(int(self.view_span_ns * factor), _SHORTEST_VIEW_NS)
        share = (at_ns - self.view_first_ns) / max(self.view_span_ns, 1)
        first = at_ns - int(span * share)
        self.set_view(first, first + span)

    def pan(self, by_ns: int) -> None:
        """Move the view by some time."""
        self.set_view(self.view_first_ns + by_ns, self.view_last_ns + by_ns)

    def show_all(self) -> None:
        """Show the whole capture."""
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
        """Return a time since the capture began, in seconds, exactly: ``412.371 204``."""
        return exact_time(time_ns - self.first_ns, self.digits)

    def seconds(self, time_ns: int) -> float:
        """Return a time in seconds since the capture began."""
        return (time_ns - self.first_ns) / 1e9

    def _place_view(self, first_ns: int, last_ns: int) -> None:
        span = min(max(last_ns - first_ns, _SHORTEST_VIEW_NS), max(self.last_ns - self.first_ns, 1))
        first = min(max(first_ns, self.first_ns), self.last_ns - span)
        self.view_first_ns, self.view_last_ns = first, first + span
