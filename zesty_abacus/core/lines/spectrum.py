"""Which frequencies there are in radio and sound: its strongest lines, and the two a carrier is switched between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..waves.samples import Samples
from .levels import LevelHistogram, suggest_levels
from .moments import MOMENT, middles, stretches

_SPECTRUM = 8192
_LOUD_SHARE = 0.6
_QUIET_SHARE, _STANDS_OUT, _LOUDER = 0.5, 20.0, 4.0
"""Less than such a share of what is loud is quiet; what stands so far above its median there, and is not so much louder
where somebody sends, is steady."""
_LOOKED_AT = 64
"""Stretches of a recording whose spectra are looked at; which, a moment of each tells."""


@dataclass(frozen=True, slots=True)
class RadioFacts:
    """What a spectrum says.

    Attributes
    ----------
    peaks_hz
        Frequencies of the strongest lines, strongest first; negative ones only of I/Q.
    rise_db
        How far each stands above the median of the spectrum.
    """

    peaks_hz: tuple[float, ...]
    rise_db: tuple[float, ...]


def measure_spectrum(samples: Samples, count: int = 2) -> RadioFacts:
    """Find the strongest lines of the loudest stretches."""
    length = min(_SPECTRUM, len(samples))
    if length < 64:
        return RadioFacts((), ())
    frequencies, power = _loud_spectrum(samples, length)
    best = strongest_places(power, count, apart=max(length // 100, 3))
    floor = float(np.median(power)) or 1e-30
    return RadioFacts(
        tuple(float(frequencies[place]) for place in best),
        tuple(float(10 * np.log10(power[place] / floor)) for place in best),
    )


def strongest_places(power: NDArray[np.float64], count: int, *, apart: int) -> list[int]:
    """Return where the highest peaks stand, the highest first, none less than ``apart`` from one that is higher.

    SciPy has the like, but to load its signals takes a second, which is longer than most recordings take to be read.
    """
    # a flat top counts where it begins
    peaks = 1 + np.flatnonzero((power[1:-1] > power[:-2]) & (power[1:-1] >= power[2:]))
    peaks = peaks[np.argsort(-power[peaks], kind="stable")]
    found: list[int] = []
    while len(peaks) and len(found) < count:
        found.append(int(peaks[0]))
        peaks = peaks[np.abs(peaks - peaks[0]) >= apart]
    return found


def _loud_spectrum(samples: Samples, length: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return frequencies in order and the power at each, of the loudest stretches together."""
    # windows hear nothing at their ends: who sends there is in the middle of another stretch (Welch's method)
    starts = loudest(samples, length, _LOOKED_AT, overlap=2)
    pieces = [_complex(samples.values[start : start + length], samples) for start in np.sort(starts)]
    loud = np.array([_loudness(piece) for piece in pieces])
    least = _loud_from(loud)
    power = _mean_power([piece for piece, level in zip(pieces, loud, strict=True) if level >= least])
    quiet = _mean_power([piece for piece, level in zip(pieces, loud, strict=True) if level < _QUIET_SHARE * least])
    # what stands out as much while nobody sends is nobody's: hum of the mains, the leak of a receiver's own oscillator
    is_steady = (quiet > _STANDS_OUT * np.median(quiet)) & (power < _LOUDER * quiet)
    power[is_steady] = np.median(power)
    frequencies: NDArray[np.float64] = np.fft.fftfreq(length, 1 / samples.rate_hz).astype(np.float64)
    if not samples.is_iq:
        power = power[: length // 2]
        frequencies = frequencies[: length // 2]
        power[: max(length // 512, 2)] = 0
    order = np.argsort(frequencies)
    smooth: NDArray[np.float64] = np.convolve(power[order], np.ones(5) / 5, "same")
    return frequencies[order], smooth


def _mean_power(pieces: list[NDArray[np.complex128]]) -> NDArray[np.float64]:
    """Return the power at each frequency, on the average of stretches; an array of none has none."""
    if not pieces:
        return np.zeros(1)
    window = np.hanning(len(pieces[0]))
    return sum((np.abs(np.fft.fft(piece * window)) ** 2 for piece in pieces), np.zeros(len(window))) / len(pieces)


_ABOVE_NOISE, _ABOVE_LOUDEST, _AIR = 3.0, 1e-4, 0.25
_OF_CLIPPED, _AT_THE_TOP, _CLIPPED = 0.05, 0.98, 0.3
"""What counts of an overdriven wave, beside its loudest line; and which part of it lies so near to its highest values
(of a whole sine a fifth)."""


def _band_of(samples: Samples) -> tuple[float, float]:
    """Return between which frequencies what is sent stands out of the noise, with some air on both sides."""
    frequencies, power = _loud_spectrum(samples, min(_SPECTRUM, len(samples)))
    beyond = np.maximum(power - np.median(power), 0)
    least = _OF_CLIPPED if _is_clipped(samples) else _ABOVE_LOUDEST
    beyond[power < max(_ABOVE_NOISE * float(np.median(power)), least * float(power.max()))] = 0
    if not beyond.any():
        return -np.inf, np.inf
    share = np.cumsum(beyond) / beyond.sum()
    first, last = frequencies[np.searchsorted(share, (0.005, 0.995))]
    return first - _AIR * (last - first), last + _AIR * (last - first)


def _is_clipped(samples: Samples) -> bool:
    """Return whether a wave of sound was too strong for what recorded it: it has overtones that nobody sent then."""
    if samples.is_iq:
        return False
    # of so short a stretch a good part is listened to before: in a longer one somebody may have sent beside it
    length = min(4 * MOMENT, len(samples))
    begin = int(loudest(samples, length, 1, overlap=2)[-1])
    values = samples.values[begin : begin + length].astype(np.float64)
    size = np.abs(values - (values.min() + values.max()) / 2)
    loud = size[size > 0.5 * size.max()]
    return int(np.count_nonzero(loud > _AT_THE_TOP * size.max())) > _CLIPPED * len(loud)


def loudest(samples: Samples, length: int, count: int, *, overlap: int = 1) -> NDArray[np.int64]:
    """Return where the loudest stretches of a length begin, the loudest one last, of many all over a recording.

    Somebody who sends for a moment now and then is in few of them: so all are listened to for a moment.

    Parameters
    ----------
    overlap
        How many stretches any sample is in.
    """
    begins = stretches(samples, length, overlap=overlap)
    heard = middles(samples, begins, length)
    values = _complex(heard.reshape(-1, *heard.shape[2:]), samples).reshape(heard.shape[:2])
    return begins[np.argsort(_loudness(values))[-count:]]


def _loudness(values: NDArray[np.complex128]) -> NDArray[np.float64]:
    """Return how strong what moves is, along the last axis: the leak of an oscillator at 0 Hz sends nothing."""
    return np.asarray(np.var(values, axis=-1))


def _loud_from(power: NDArray[np.float64]) -> float:
    """Return the mean power from which on a stretch counts as one in which somebody sends."""
    return float(np.sort(power)[-2:][0]) * _LOUD_SHARE


def measure_tones(samples: Samples) -> tuple[float, float] | None:
    """Find the two frequencies a carrier is switched between, low one first; None if there are no two.

    The frequency at each moment, where the signal is strong, falls into two heaps. Where noise lets them run into each
    other, both must be lines of the spectrum; if they are not, its two strongest lines are taken if they are alike.
    """
    length = min(len(samples), 1 << 19)
    if length < 256:
        return None
    stretch = min(length, 4096)
    band = _band_of(samples)
    starts = np.sort(loudest(samples, stretch, _LOOKED_AT))
    found = [_frequencies(samples, start, stretch, band) for start in starts]
    loud = np.array([float(power.mean()) for _, power in found])
    # somebody who sends now and then is in few of them, and the others hold nothing but noise
    found = [one for one, power in zip(found, loud, strict=True) if power >= _loud_from(loud)]
    strong = np.concatenate([power for _, power in found])
    values = np.concatenate([frequency for frequency, _ in found])
    values = values[strong > 0.25 * np.quantile(strong, 0.98)]
    if len(values) < 256:
        return None
    low, high = np.quantile(values, (0.01, 0.99))
    counts, edges = np.histogram(values, 200, (low, high))
    suggestion = suggest_levels(LevelHistogram(np.convolve(counts, np.ones(5), "same").astype(np.int64), edges))
    apart = suggestion.high - suggestion.low
    heaps = np.array([suggestion.low, suggestion.high])
    close = np.abs(values[:, None] - heaps).min(axis=1) < _NEAR * apart
    if apart > samples.rate_hz / 2000 and close.mean() >= _IN_HEAPS:
        return suggestion.low, suggestion.high
    lines = measure_spectrum(samples, _MOST_LINES)
    near = np.abs(np.array(lines.peaks_hz)[:, None] - heaps).min(axis=0, initial=np.inf) < _NEAR * apart
    return (suggestion.low, suggestion.high) if apart > samples.rate_hz / 2000 and near.all() else _two_lines(lines)


_MOST_LINES, _NEAR, _IN_HEAPS = 6, 0.15, 0.6
_ALIKE_DB, _LOUD_DB = 6.0, 14.0


def _two_lines(lines: RadioFacts) -> tuple[float, float] | None:
    """Return the two strongest lines of a spectrum, the low one first, if they stand out alike and above all others."""
    if len(lines.rise_db) < 2:
        return None
    first, second, *rest = lines.rise_db
    if first - second > _ALIKE_DB or second < _LOUD_DB or (rest and second - rest[0] < _ALIKE_DB / 2):
        return None
    low, high = sorted(lines.peaks_hz[:2])
    return low, high


def _frequencies(samples: Samples, start: int, length: int, band: tuple[float, float]) -> tuple[NDArray, NDArray]:
    """Return frequency and power at each moment of a stretch, over a few samples each.

    Of what lies within a band alone: noise of the whole band would draw each frequency to the middle of it.
    """
    piece = np.fft.fft(_complex(samples.values[start : start + length], samples))
    frequencies = np.fft.fftfreq(len(piece), 1 / samples.rate_hz)
    piece[(frequencies < band[0]) | (frequencies > band[1])] = 0
    if not samples.is_iq:
        piece[frequencies < 0] = 0  # of a real wave they are the others once more (the analytic signal)
    piece = np.fft.ifft(piece)
    turn = piece[1:] * np.conj(piece[:-1])
    over = np.ones(7) / 7
    turn = np.convolve(turn, over, "valid")
    return np.angle(turn) * samples.rate_hz / (2 * np.pi), np.abs(turn)


def _complex(values: NDArray, samples: Samples) -> NDArray[np.complex128]:
    physical = values.astype(np.float64) * samples.scale + samples.offset
    if samples.is_iq:
        return physical[:, 0] + 1j * physical[:, 1]
    return physical - physical.mean() + 0j
