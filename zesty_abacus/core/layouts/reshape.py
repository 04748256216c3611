"""Fields reshaped by hand: moved, stretched, split and joined.

A field whose low byte comes first runs through ``byte * 8 + bit``, one whose high byte comes first through the
bits as they are sent, the highest of a byte first. Along its own run a field keeps its order when it moves.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

import msgspec

from ..errors import MisuseError
from .fields import Field, FieldKind, NamedValue, new_field
from .model import Layout
from .places import Places
from .raw_sets import RawSet
from .symbols import Symbol
from .templates import free_name


class CannotReshapeError(MisuseError):
    """A reshaping that would leave no field, or none with a meaning."""


def along(bit: int) -> int:
    """Number a bit in reading order: by byte, then from the highest bit down. Its own inverse."""
    return bit // 8 * 8 + 7 - bit % 8


def _same(bit: int) -> int:
    return bit


def _run_of(places: Places, low_byte_first: bool) -> Callable[[int], int]:
    words = places.order_words()
    low = low_byte_first if not words else words == "low byte first"
    return _same if low else along


def moved(places: Places, grabbed: int, to: int, *, low_byte_first: bool = True) -> Places:
    """Return places moved as far as from the bit ``grabbed`` to the bit ``to``.

    Parameters
    ----------
    low_byte_first
        How a field within one byte goes on into the next.

    Raises
    ------
    CannotReshapeError
        If bits would lie before the first one.
    """
    run = _run_of(places, low_byte_first)
    by = run(to) - run(grabbed)
    numbers = [run(bit) + by for bit in places.bits]
    if min(numbers) < 0:
        raise CannotReshapeError("the field would begin before the payload.")
    return Places(run(number) for number in numbers)


def ends_of(places: Places, *, low_byte_first: bool = True) -> tuple[int, int]:
    """Return the first and the last bit of places along their run."""
    run = _run_of(places, low_byte_first)
    ordered = sorted(places.bits, key=run)
    return ordered[0], ordered[-1]


def stretched(places: Places, end: int, to: int, *, low_byte_first: bool = True) -> Places:
    """Return places with one end dragged to another bit; the other end stays, all between belongs to the field.

    Parameters
    ----------
    end
        The bit of :func:`ends_of` that was taken hold of.
    """
    run = _run_of(places, low_byte_first)
    first, last = (run(bit) for bit in ends_of(places, low_byte_first=low_byte_first))
    fixed = last if run(end) == first and first != last else first
    low, high = sorted((fixed, run(to)))
    bits = [run(number) for number in range(low, high + 1)]
    # along a run with the low byte first the highest number is the most significant bit
    return Places(reversed(bits) if run is _same else bits)


def split_off(layout: Layout, field: Field, bits: frozenset[int]) -> tuple[Layout, Field]:
    """Return the layout with some bits of a field as a field of their own, and that field.

    Raises
    ------
    CannotReshapeError
        If the bits are none or all of the field.
    """
    part = [bit for bit in field.places.bits if bit in bits]
    rest = [bit for bit in field.places.bits if bit not in bits]
    if not part or not rest:
        raise CannotReshapeError("mark a part of the field to split it off.")
    kind = FieldKind.FLAG if len(part) == 1 else FieldKind.UNSIGNED
    made = new_field(free_name(layout, field.name), Places(part), kind, selected=field.selected)
    return layout.with_field(_with_places(field, Places(rest))).with_field(made), made


def joined(layout: Layout, field: Field, other: Field) -> Layout:
    """Return the layout with another field's bits in this one: behind or before them along the run.

    What depended on the other field is freed, as when it is removed.

    Raises
    ------
    CannotReshapeError
        If one of them is no fixed field.
    """
    if not field.places or not other.places:
        raise CannotReshapeError("only fields with fixed places can be joined.")
    low_first = field.places.order_words() or other.places.order_words()
    both = Places((*field.places.bits, *other.places.bits))
    low = low_first == "low byte first" or (not low_first and len(both.byte_numbers()) > 1)
    run = _same if low else along
    ordered = sorted(both.bits, key=run, reverse=low)
    return layout.without_field(other.id).with_field(_with_places(field, Places(ordered)))


def neighbour_of(layout: Layout, field: Field) -> Field | None:
    """Return the fixed field that begins where a field ends in reading order, None if there is none."""
    if not field.places:
        return None
    last = max(map(along, field.places.bits))
    behind = [one for one in layout.fields if one.id != field.id and min(map(along, one.places.bits)) > last]
    return min(behind, key=lambda one: min(map(along, one.places.bits)), default=None)


def _with_places(field: Field, places: Places) -> Field:
    """Return a field at other places, as a plain number where its kind asks for another width."""
    width = len(places)
    misfits = (
        (field.kind is FieldKind.FLAG and width != 1)
        or (field.kind is FieldKind.FLOAT and width not in (16, 32, 64))
        or (field.kind in (FieldKind.TEXT, FieldKind.BYTES, FieldKind.BCD_BYTES) and width % 8 and field.code is None)
        or (field.kind is FieldKind.BCD and width % 4)
    )
    kind = FieldKind.UNSIGNED if misfits else field.kind
    return msgspec.structs.replace(field, places=places, kind=kind)


def of_kind(field: Field, kind: FieldKind) -> Field:
    """Return a field read as another kind; what that cannot have goes, so that one choice is one valid edit."""
    changes: dict[str, Any] = {"kind": kind}
    if not kind.is_number:
        changes |= {
            "ratio": Fraction(1),
            "offset": Fraction(0),
            "low": None,
            "high": None,
            "polynomial": (),
            "table": (),
        }
    if kind is FieldKind.NAMES and (not field.names or field.kind is FieldKind.BITS):
        changes["names"] = (NamedValue(0, "off"), NamedValue(1, "on"))
    if kind is FieldKind.BITS:
        # what a value is called says nothing of its bits
        changes["names"] = (NamedValue(0, "lowest"),)
    if kind in (FieldKind.FLOAT, FieldKind.TEXT, FieldKind.BYTES):
        changes |= {"names": (), "unavailable": RawSet(), "errors": RawSet()}
    if kind is not FieldKind.TEXT:
        changes["symbols"] = ()
    return msgspec.structs.replace(field, **changes)


def read_by(field: Field, symbols: tuple[Symbol, ...]) -> Field:
    """Return a field as the text that a code table makes of its bits."""
    return msgspec.structs.replace(of_kind(field, FieldKind.TEXT), symbols=symbols)


def reshaped(layout: Layout, field: Field, places: Places) -> Layout:
    """Return the layout with a field at other places; fixed fields it wholly covers are joined into it.

    Fields that are present at other times are left alone.
    """
    taken = set(places.bits)
    covered = [
        one
        for one in layout.fields
        if one.id != field.id and one.selected == field.selected and set(one.places.bits) <= taken
    ]
    for one in covered:
        layout = layout.without_field(one.id)
    return layout.with_field(_with_places(layout.field(field.id), places))
