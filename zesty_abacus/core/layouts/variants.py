"""The variants of a message: what it holds for each value of its selectors."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID

from .fields import Field, Selected
from .model import Layout


@dataclass(frozen=True, slots=True)
class Variant:
    """One way a message can look.

    Attributes
    ----------
    held
        The conditions that hold, from the outermost selector in.
    words
        Such as ``page = 3`` or the names of the values.
    """

    held: tuple[Selected, ...]
    words: str


def variants_of(layout: Layout) -> list[Variant]:
    """Return the variants of a layout in the order of its fields; empty if it has no selector."""
    found: dict[tuple[Selected, ...], None] = {}
    for selected in [item.selected for item in layout.fields] + [item.selected for item in layout.parts]:
        if selected is not None:
            found[_chain(layout, selected)] = None
    return [Variant(held, " · ".join(_words(layout, one) for one in held)) for held in found]


def is_present(layout: Layout, field: Field, variant: Variant) -> bool:
    """Whether a fixed field is there in a variant: nothing that holds speaks against its conditions."""
    held = {one.field: one.values for one in variant.held}
    chain = _chain(layout, field.selected) if field.selected is not None else ()
    return all(one.field in held and one.values.meets(held[one.field]) for one in chain)


def present_ids(layout: Layout, variant: Variant) -> frozenset[UUID]:
    """Return what is there in a variant: fixed fields and parts."""
    fields = {field.id for field in layout.fields if is_present(layout, field, variant)}
    held = {one.field: one.values for one in variant.held}
    parts = {
        part.id
        for part in layout.parts
        if part.selected is None
        or (part.selected.field in held and part.selected.values.meets(held[part.selected.field]))
    }
    return frozenset(fields | parts)


def _chain(layout: Layout, selected: Selected) -> tuple[Selected, ...]:
    return tuple(reversed(list(_upwards(layout, selected))))


def _upwards(layout: Layout, selected: Selected) -> Iterator[Selected]:
    seen: set[UUID] = set()
    current: Selected | None = selected
    while current is not None and current.field not in seen:
        seen.add(current.field)
        yield current
        above = next((field for field in layout.all_fields() if field.id == current.field), None)
        current = above.selected if above is not None else None


def _words(layout: Layout, selected: Selected) -> str:
    field = next((one for one in layout.all_fields() if one.id == selected.field), None)
    if field is None:
        return f"? = {selected.values}"
    spans = selected.values.spans
    # "yes" alone would not say of what
    if field.names and len(spans) == 1 and spans[0][0] == spans[0][1]:
        label = field.label_of(spans[0][0])
        if label is not None:
            return label
    return f"{field.name} = {selected.values}"
