"""How many of the readings go on: at most so often, only what changed, or means."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Protocol

from ..errors import MisuseError
from .readings import Reading, Value

_Key = tuple[str, str]


class Thinning(Protocol):
    """Lets readings through; they come in order of time, and each message of a lane is counted by itself."""

    def take(self, reading: Reading) -> Iterator[Reading]:
        """Yield what goes on now that a reading has come."""
        ...

    def rest(self) -> Iterator[Reading]:
        """Yield what is left when no more come."""
        ...


class AtMost:
    """Lets a reading through only so long after the last one, on the capture's clock.

    Parameters
    ----------
    period_ns
        0 lets everything through.
    """

    def __init__(self, period_ns: int) -> None:
        self._period_ns = period_ns
        self._last: dict[_Key, int] = {}

    def take(self, reading: Reading) -> Iterator[Reading]:
        key = reading.lane, reading.message
        last = self._last.get(key)
        if last is None or not 0 <= reading.time_ns - last < self._period_ns:
            self._last[key] = reading.time_ns
            yield reading

    def rest(self) -> Iterator[Reading]:
        yield from ()


class OnChange:
    """Lets only the values through that are others than before; a reading without any stays."""

    def __init__(self) -> None:
        self._last: dict[_Key, dict[str, Value]] = {}

    def take(self, reading: Reading) -> Iterator[Reading]:
        before = self._last.setdefault((reading.lane, reading.message), {})
        changed = {key: value for key, value in reading.values.items() if key not in before or before[key] != value}
        if changed:
            before.update(changed)
            yield Reading(reading.time_ns, reading.lane, reading.message, changed)

    def rest(self) -> Iterator[Reading]:
        yield from ()


@dataclass(slots=True)
class _Stretch:
    """What came since a time: its numbers, and the last of its texts."""

    begin_ns: int
    last_ns: int
    numbers: dict[str, list[float]] = field(default_factory=dict)
    texts: dict[str, str] = field(default_factory=dict)

    def add(self, reading: Reading) -> None:
        self.last_ns = reading.time_ns
        for key, value in reading.values.items():
            if isinstance(value, str):
                self.texts[key] = value
            else:
                self.numbers.setdefault(key, []).append(value)

    def reading(self, key: _Key) -> Reading:
        # summed exactly, so that the mean of a value that stays is that value
        means: dict[str, Value] = {name: math.fsum(some) / len(some) for name, some in self.numbers.items()}
        return Reading(self.last_ns, *key, {**means, **self.texts})


class Means:
    """Lets the mean of a stretch through: of numbers their arithmetic mean, of texts the last one.

    A stretch begins with the first reading behind the one before; its reading has the time of the last that went in.
    """

    def __init__(self, period_ns: int) -> None:
        if period_ns < 1:
            raise MisuseError("a mean is taken over some time.", hint="Write how long, as 1s.")
        self._period_ns = period_ns
        self._open: dict[_Key, _Stretch] = {}

    def take(self, reading: Reading) -> Iterator[Reading]:
        key = reading.lane, reading.message
        stretch = self._open.get(key)
        if stretch is not None and not 0 <= reading.time_ns - stretch.begin_ns < self._period_ns:
            yield stretch.reading(key)
            stretch = None
        if stretch is None:
            stretch = self._open[key] = _Stretch(reading.time_ns, reading.time_ns)
        stretch.add(reading)

    def rest(self) -> Iterator[Reading]:
        ready = sorted(self._open.items(), key=lambda one: one[1].last_ns)
        self._open = {}
        yield from (stretch.reading(key) for key, stretch in ready)


class InTurn:
    """One way of thinning behind another."""

    def __init__(self, ways: Iterable[Thinning]) -> None:
        self._ways = list(ways)

    def take(self, reading: Reading) -> Iterator[Reading]:
        yield from self._through(iter([reading]), 0)

    def rest(self) -> Iterator[Reading]:
        for number, way in enumerate(self._ways):
            yield from self._through(way.rest(), number + 1)

    def _through(self, readings: Iterator[Reading], first: int) -> Iterator[Reading]:
        for way in self._ways[first:]:
            readings = _passed(readings, way)
        yield from readings


def _passed(readings: Iterator[Reading], way: Thinning) -> Iterator[Reading]:
    for one in readings:
        yield from way.take(one)


def thinning_of(*, at_most_ns: int = 0, mean_ns: int = 0, on_change: bool = False) -> Thinning:
    """Return what thins as it is asked for: means first, then what changed, then how often.

    Raises
    ------
    MisuseError
        If both a mean and how often at most are asked for: the one says the other.
    """
    if mean_ns and at_most_ns:
        raise MisuseError("a mean comes once in its time anyway.", hint="Leave out one of the two.")
    ways: list[Thinning] = [Means(mean_ns)] if mean_ns else []
    ways += [OnChange()] if on_change else []
    ways += [AtMost(at_most_ns)] if at_most_ns else []
    return InTurn(ways)
