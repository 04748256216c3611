"""Two registers that are one number in decimal steps: kilowatt hours below a thousand, megawatt hours above them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from ...layouts.places import Places, format_places
from ...words import grouped
from ..finding import Said
from ..seen import Seen
from ..words import count_of, share_words

_UNITS = (60, 100, 1000, 3600, 10_000)
"""At which the lower one begins anew: minutes and seconds, and powers of ten that sixteen bits hold."""
_LEAST_CARRIES = 3
_LEAST_SHARE = 0.95
_NEAR_END = 0.8
"""Part of the unit that the lower number comes to: what stays far below it does not run over there."""


def with_composites(seen: Seen, found: Sequence[Said]) -> list[Said]:
    """Return what was found, in which lower numbers say what goes on above them."""
    parted = [part for one in found for part in _parted(seen, one)]
    numbers = [one for one in parted if _is_number(one, 16)]
    return [_composed(seen, one, numbers) if _is_number(one, 16) else one for one in parted]


def _is_number(one: Said, bits: int) -> bool:
    is_field = one.kind == "field" and not one.when and "array" not in one.parameters
    return is_field and len(one.bits) == bits and one.parameters["reading"] in ("unsigned", "names")


def _parted(seen: Seen, one: Said) -> Iterator[Said]:
    """Yield a number of two registers, or both registers by themselves if the lower one runs over in decimal."""
    if not _is_number(one, 32):
        yield one
        return
    high, low = (
        replace(one, bits=bits, reason=f"As one number it runs from {grouped(raw.min())} to {grouped(raw.max())}.")
        for bits in (one.bits[:16], one.bits[16:]) for raw in (seen.raw(bits),)
    )  # fmt: skip
    yield from (high, low) if _with(seen, low, high) is not None else (one,)


def _composed(seen: Seen, one: Said, numbers: Sequence[Said]) -> Said:
    """Return a number with the one beside it that it carries into; as it is where it carries into none."""
    made = (_with(seen, one, other) for other in numbers)
    return next((said for said in made if said is not None), one)


def _with(seen: Seen, low: Said, high: Said) -> Said | None:
    """Return the lower number with what goes on by one when it runs over; None if another one does not."""
    if low is high or abs(min(low.bits) - min(high.bits)) != 16:
        return None
    values, above = seen.raw(low.bits), seen.raw(high.bits)
    follows = seen.follows[1:]
    step, carry = np.diff(values)[follows], np.diff(above)[follows]
    unit = next((unit for unit in _UNITS if _NEAR_END * unit <= values.max() < unit), None)
    if unit is None:
        return None
    over = np.where(step <= -unit // 2, 1, np.where(step > unit // 2, -1, 0))
    carries, kept = int((over != 0).sum()), int(((over != 0) & (carry == over)).sum())
    if carries < _LEAST_CARRIES or kept < _LEAST_SHARE * carries or (carry[over == 0] != 0).any():
        return None
    places = format_places(Places(high.bits))
    reason = (
        f"{low.reason} In {share_words(kept, carries, 'time')} that it runs over {grouped(unit)} the number in "
        f"{places} goes on by one, and else it stays, in {count_of(len(seen), 'frame')}: both are one number, {places} "
        f"times {grouped(unit)} and this."
    )
    parameters = {**low.parameters, "reading": "unsigned", "carries": {"into": places, "at": unit}}
    return replace(
        low, parameters=parameters, reason=reason, confidence=max(low.confidence, min(0.75 + 0.05 * carries, 0.95))
    )
