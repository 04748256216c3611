"""Turns channels into edges: by thresholds, by how strong a carrier is, by which of two tones is sent."""

from __future__ import annotations

from dataclasses import dataclass, replace

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..lines.bipolar import is_bipolar
from ..lines.levels import (
    LevelFacts,
    LevelHistogram,
    LevelSuggestion,
    find_edges,
    level_histogram,
    measure_levels,
    suggest_levels,
)
from ..lines.pulses import PulseLine, measure_pulses
from ..lines.radio import envelope, keyed_edges, tone_difference, tone_edges
from ..lines.spectrum import RadioFacts, loudest, measure_spectrum, measure_tones
from ..lines.timing import bit_time
from ..progress import Progress
from ..waves.edges import Edges
from ..waves.recording import Channel
from ..waves.samples import Samples
from .model import LevelSetting

_LOOKS_US, _CLEARLY = (40.0, 80.0, 160.0, 320.0, 640.0), 1.25
"""Lengths of the moving mean that are tried, and how many times as long a pulse is that is none of noise."""
_MOST_OF_PULSE = 0.65
"""A moving mean of more would leave nothing of the shortest pulse."""


@dataclass(frozen=True, slots=True, eq=False)
class PreparedLine:
    """A channel ready to be decoded, with what is shown of it.

    Attributes
    ----------
    asked
        The setting it was made by.
    setting
        The same with every None replaced by what was found.
    edges
    wave
        The samples to draw: the channel's own, or an envelope or tone difference made of them; None of a digital one.
    threshold : float32 (n,) or None
        A threshold that follows the wave, sample by sample.
    histogram, suggestion, facts
        Of the wave's levels; None of a digital channel.
    spectrum
        Of radio and audio.
    """

    asked: LevelSetting
    setting: LevelSetting
    edges: Edges
    wave: Samples | None = None
    threshold: NDArray[np.float32] | None = None
    histogram: LevelHistogram | None = None
    suggestion: LevelSuggestion | None = None
    facts: LevelFacts | None = None
    spectrum: RadioFacts | None = None


def prepare_line(
    channel: Channel, setting: LevelSetting, span_ns: tuple[int, int] | None = None, progress: Progress | None = None
) -> PreparedLine:
    """Turn a channel into edges.

    Parameters
    ----------
    span_ns
        Only this part; levels are judged over the whole channel all the same.
    """
    if channel.edges is not None:
        edges = channel.edges if span_ns is None else channel.edges.between(*span_ns)
        return PreparedLine(setting, setting, _cleaned(edges, setting))
    assert channel.samples is not None
    samples = channel.samples
    if setting.kind == "threshold" and not samples.is_iq:
        return _by_threshold(samples, setting, span_ns, progress)
    if setting.kind == "tones":
        return _by_tones(samples, setting, span_ns, progress)
    return _by_envelope(samples, setting, span_ns, progress)


def _cleaned(edges: Edges, setting: LevelSetting) -> Edges:
    edges = edges.without_glitches(round(setting.ignore_under_us * 1000))
    return edges.inverted() if setting.inverted else edges


def _by_threshold(
    samples: Samples, setting: LevelSetting, span_ns: tuple[int, int] | None, progress: Progress | None
) -> PreparedLine:
    histogram = level_histogram(samples)
    suggestion = suggest_levels(histogram)
    above = suggestion.above if setting.above is None else setting.above
    below = setting.below if setting.below is not None or setting.above is not None else suggestion.below
    band = suggestion.dead_band if setting.dead_band is None else setting.dead_band
    edges = _cleaned(find_edges(samples, above, band, below, span_ns, progress), setting)
    done = msgspec.structs.replace(setting, above=above, below=below, dead_band=band)
    return PreparedLine(
        setting, done, edges, samples, None, histogram, suggestion, measure_levels(samples, edges, suggestion)
    )


def _part(samples: Samples, span_ns: tuple[int, int] | None) -> Samples:
    """Return a part of samples with some air before it, so that a level that follows the wave has settled."""
    if span_ns is None:
        return samples
    air = 50_000_000
    first, last = (int(i) for i in samples.indexes_of(np.array([span_ns[0] - air, span_ns[1] + air])))
    begin = samples.time_of(first)
    return replace(
        samples, values=samples.values[first:last], begin_ns=begin, lows=samples.lows[:0], highs=samples.highs[:0]
    )


def _by_envelope(
    samples: Samples, setting: LevelSetting, span_ns: tuple[int, int] | None, progress: Progress | None
) -> PreparedLine:
    spectrum = measure_spectrum(samples)
    carrier = setting.carrier_hz
    if carrier is None:
        carrier = spectrum.peaks_hz[0] if spectrum.peaks_hz else 0.0
    smooth = setting.smooth_us or _smooth_for(samples, carrier)
    wave = envelope(_part(samples, span_ns), carrier, smooth, progress).with_ranges()
    floor = None if setting.above is None else max(2 * setting.above, 0.0)
    if setting.above is not None:
        edges = find_edges(wave, setting.above, setting.dead_band or setting.above * 0.2)
        threshold = None
    else:
        edges, threshold = keyed_edges(wave, floor=floor)
    histogram = level_histogram(wave)
    done = msgspec.structs.replace(setting, kind="envelope", carrier_hz=carrier, smooth_us=smooth)
    return PreparedLine(
        setting, done, _cleaned(edges, setting), wave, threshold, histogram, suggest_levels(histogram), None, spectrum
    )


def _smooth_for(samples: Samples, carrier: float) -> float:
    """Return a third of the shortest pulse that a look at the loudest stretch shows.

    In much noise a short moving mean shows nothing but noise, whose pulses are as short as the mean itself; so longer
    ones are tried until pulses are multiples of one time. What is sent is then read with no less than showed it.
    """
    least = 4e6 / samples.rate_hz
    part = _part(samples, _loud_span(samples))
    first, best, most = 0.0, 0.0, 0.0
    for look in sorted({max(look, least) for look in _LOOKS_US}):
        edges = keyed_edges(envelope(part, carrier, look))[0].without_glitches(round(look * 1000))
        facts = measure_pulses(edges, PulseLine(line=""))
        if facts is None:
            continue
        unit = facts.unit_ns / 1000
        smooth = float(np.clip(max(unit / 3, min(look, _MOST_OF_PULSE * unit)), least, 2000.0))
        first = first or smooth
        share = bit_time(edges.widths())[1] if unit >= _CLEARLY * look else 0.0
        if share > most:
            best, most = smooth, share
        if share >= _MULTIPLES:
            break
    return best or first or max(_LOOKS_US[0], least)


def _loud_span(samples: Samples) -> tuple[int, int] | None:
    """Return the stretch of a few million samples around the strongest signal, None for all of it."""
    most = 4_000_000
    if len(samples) <= most:
        return None
    middle = int(loudest(samples, 2048, 1)[-1])
    first = min(max(middle - most // 2, 0), len(samples) - most)
    return samples.time_of(first), samples.time_of(first + most)


_TONE_BAND, _PART_OF_SWING = 0.2, 1 / 3
_MULTIPLES = 0.85
_TOLD_APART = 0.8
"""Waves by which two tones differ within a moving mean that clearly tells them apart."""


def _dead_band_of_tones(apart_hz: float, smooth_us: float) -> float:
    """Return how far a difference of tones has to go beyond none: less where a short mean hears both at once.

    Of a tone beside it a moving mean lets through the sinc of the waves by which they differ.
    """
    other = abs(float(np.sinc(apart_hz * smooth_us / 1e6)))
    return min(_TONE_BAND, _PART_OF_SWING * (1 - other) / (1 + other))


def _smooth_for_tones(samples: Samples, low: float, high: float) -> float:
    """Return a third of a symbol, as a first look at the loudest stretch shows it; tones must be told apart in it.

    Where they lie so near to each other that a symbol is shorter than what tells them apart, it is the symbol: a longer
    mean would swallow single ones.
    """
    least = 4e6 / samples.rate_hz
    apart = float(np.clip(_TOLD_APART * 1e6 / max(high - low, 1.0), least, 5000.0))
    part = _part(samples, _loud_span(samples))
    first = 0.0
    for look in (apart, apart / 2, 3 * apart, 9 * apart):
        band = _dead_band_of_tones(high - low, look)
        edges = tone_edges(tone_difference(part, low, high, look), 0.0, band)
        edges = edges.without_glitches(round(look * 1000))
        unit, share = bit_time(edges.widths()[edges.level[:-1] != 0] if is_bipolar(edges) else edges.widths())
        if not np.isfinite(unit):
            continue
        smooth = float(np.clip(unit / 3000, max(min(apart, unit / 1000), least), 5000.0))
        first = first or smooth
        # noise has pulses of all lengths; what is sent has multiples of a symbol
        if share >= _MULTIPLES:
            return smooth
    return first or apart


def _by_tones(
    samples: Samples, setting: LevelSetting, span_ns: tuple[int, int] | None, progress: Progress | None
) -> PreparedLine:
    spectrum = measure_spectrum(samples)
    low, high = setting.carrier_hz, setting.high_hz
    if low is None or high is None:
        tones = measure_tones(samples) or (0.0, samples.rate_hz / 8)
        low, high = tones[0] if low is None else low, tones[1] if high is None else high
    smooth = setting.smooth_us or _smooth_for_tones(samples, low, high)
    made = tone_difference(_part(samples, span_ns), low, high, smooth, progress)
    wave = made.wave.with_ranges()
    above = 0.0 if setting.above is None else setting.above
    band = _dead_band_of_tones(high - low, smooth) if setting.dead_band is None else setting.dead_band
    if setting.below is not None:
        edges = find_edges(wave, above, band, setting.below)
    else:
        edges = tone_edges(made, above, band)
    done = msgspec.structs.replace(setting, kind="tones", carrier_hz=low, high_hz=high, smooth_us=smooth, above=above,
                                   dead_band=band)  # fmt: skip
    histogram = level_histogram(wave)
    return PreparedLine(
        setting, done, _cleaned(edges, setting), wave, None, histogram, suggest_levels(histogram), None, spectrum
    )
