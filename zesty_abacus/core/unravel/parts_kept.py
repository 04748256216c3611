"""Makes parts of a layout of what was found in payloads that vary in length: items of an array, and what is last."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import uuid4

from msgspec.structs import replace

from ..expressions.expression import Expression, quoted
from ..layouts.fields import Field
from ..layouts.model import Layout
from ..layouts.parts.group import Group, Repeat
from ..layouts.places import Places, parse_places
from ..layouts.template import free_name
from .finding import Finding


def with_end(layout: Layout, field: Field, size: int) -> Layout:
    """Return a layout with a field that takes so many last bytes of the payload; its places count from there."""
    end = Group(
        id=uuid4(), name=free_name(layout, "end"), size=size, start=Expression(f"size - {size}"), fields=(field,)
    )  # fmt: skip
    return _as_short_as_can_be(layout).with_item(end)


def with_item_field(layout: Layout, field: Field, finding: Finding, beside: Iterable[Finding]) -> Layout:
    """Return a layout with a field that is in each item of an array; the array comes with the first one.

    Parameters
    ----------
    field
        Its places are those in the first item.
    beside
        Other findings of the message, which tell where the first item begins and what counts them.
    """
    step = int(finding.parameters["array"]["step_bits"]) // 8
    beside = list(beside)
    first = _first_byte(finding, beside, step)
    known = next((one for one in layout.parts if _is_array(one, first, step)), None)
    inside = replace(field, places=Places(bit - first * 8 for bit in field.places.bits))
    if isinstance(known, Group):
        return layout.with_item(replace(known, fields=(*known.fields, inside)))
    layout = _as_short_as_can_be(layout)
    counted = _counting(beside, step)
    count = next((one for one in layout.fields if counted is not None and str(one.places) == counted.places), None)
    behind = sum(one.size for one in layout.parts if isinstance(one, Group) and _is_end(one))
    items = Group(
        id=uuid4(), name=free_name(layout, "items"), size=step, start=Expression(str(first)), fields=(inside,),
        repeat=Repeat.TO_END if count is None else Repeat.COUNT,
        amount=Expression(str(behind) if count is None else quoted(count.name)),
    )  # fmt: skip
    # what is counted from the end comes last, as it stands in the payload
    parts = sorted((*layout.parts, items), key=lambda one: isinstance(one, Group) and _is_end(one))
    return replace(layout, parts=tuple(parts))


def _first_byte(finding: Finding, beside: Iterable[Finding], step: int) -> int:
    counted = _counting(beside, step)
    if counted is not None:
        return min(parse_places(counted.parameters["of"]["places"]).byte_numbers())
    alike = [finding, *(one for one in beside if one.parameters.get("array") == finding.parameters["array"])]
    return min(min(parse_places(one.places).byte_numbers()) for one in alike)


def _counting(beside: Iterable[Finding], step: int) -> Finding | None:
    """Return what counts items of so many bytes, None if nothing does."""
    counts = (one for one in beside if one.kind == "count")
    return next((one for one in counts if one.parameters["of"]["step_bits"] == step * 8), None)


def _is_array(part: object, first: int, step: int) -> bool:
    return isinstance(part, Group) and part.size == step and str(part.start) == str(first)


def _is_end(part: Group) -> bool:
    return part.start is not None and "size" in part.start.names


def _as_short_as_can_be(layout: Layout) -> Layout:
    """Return a layout that asks for no more bytes than its fixed fields need: payloads vary in length."""
    return replace(layout, size=max((one.places.size_needed for one in layout.fields), default=0))
