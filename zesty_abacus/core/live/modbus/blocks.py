"""The reads that bring a register map: as few as are allowed, never past its end, no field cut in two."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ...errors import MisuseError
from ...layouts.model import Layout
from ...protocols.modbus import address_parts
from ...protocols.spaces import Space
from .requests import READS, most_read

_Span = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Block:
    """Registers that are read at once: the first, how many, and the stretches of them that some field covers."""

    first: int
    count: int
    covered: tuple[_Span, ...]

    @property
    def has_holes(self) -> bool:
        """Whether it reads registers that no field covers."""
        return len(self.covered) > 1

    def without_holes(self) -> tuple[Block, ...]:
        """Return the reads that bring the same fields and nothing between them."""
        return tuple(Block(first, last - first, ((first, last),)) for first, last in self.covered)


def space_of(layout: Layout) -> Space:
    """Return the space that a layout's registers are in.

    Raises
    ------
    MisuseError
        If it is none of Modbus.
    """
    if layout.registers is not None and layout.registers.space in READS:
        return layout.registers.space
    if layout.registers is None and layout.applies.protocol == "modbus" and layout.applies.address is not None:
        function = address_parts(layout.applies.address)[1]
        found = next((space for space in READS if function in space.functions), None)
        if found is not None:
            return found
    raise MisuseError("it is no map of Modbus registers.", where=layout.name)


def first_of(layout: Layout) -> int:
    """Return the register that places of a layout count from: 0 of a map, the first one read of a single exchange."""
    if layout.registers is not None:
        return 0
    return address_parts(layout.applies.address or 0)[2]


def end_of(layout: Layout) -> int:
    """Return the register behind the last one of a layout."""
    bits = (layout.registers.space if layout.registers is not None else space_of(layout)).register_bits
    if layout.registers is not None and layout.registers.count:
        return layout.registers.count
    ends = [span[1] for span in _spans(layout, bits)]
    return max(ends, default=0) if layout.registers is not None else first_of(layout) + -(-layout.size * 8 // bits)


def blocks_of(layout: Layout) -> tuple[Block, ...]:
    """Return the reads that bring all fields of a layout.

    Registers that no field covers are read along with their neighbours; where a device refuses that,
    :meth:`Block.without_holes` says how to go around them.

    Raises
    ------
    MisuseError
        If it has no registers of Modbus, no fields, a field past its end, or one that no request can carry.
    """
    space = space_of(layout)
    if layout.registers is None:
        first, end = first_of(layout), end_of(layout)
        return (Block(first, end - first, ((first, end),)),)
    end, most = end_of(layout), most_read(space)
    spans = _joined(_spans(layout, space.register_bits))
    if not spans:
        raise MisuseError("it has no fields that could be read.", where=layout.name)
    if spans[-1][1] > end:
        raise MisuseError(f"a field goes past the end of its {end} registers.", where=layout.name)
    made: list[list[_Span]] = []
    for span in spans:
        if span[1] - span[0] > most:
            made += [[piece] for piece in _cut(layout, span, space)]
        elif made and span[1] - made[-1][0][0] <= most:
            made[-1].append(span)
        else:
            made.append([span])
    return tuple(Block(group[0][0], group[-1][1] - group[0][0], tuple(group)) for group in made)


def _spans(layout: Layout, bits: int) -> list[_Span]:
    fields = [field.places.bits for field in layout.fields if field.places.bits]
    return sorted((min(places) // bits, max(places) // bits + 1) for places in fields)


def _joined(spans: Iterable[_Span]) -> list[_Span]:
    joined: list[_Span] = []
    for first, last in spans:
        if joined and first <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], last))
        else:
            joined.append((first, last))
    return joined


def _cut(layout: Layout, span: _Span, space: Space) -> Sequence[_Span]:
    """Cut a stretch that is longer than one read, between fields."""
    most = most_read(space)
    pieces: list[_Span] = []
    own = [one for one in _spans(layout, space.register_bits) if span[0] <= one[0] < span[1]]
    begin, end = span[0], span[0]
    for first, last in own:
        if last - first > most:
            raise MisuseError(
                f"a field of {last - first} registers is more than one request brings.", where=layout.name
            )
        if max(last, end) - begin > most:
            # a field that begins before the cut is read again with the next piece
            pieces.append((begin, end))
            begin = first
        end = max(end, last)
    return [*pieces, (begin, end)]
