"""What the sensors and switches of a made-up machine say over time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Random = np.random.Generator
_STEP_S = 0.005


@dataclass(frozen=True, slots=True, eq=False)
class Signal:
    """A quantity between 0 and 1, or a state from 0 on.

    Attributes
    ----------
    name
    values : float64 (n,)
        Every five milliseconds.
    states
        How many states there are; 0 of a quantity.
    noise
        Standard deviation of each reading, as a share of the whole range.
    crosses_zero
        Whether its middle is a zero that it crosses.
    """

    name: str
    values: NDArray[np.float64]
    states: int = 0
    noise: float = 0.0
    crosses_zero: bool = False

    def at(self, times_s: NDArray[np.float64], random: Random) -> NDArray[np.float64]:
        """Return what is read at some times, with noise of its own for every reading."""
        place = times_s / _STEP_S
        if self.states:
            return self.values[np.minimum(place.astype(np.int64), len(self.values) - 1)]
        found = np.interp(place, np.arange(len(self.values)), self.values)
        return np.clip(found + random.normal(0, 1, len(times_s)) * self.noise, 0, 1)


def quantity(name: str, seconds: float, random: Random) -> Signal:
    """Return a quantity of a random nature: slow, swinging, driven in steps, or wandering."""
    count = int(seconds / _STEP_S) + 2
    time = np.arange(count) * _STEP_S
    nature = random.choice(["swing", "wander", "drive", "warm", "swing", "drive"])
    if nature == "swing":
        values = sum(
            random.uniform(0.2, 1) * np.sin(time * 2 * np.pi / random.uniform(4, 60) + random.uniform(0, 6.3))
            for _ in range(3)
        )
    elif nature == "wander":
        values = _smoothed(np.cumsum(random.normal(0, 1, count)), random.uniform(0.3, 2))
    elif nature == "drive":
        # a lever that is moved now and then, and what follows it with a lag
        values = _smoothed(_held(count, random, 2, 12), random.uniform(0.2, 3))
    else:
        # a stove that is switched on and off ripples at a pace of its own
        ripple = np.sin(time * 2 * np.pi / random.uniform(12, 45) + random.uniform(0, 6.3))
        values = 1 - np.exp(-time / random.uniform(20, 90)) + random.uniform(0.005, 0.03) * ripple
    low, high = float(values.min()), float(values.max())
    begin = random.uniform(0.02, 0.35)
    values = begin + (values - low) / max(high - low, 1e-9) * random.uniform(0.25, 0.95 - begin)
    noise = float(random.choice([0, 0, 0.0003, 0.002]))
    return Signal(name, np.asarray(values), noise=noise, crosses_zero=bool(random.random() < 0.35))


def state(name: str, seconds: float, random: Random, states: int | None = None) -> Signal:
    """Return a state that is held for seconds at a time."""
    states = int(random.integers(2, 7)) if states is None else states
    count = int(seconds / _STEP_S) + 2
    values, place, now = np.zeros(count), 0, int(random.integers(states))
    while place < count:
        length = int(random.uniform(1.5, 14) / _STEP_S)
        values[place : place + length] = now
        place += length
        # mostly to a neighbour, as machines do, sometimes anywhere
        now = (now + 1) % states if random.random() < 0.5 else int((now + random.integers(1, states)) % states)
    return Signal(name, values, states=states)


def switched(name: str, seconds: float, times_s: list[float]) -> Signal:
    """Return a switch that is turned over at some times."""
    count = int(seconds / _STEP_S) + 2
    time = np.arange(count) * _STEP_S
    return Signal(name, sum((time >= at).astype(np.float64) for at in times_s) % 2, states=2)


def _held(count: int, random: Random, shortest: float, longest: float) -> NDArray[np.float64]:
    values, place = np.zeros(count), 0
    while place < count:
        length = int(random.uniform(shortest, longest) / _STEP_S)
        values[place : place + length] = random.uniform(0, 1)
        place += length
    return values


def _smoothed(values: NDArray[np.float64], seconds: float) -> NDArray[np.float64]:
    """Return values that follow others with a time constant."""
    from scipy.signal import lfilter

    share = _STEP_S / max(seconds, _STEP_S)
    start = np.array([values[0] * (1 - share)])
    return np.asarray(lfilter([share], [1, share - 1], values, zi=start)[0])
