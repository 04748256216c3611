"""Lines as samples: levels as a probe sees them, a carrier that is keyed, or two tones."""

from __future__ import annotations

import numpy as np
import scipy  # its parts load on first use, which spares every start a second
from numpy.typing import NDArray

from ..recipes.model import LevelSetting
from ..waves.edges import Edges
from .errors import DrawError

_SWING = 1.5
"""So far above and below its threshold a channel swings, in its unit."""
_HIGH = 3.0
_LOW_TONE, _HIGH_TONE = 1200.0, 2200.0
_CYCLES = 8.0
"""Cycles of a carrier in the shortest symbol, where the recipe measures it."""
_LOUD = 0.8


def levels_at(line: Edges, times_ns: NDArray[np.floating]) -> NDArray[np.int64]:
    """Return the level of a line at moments in order."""
    places = np.searchsorted(line.time_ns, times_ns, side="right")
    levels: NDArray[np.int64] = np.concatenate([[line.first], line.level])[places].astype(np.int64)
    return levels


def shortest_ns(lines: list[Edges]) -> float:
    """Return the shortest time for which any line keeps a level; raises DrawError if nothing ever changes."""
    widths = [int(line.widths()[line.widths() > 0].min()) for line in lines if (line.widths() > 0).any()]
    if not widths:
        raise DrawError("nothing changes on any line.")
    return float(min(widths))


def voltages(
    line: Edges, setting: LevelSetting, rate_hz: float, noise: float, random: np.random.Generator, rise_ns: float = 0.0
) -> NDArray[np.float64]:
    """Return a line as a probe sees it, around the thresholds that its setting has, or from 0 to 3."""
    count = int(line.end_ns * rate_hz / 1e9) + 1
    level = levels_at(line, np.arange(count) * (1e9 / rate_hz)).astype(np.float64)
    is_bipolar = bool(len(line)) and int(line.level.min()) < 0
    if is_bipolar:
        above = setting.above if setting.above is not None else _HIGH / 2
        below = setting.below if setting.below is not None else -above
        middle = (above + below) / 2
        values = middle + level * max(2 * (above - middle), 1e-9)
    else:
        low = setting.above - _SWING if setting.above is not None else 0.0
        values = low + level * (2 * _SWING if setting.above is not None else _HIGH)
        values = 2 * low + (2 * _SWING if setting.above is not None else _HIGH) - values if setting.inverted else values
    if rise_ns:
        # a time constant that takes rise_ns from one tenth to nine tenths
        pull = 1 - np.exp(-(1e9 / rate_hz) / max(rise_ns / 2.197, 1e-9))
        values, _ = scipy.signal.lfilter([pull], [1, pull - 1], values, zi=[values[0] * (1 - pull)])
    return values + random.normal(0, noise, count) if noise else values


def sound(
    line: Edges, setting: LevelSetting, rate_hz: float, noise: float, random: np.random.Generator
) -> NDArray[np.floating]:
    """Return a line as sound between -1 and 1: its level, a carrier while it is high, or a tone for each level."""
    count = int(line.end_ns * rate_hz / 1e9) + 1
    times = np.arange(count) * (1e9 / rate_hz)
    level = levels_at(line, times)
    values: NDArray[np.floating]
    if setting.kind == "tones":
        hertz = np.where(level > 0, setting.high_hz or _HIGH_TONE, setting.carrier_hz or _LOW_TONE)
        values = _LOUD * np.sin(2 * np.pi * np.cumsum(hertz) / rate_hz)
    elif setting.kind == "envelope":
        values = _LOUD * (level > 0) * np.sin(2 * np.pi * carrier_hz(line, setting) * times / 1e9)
    else:
        is_bipolar = bool(len(line)) and int(line.level.min()) < 0
        values = _LOUD * (level if is_bipolar else 2.0 * level - 1)
        values = -values if setting.inverted else values
    return values + random.normal(0, noise, count) if noise else values


def keyed(
    line: Edges, setting: LevelSetting, rate_hz: float, noise: float, random: np.random.Generator
) -> NDArray[np.complex128]:
    """Return I/Q samples of a carrier that is on while a line is high."""
    count = int(line.end_ns * rate_hz / 1e9) + 1
    times_s = np.arange(count) / rate_hz
    offset = setting.carrier_hz if setting.carrier_hz is not None else rate_hz / 8
    values = _LOUD * (levels_at(line, times_s * 1e9) > 0) * np.exp(2j * np.pi * offset * times_s)
    if noise:
        values = values + random.normal(0, noise, count) + 1j * random.normal(0, noise, count)
    return values


def carrier_hz(line: Edges, setting: LevelSetting) -> float:
    """Return the carrier of an envelope, one that fits where the recipe measures it."""
    return setting.carrier_hz or _CYCLES * 1e9 / shortest_ns([line])


def tones_rate(setting: LevelSetting) -> float:
    """Return how many samples a second two tones need."""
    return 8 * max(setting.high_hz or _HIGH_TONE, setting.carrier_hz or _LOW_TONE)
