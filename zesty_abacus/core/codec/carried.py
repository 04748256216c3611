"""Puts the layouts that a layout carries in its place, so that a plan needs nothing else."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import UUID, uuid5

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..layouts.model import Carried, Field, Group, Layout, Part, rewrite
from ..layouts.validate_parts import MAX_DEPTH, PartWalk
from .columns import FieldColumn
from .scope import Scope

if TYPE_CHECKING:
    # a plan is made of these, and what reads and writes stands on plans
    from .moving import PartReader, Stretches
    from .region import Region

Columns = dict[UUID, FieldColumn]


class CarriedError(MisuseError):
    """A layout that carries one that is not there, or itself."""


def with_carried(layout: Layout, others: Mapping[UUID, Layout]) -> Layout:
    """Return a layout in which every carried layout stands as a part with all that it says.

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

    # who answers whom is said of messages, which a payload inside another one is none of
    checks = tuple(check for check in inner.checks if check.can_stand_in(is_array=False))
    fields, parts, checks, computed = rewrite((inner.fields, parts, checks, inner.computed), own)
    return Embedded(
        id=part.id, name=part.name, start=part.start, align=part.align, selected=part.selected,
        note=part.note or inner.note, size=inner.size, fields=fields, parts=parts, limit=part.length, checks=checks,
        computed=computed,
    )  # fmt: skip


class Embedded(Group, frozen=True, kw_only=True, omit_defaults=True, tag="embedded"):
    """A layout in the place where another one carries it: a payload of its own, whose bytes ``size`` counts.

    What its expressions name is its own, and nothing around it can be named by them or can name it; it stands in plans
    only, never in a document.
    """

    names_are_its_own: ClassVar[bool] = True

    def look_inside(self, walk: PartWalk, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        """Have what lies inside looked at by itself."""
        super().look_inside(walk, (), depth)
        return scope

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        """Read it as a payload of its own."""
        limit = here.end
        if self.limit is not None:
            limit = np.minimum(limit, here.start + here.amount(self.limit))
        scope = Scope(len(here), here.scope, own_names=True)
        scope.add_special("size", np.maximum(limit - here.start, 0))
        inner = replace(here, scope=scope, limit=limit, is_whole=False)
        mark = reader.mark()
        columns, after = self._decode_item(inner, reader)
        reader.check(self.checks, self.fields, inner, limit, columns, mark)
        return columns, after if self.limit is None else limit

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        """Write it from values of its own under its name, or from those of its fields among all others."""
        given = unused.get(self.name)
        values = dict(unused.pop(self.name)) if isinstance(given, Mapping) else unused
        inner = region.inner(f"{self.name}.", self.fields, self.size, own_names=True)
        inner.fill_fields(self.fields, 0, values)
        end = inner.build_parts(self.parts, self.size, values)
        if values and values is not unused:
            raise inner.refused(f"there is no field {next(iter(values))!r}.")
        inner.fill_checks(self.checks, 0, end)
        content = bytes(inner.data[: max(end, self.size)])
        if self.limit is not None:
            region.make_true(self.limit, len(content), f"{self.name} takes")
        return region.place(begin, content)
