"""Registers that say by which power of ten others are to be multiplied."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from ...layouts.places import Places, byte_bits, format_places
from ...words import grouped
from ..finding import Said
from ..seen import Seen
from ..words import count_of, share_words

_LARGEST = 10
"""Powers of ten go from minus this to this."""
_LEAST_CHANGES, _LEAST_SHARE = 1, 0.9
_NEAR = 0.08
"""By how much, in powers of ten, a number may have gone on while its scale changed."""
_LEAST_DIGITS = 20
"""A raw number below this is too coarse to tell a factor of ten by."""
_WEAK, _PERHAPS = 0.35, 0.5


def with_scales(seen: Seen, found: Sequence[Said], own: NDArray[np.int64]) -> list[Said]:
    """Return what was found, with what scales numbers.

    A scale that changed is told by what the numbers did when it did. One that never moves can only be guessed: it is
    told as another reading of its bits.

    Parameters
    ----------
    own : int64 (m,)
        The bytes of the payload that are looked at.
    """
    registers = [first for first in own.tolist() if first % 2 == 0 and first + 1 in own]
    moving = {format_places(Places(bits)): bits for bits in map(_bits, registers) if _is_moving_scale(seen, bits)}
    made = [_scaled(seen, one, moving) if _is_number(one) else one for one in found]
    told = {bits for one in made if (bits := moving.get(one.parameters.get("power_of_ten", ""))) is not None}
    # a scale was said by its bits until now
    made = [one for one in made if not any(set(bits).issuperset(one.bits) for bits in told)]
    made += [_scale(seen, bits, made) for bits in sorted(told)]
    return [*made, *_still(seen, registers, made)]


def _is_moving_scale(seen: Seen, bits: tuple[int, ...]) -> bool:
    return bool(seen.moves[list(bits)].any() and np.abs(seen.numbers(bits, signed=True)).max() <= _LARGEST)


def _scaled(seen: Seen, one: Said, scales: Mapping[str, tuple[int, ...]]) -> Said:
    """Return a number with the register that scales it; as it is where none does."""
    made = (_scaled_by(seen, one, bits) for bits in scales.values())
    return next((said for said in made if said is not None), one)


def _is_number(one: Said) -> bool:
    is_field = one.kind == "field" and not one.when and not one.instead_of
    return is_field and one.parameters["reading"] in ("unsigned", "signed") and len(one.bits) >= 16


def _bits(first: int) -> tuple[int, ...]:
    return byte_bits((first, first + 1))


def _scaled_by(seen: Seen, one: Said, bits: tuple[int, ...]) -> Said | None:
    """Return a number with the register that scales it, None if it does not jump by tens when that changes."""
    if set(bits) & set(one.bits):
        return None
    scale = seen.numbers(bits, signed=True)
    values = np.abs(seen.numbers(one.bits, signed=one.parameters["reading"] == "signed")).astype(np.float64)
    changes = np.flatnonzero((np.diff(scale) != 0) & seen.follows[1:])
    told = changes[np.minimum(values[changes], values[changes + 1]) >= _LEAST_DIGITS]
    if len(told) < _LEAST_CHANGES:
        return None
    went = np.log10(values[told + 1] / values[told]) + np.diff(scale)[told]
    kept = int((np.abs(went) <= _NEAR).sum())
    if kept < max(_LEAST_SHARE * len(told), _LEAST_CHANGES):
        return None
    places = format_places(Places(bits))
    reason = (
        f"{one.reason} In {share_words(kept, len(told), 'time')} that {places} changed it went the other way by as "
        f"many powers of ten: it is to be multiplied by ten to the power of {places}."
    )
    sure = max(one.confidence, 0.9 if len(told) > 1 else 0.8)
    return replace(one, parameters={**one.parameters, "power_of_ten": places}, reason=reason, confidence=sure)


def _scale(seen: Seen, bits: tuple[int, ...], found: Sequence[Said]) -> Said:
    places = format_places(Places(bits))
    scaled = [format_places(Places(one.bits)) for one in found if one.parameters.get("power_of_ten") == places]
    scale = seen.numbers(bits, signed=True)
    ends = f"{grouped(int(scale.min()))} and {grouped(int(scale.max()))}"
    reason = (
        f"As a number with sign it is between {ends} in all {count_of(len(seen), 'frame')}, and what "
        f"{' and '.join(scaled)} {'says' if len(scaled) == 1 else 'say'} goes by powers of ten when it changes."
    )
    return Said(
        kind="field", bits=bits, parameters={"reading": "signed", "scales": scaled}, frames=len(seen), confidence=0.9,
        reason=reason,
    )  # fmt: skip


def _still(seen: Seen, registers: Sequence[int], found: Sequence[Said]) -> Iterator[Said]:
    """Yield registers that never move and look like the scale of the numbers before them."""
    numbers = [one for one in found if _is_number(one)]
    said = {bit for one in found if one.kind != "constant" for bit in one.bits}
    before = -1
    for first in registers:
        bits = _bits(first)
        power = int(seen.numbers(bits, signed=True)[0])
        if seen.moves[list(bits)].any() or said & set(bits) or not -_LARGEST <= power <= -1:
            continue
        scaled = [one for one in numbers if before < min(one.bits) // 8 < first]
        before = first
        if not scaled:
            continue
        places = [format_places(Places(one.bits)) for one in scaled]
        reason = (
            f"It is {grouped(power)} in all {count_of(len(seen), 'frame')}, as the power of ten would be by which "
            f"{', '.join(places)} before it {'is' if len(places) == 1 else 'are'} to be multiplied."
        )
        yield Said(
            kind="field", bits=bits, parameters={"reading": "signed", "scales": places}, frames=len(seen),
            reason=reason, confidence=_WEAK if power == -1 else _PERHAPS, instead_of=True,
        )  # fmt: skip
