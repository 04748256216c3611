"""Whole frames from values: fixed fields, then parts behind them, then the checks over all.

What is there once a frame is given by the name of its field, also where it lies in a part; an array as a
sequence of mappings under the name of its group; elements as a sequence of ``(case name, mapping)``. Counts,
lengths, header lengths, selectors and checks that are not given are worked out.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..layouts.model import Field, Layout
from .encode import Encoded, EncodeError, Value
from .region import Region
from .workings import Workings

_MOST_ROUNDS = 8
"""A count in text, the length that it makes, a check over both: three rounds settle what is not a circle."""
Values = Mapping[str, "Value | Sequence"]


def encode_message(
    layout: Layout, values: Values, base: bytes = b"", *, address: int | None = None, renews_checks: bool = False
) -> Encoded:  # fmt: skip
    """Encode one frame.

    Parameters
    ----------
    values
        Numbers, text, names of values, or hex digits for raw bytes. Numbers between two steps go to the nearer
        one and are listed as losses.
    base
        Payload whose bits stay where no value is given; zeros by default. Checks keep what it has, too.
    address
        Address of the frame, for checks that mix it in; that of the layout by default.
    renews_checks
        Make checks agree again, whatever the base has.

    Raises
    ------
    EncodeError
        If a field is unknown, a value does not fit, or a field is given that its selector excludes.
    """
    workings = Workings()
    for _ in range(_MOST_ROUNDS):
        workings.is_settled = True
        region = _built(layout, values, base, address, workings, renews_checks)
        if workings.is_settled:
            return Encoded(bytes(region.data), region.losses)
    raise EncodeError("counts and checks in its text depend on each other in a circle.", where=layout.name,
                      hint="Say with how many digits they are written, if it is always as many.")  # fmt: skip


def _built(
    layout: Layout, values: Values, base: bytes, address: int | None, workings: Workings, renews_checks: bool
) -> Region:  # fmt: skip
    own = layout.applies.address if address is None else address
    region = Region(layout.fields, layout.size, None, "", base, address=own or 0, workings=workings)
    region.keeps_checks = region.keeps_checks and not renews_checks
    unused = dict(values)
    region.fill_fields(layout.fields, 0, unused)
    for field in layout.fields:
        if field.name in values and field.selected is not None:
            region.let_be_there(field.selected)
    cursor = region.build_parts(layout.parts, layout.size, unused)
    if unused:
        raise _left_over(next(iter(unused)), layout)
    if layout.parts:
        del region.data[cursor:]
    region.fill_checks(layout.checks, 0, len(region.data))
    _check_selectors(region, layout.fields, values)
    return region


def _left_over(name: str, layout: Layout) -> EncodeError:
    names = [field.name for field in layout.all_fields()]
    if name in names:
        return EncodeError("it is not in a frame with these values.", where=name)
    return EncodeError(
        f"there is no field {name!r}.", where=layout.name, hint=f"It has {', '.join(names) or 'no fields'}."
    )


def _check_selectors(region: Region, fields: Sequence[Field], values: Mapping) -> None:
    for field in fields:
        if field.name not in values or field.selected is None:
            continue
        if not region.selects(field.selected):
            spot = region.spot(field.selected.field)
            name, now = (spot.field.name, spot.numbers()[0]) if spot is not None else ("the selector", None)
            raise EncodeError(
                f"it is not in the frame while {name} is {now}.",
                where=field.name,
                hint=f"Set {name} to {str(field.selected.values).replace(', ', ' or ')}.",
            )
