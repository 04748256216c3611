"""Radio and audio to a line of two levels: the envelope of on-off keying, the difference of two tones.

Everything goes through the whole recording chunk by chunk with its state carried on, so nothing depends on where a
chunk ends. Filters are moving means of a given length; their first zero lies at the reciprocal of that length.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..progress import Progress
from ..waves.edges import Edges
from ..waves.samples import Samples
from .bipolar import signs_while
from .levels import find_edges
from .moments import MOMENT, middles, stretches


def envelope(samples: Samples, shift_hz: float, smooth_us: float, progress: Progress | None = None) -> Samples:
    """Return how strong a carrier is over time.

    Parameters
    ----------
    shift_hz
        Frequency of the carrier in the recording; it is moved to zero before the moving mean.
    smooth_us
        Length of the moving mean; samples are thinned to four a length.
    """
    window = max(int(samples.rate_hz * smooth_us / 1e6), 1)
    step = max(window // 4, 1)
    window = step * max(round(window / step), 1)
    out = []
    state = np.zeros(4)
    sums = np.zeros((window // step, 2))
    place = np.zeros(2, np.int64)
    turn = -2 * np.pi * shift_hz / samples.rate_hz
    offsets = _offsets(samples)
    for begin, chunk in samples.chunks():
        if progress is not None:
            progress.step(begin / max(len(samples), 1), "following the carrier")
        iq = chunk if samples.is_iq else np.stack([chunk, np.zeros_like(chunk)], axis=1)
        room = np.empty(len(iq) // step + 2, np.float32)
        made = _envelope(iq, begin, turn, *offsets, step, sums, state, place, room)
        out.append(room[:made].copy())
    values = np.concatenate(out) if out else np.empty(0, np.float32)
    late = (step - window / 2) / samples.rate_hz * 1e9
    return Samples(
        values * np.float32(abs(samples.scale)), samples.rate_hz / step, begin_ns=samples.begin_ns + round(late)
    )


def _offsets(samples: Samples) -> tuple[float, float]:
    """Return what is added to a sample before it is mixed, to each of its two parts, in counts.

    Sound has no steady part; what a sound card adds, and the middle of unsigned samples, would be mixed down to where a
    tone is looked for.
    """
    if samples.is_iq:
        offset = samples.offset / (samples.scale or 1.0)
        return offset, offset
    if not len(samples):
        return 0.0, 0.0
    length = min(MOMENT, len(samples))
    return -float(np.mean(middles(samples, stretches(samples, length), length), dtype=np.float64)), 0.0


@njit(cache=True, nogil=True)
def _envelope(iq, begin, turn, offset, imaginary_offset, step, sums, state, place, room):  # type: ignore[no-untyped-def]
    """Mix, sum up steps, and take the size of the sum over a ring of steps."""
    real, imaginary = state[0], state[1]
    inside, slot = place[0], place[1]
    made = 0
    # the carrier is turned step by step; its size is put right each sample by a first-order term
    phase = turn * begin
    c, s = np.cos(phase), np.sin(phase)
    dc, ds = np.cos(turn), np.sin(turn)
    total_real, total_imaginary = state[2], state[3]
    for n in range(len(iq)):
        a, b = iq[n, 0] + offset, iq[n, 1] + imaginary_offset
        real += a * c - b * s
        imaginary += a * s + b * c
        c, s = c * dc - s * ds, c * ds + s * dc
        inside += 1
        if inside == step:
            size = 1.5 - 0.5 * (c * c + s * s)
            c *= size
            s *= size
            total_real += real - sums[slot, 0]
            total_imaginary += imaginary - sums[slot, 1]
            sums[slot, 0], sums[slot, 1] = real, imaginary
            slot = slot + 1 if slot + 1 < len(sums) else 0
            room[made] = np.sqrt(total_real**2 + total_imaginary**2) / (step * len(sums))
            made += 1
            real = imaginary = 0.0
            inside = 0
    state[0], state[1], state[2], state[3] = real, imaginary, total_real, total_imaginary
    place[0], place[1] = inside, slot
    return made


_HEARD = 0.5
"""Share of the loudest at which a sender is fully believed."""
_STEADIER = 5 / 8
_QUIET, _QUIET_PART = 0.4, 0.1
"""Where such a part of a recording is below such a share of the loudest, nobody sends there."""
_SILENCE, _LOUDEST_SILENCE = 64, 0.5
"""So many samples, sixteen moving means, that are less than such a share of the loudest together are a silence."""
_LOW_IN_QUIET = 0.2
"""Part of the quiet samples that lie below what is taken as their level: others are near a flank."""


@dataclass(frozen=True, slots=True, eq=False)
class ToneDifference:
    """How much more of a high tone than of a low one there is.

    Attributes
    ----------
    wave
        From -1 to 1, near 0 where neither is heard.
    loudness
        How strong both are together, where there is silence between what is sent; None where somebody sends all along.
    """

    wave: Samples
    loudness: Samples | None


def tone_difference(
    samples: Samples, low_hz: float, high_hz: float, smooth_us: float, progress: Progress | None = None
) -> ToneDifference:
    """Return how much more of the high tone than of the low one there is.

    Where both are much weaker than while somebody sends, the difference fades: noise between packets would
    otherwise swing as far as a tone does, and now and then spell a packet.
    """
    low = envelope(samples, low_hz, smooth_us, progress)
    high = envelope(samples, high_hz, smooth_us, progress)
    total = low.values + high.values
    some = total[:: max(len(total) // 500_000, 1)]
    quiet, loud = (float(level) for level in np.quantile(some, (_QUIET_PART, 0.98))) if len(some) else (0.0, 0.0)
    floor = float(np.median(some)) * 1e-3 + 1e-12 if len(some) else 1e-12
    heard = np.clip(total / max(loud * _HEARD, floor), 0.0, 1.0)
    values = ((high.values - low.values) / np.maximum(total, floor) * heard).astype(np.float32)
    wave = Samples(values, low.rate_hz, begin_ns=low.begin_ns)
    silent = quiet < _QUIET * loud or _has_silence(total, loud)
    return ToneDifference(wave, Samples(total, low.rate_hz, begin_ns=low.begin_ns) if silent else None)


def _has_silence(total: NDArray[np.float32], loud: float) -> bool:
    """Return whether nobody sends for a while, however short it is beside the rest."""
    stretches = total[: len(total) // _SILENCE * _SILENCE].reshape(-1, _SILENCE).mean(axis=1)
    return bool(stretches.min(initial=np.inf) < _LOUDEST_SILENCE * loud)


def tone_edges(difference: ToneDifference, above: float = 0.0, dead_band: float = 0.0) -> Edges:
    """Return which tone is sent when: 1 the high one, 0 the low one; with silence between 1, -1 and 0 of neither.

    When a tone begins is told by the loudness, and which one it is by the difference: a threshold on each side of the
    difference would shorten symbols that are no longer than the moving mean.
    """
    signs = find_edges(difference.wave, above, dead_band)
    if difference.loudness is None:
        return signs
    some = difference.loudness.values[:: max(len(difference.loudness) // 500_000, 1)]
    quiet = some[some < _QUIET * float(np.quantile(some, 0.98))]
    # two tones together are steadier in noise than one carrier, whose quiet level keyed_edges multiplies by eight
    floor = float(np.quantile(quiet, _LOW_IN_QUIET)) if len(quiet) else 0.0
    keys, _ = keyed_edges(difference.loudness, floor=floor * _STEADIER)
    return signs_while(signs, keys)


def keyed_edges(level: Samples, hold_ms: float = 25.0, floor: float | None = None) -> tuple[Edges, NDArray[np.float32]]:
    """Find when a carrier is keyed, with a threshold that follows it.

    The threshold lies half way between the noise and a peak that is held for a while and then fades, but never less
    than eight times the quiet level. So weak and strong senders in one recording are both read. What lies within one
    moving mean counts wholly: before its first flank nothing was heard yet, and behind its last one nothing will be.

    Returns
    -------
    edges
    threshold : float32 (n,)
        At each sample of ``level``, to be shown.
    """
    values = np.asarray(level.values, np.float32)
    if floor is None:
        floor = float(np.quantile(values[:: max(len(values) // 500_000, 1)], 0.15)) if len(values) else 0.0
    threshold = np.empty(len(values), np.float32)
    places = np.empty(len(values) + 1, np.float64)
    decay = np.exp(-1.0 / max(level.rate_hz * hold_ms / 1000, 1.0))
    count, first = _keyed(values, np.float64(floor), decay, threshold, places)
    times = np.rint(places[:count] * (1e9 / level.rate_hz)).astype(np.int64) + level.begin_ns
    return Edges.of_toggles(times, first, level.begin_ns, level.end_ns), threshold


_FLANK = 4
"""Samples in the moving mean of an envelope, as long as a flank takes."""


@njit(cache=True, nogil=True)
def _keyed(values, floor, decay, threshold, places):  # type: ignore[no-untyped-def]
    count = first = 0
    level = 0
    # of noise alone one sample in fifty thousand is beyond this: eight times its 15 % quantile is 4.6 sigma
    least = max(8.0 * floor, 1e-9)
    # a look-back pass sets the peak before a burst rises, so that its first flank is judged like its others
    peak = 0.0
    for n in range(len(values) - 1, -1, -1):
        peak = max(values[n], floor + (peak - floor) * decay)
        threshold[n] = peak
    peak = 0.0
    for n in range(len(values)):
        peak = max(values[n], floor + (peak - floor) * decay)
        value = values[n]
        held = min(peak, threshold[n])
        # what is near is asked for only where something is sent or might begin: elsewhere that is half the work
        if level == 1 or value > least:
            for near in range(max(n - _FLANK, 0), min(n + _FLANK + 1, len(values))):
                held = max(held, values[near])
        limit = max((held + floor) / 2, least)
        threshold[n] = limit
        band = 0.15 * (limit - floor)
        if n == 0:
            level = first = 1 if value > limit else 0
        elif (level == 0 and value > limit + band) or (level == 1 and value < limit - band):
            before = values[n - 1]
            part = (limit - before) / (value - before) if value != before else 0.0
            places[count] = n - 1 + min(max(part, 0.0), 1.0)
            count += 1
            level = 1 - level
    return count, first
