"""Puts the layouts that a layout carries in its place, so that a plan needs nothing else."""

from __future__ import annotations

from collections.abc import Mapping
from uuid import UUID, uuid5

import msgspec

from ..errors import MisuseError
from ..layouts.model import Carried, Group, Layout, Part, rewrite
from ..layouts.validate_parts import MAX_DEPTH


class CarriedError(MisuseError):
    """A layout that carries one that is not there, or itself."""


def with_carried(layout: Layout, others: Mapping[UUID, Layout]) -> Layout:
    """Return a layout in which every carried layout is a group of that layout's fields and parts.

    Identities are made from those of the carrying part and of what is carried, so that they stay the same from one
    call to the next, and a layout may be carried twice.

    Parameters
    ----------
    others
        The library, by id.

    Raises
    ------
    CarriedError
        If a layout is not in ``others``, carries itself, or the nesting is deeper than parts may lie.
    """
    parts = _expanded(layout.parts, others, (layout.id,), layout.name)
    return layout if parts is layout.parts else msgspec.structs.replace(layout, parts=parts)


def _expanded(
    parts: tuple[Part, ...], others: Mapping[UUID, Layout], chain: tuple[UUID, ...], where: str
) -> tuple[Part, ...]:
    made = tuple(_expand(part, others, chain, where) for part in parts)
    return made if any(a is not b for a, b in zip(made, parts, strict=True)) else parts


def _expand(part: Part, others: Mapping[UUID, Layout], chain: tuple[UUID, ...], where: str) -> Part:
    inner = part.with_parts_inside(lambda parts: _expanded(parts, others, chain, where))
    return _carry(inner, others, chain, where) if isinstance(inner, Carried) else inner


def _carry(part: Carried, others: Mapping[UUID, Layout], chain: tuple[UUID, ...], where: str) -> Part:
    inner = others.get(part.layout)
    if inner is None:
        raise CarriedError(f"{part.name} carries a layout that is not in the library.", where=where)
    if inner.id in chain:
        raise CarriedError(f"{inner.name} carries itself.", where=where)
    if len(chain) > MAX_DEPTH:
        raise CarriedError(f"{part.name} lies more than {MAX_DEPTH} layouts deep.", where=where)
    parts = _expanded(inner.parts, others, (*chain, inner.id), where)

    def own(node: object) -> object:
        if isinstance(node, UUID):
            return uuid5(part.id, str(node))
        return node

    fields, parts = rewrite((inner.fields, parts), own)
    return Group(
        id=part.id,
        name=part.name,
        start=part.start,
        align=part.align,
        selected=part.selected,
        note=part.note or inner.note,
        size=inner.size,
        fields=fields,
        parts=parts,
        limit=part.length,
    )
