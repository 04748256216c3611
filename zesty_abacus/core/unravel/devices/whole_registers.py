"""Numbers of devices with registers of sixteen bits: they fill registers, however few of their bits ever moved."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ...words import grouped
from ..finding import Said
from ..questions.constants import constants
from ..seen import Seen
from ..words import count_of

_WIDENED = frozenset({"unsigned", "signed", "names"})


def in_whole_registers(seen: Seen, found: Sequence[Said], free: NDArray[np.bool_]) -> list[Said]:
    """Return what was found with numbers as wide as their registers, where the bits above them never moved.

    Parameters
    ----------
    free : bool (size * 8,)
        Bits that something may be said of.
    """
    taken = np.zeros(seen.size * 8, np.bool_)
    for one in found:
        if one.kind != "constant" or one.when:
            taken[list(one.bits)] = True
    made = []
    for one in found:
        if one.kind == "constant" and not one.when:
            continue
        wide = _widened(seen, one, taken | ~free)
        taken[list(wide.bits)] = True
        made.append(wide)
    return made + constants(seen, free & ~taken)


def _widened(seen: Seen, one: Said, taken: NDArray[np.bool_]) -> Said:
    if one.kind != "field" or one.when or one.parameters["reading"] not in _WIDENED or "array" in one.parameters:
        return one
    bits = _register_bits(one.bits)
    above = tuple(bit for bit in bits if bit not in one.bits)
    # digits above come first; those below would be another number
    if not above or bits[len(above) :] != one.bits or any(taken[bit] or seen.moves[bit] for bit in above):
        return one
    reading = one.parameters["reading"]
    if reading != "names" and int(seen.raw(above)[0]) == (1 << len(above)) - 1:
        reading = "signed"
    elif reading == "signed":
        # with its highest bit never set a whole register has no sign
        reading = "unsigned"
    return replace(
        one, bits=bits, parameters={**one.parameters, "reading": reading}, reason=_reason(seen, one, bits, reading)
    )


def _reason(seen: Seen, narrow: Said, bits: tuple[int, ...], reading: str) -> str:
    count = len(bits) - len(narrow.bits)
    above = f"{count_of(count, 'bit')} above, up to the whole register, never move{'s' * (count == 1)}"
    if reading == "names":
        return f"{narrow.reason} Its {above}."
    numbers = seen.numbers(bits, signed=reading == "signed")
    largest = int(np.abs(np.diff(numbers)[seen.follows[1:]]).max(initial=0))
    return (
        f"As one number it runs from {grouped(int(numbers.min()))} to {grouped(int(numbers.max()))} with steps of at "
        f"most {grouped(largest)}; {above}."
    )


def _register_bits(bits: tuple[int, ...]) -> tuple[int, ...]:
    """Return all bits of the registers that some lie in, in the order of their bytes; of one, the high byte first."""
    order = list(dict.fromkeys(bit // 8 for bit in bits))
    registers = list(dict.fromkeys(byte // 2 for byte in order))
    numbers: list[int] = []
    for register in registers:
        own = [byte for byte in order if byte // 2 == register]
        low_first = own == [2 * register + 1, 2 * register]
        numbers += [2 * register + 1, 2 * register] if low_first else [2 * register, 2 * register + 1]
    return byte_bits(numbers)
