"""One time axis, one cursor: what every desk and the strip share."""

from __future__ import annotations

from datetime import UTC, datetime

from PyQt6.QtCore import QObject, pyqtSignal

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


def time_text(seconds: float, digits: int = 3) -> str:
    """Write seconds with a thin space before the microseconds: ``412.371 204``."""
    text = f"{seconds:.{digits}f}".replace("-", "−")
    whole, _, part = text.partition(".")
    groups = [part[i : i + 3] for i in range(0, len(part), 3)]
    return f"{whole}.{chr(0x2009).join(groups)}" if part else whole


def exact_time(nanoseconds: int, digits: int) -> str:
    """Write a whole number of nanoseconds in seconds, without rounding on the way through a float."""
    unit = 10 ** (9 - digits)
    rounded = (abs(nanoseconds) + unit // 2) // unit
    whole, part = divmod(rounded, 10**digits)
    sign = "−" if nanoseconds < 0 and rounded else ""
    text = f"{part:0{digits}d}"
    return f"{sign}{whole}.{chr(0x2009).join(text[i : i + 3] for i in range(0, digits, 3))}"


def span_text(nanoseconds: float) -> str:
    """Write a length of time in the unit that suits it: ``9.98 ms``."""
    size = abs(nanoseconds)
    for limit, divisor, unit in ((1e3, 1.0, "ns"), (1e6, 1e3, "µs"), (1e9, 1e6, "ms"), (120e9, 1e9, "s")):
        if size < limit:
            return f"{nanoseconds / divisor:.3g} {unit}".replace("-", "−")
    return f"{nanoseconds / 60e9:.1f} min".replace("-", "−")


def grouped(number: int) -> str:
    """Write a count with a thin space between groups of three digits."""
    return f"{number:,}".replace(",", "\u2009")


def when_text(moment: datetime) -> str:
    """Return a time near to now in words: ``today 10:42``, ``3 Nov``, ``3 Nov 2025``."""
    local = moment.astimezone()
    now = datetime.now(UTC).astimezone()
    if local.date() == now.date():
        return f"today {local:%H:%M}"
    return f"{local.day} {local:%b}" if local.year == now.year else f"{local.day} {local:%b %Y}"
