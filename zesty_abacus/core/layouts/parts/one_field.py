"""A part that is one field, there once, in bytes that move: a string, digits, a name."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ..fields import Field
from ..problems import Said
from .part import Part

if TYPE_CHECKING:
    from ..validate_parts import PartWalk


class OneField(Part, frozen=True, kw_only=True, omit_defaults=True):
    """What parts of one field have in common.

    Attributes
    ----------
    field
        Without places.
    """

    field: Field

    def all_fields(self) -> Iterator[Field]:
        yield self.field

    def fields_once(self) -> Iterator[Field]:
        yield self.field

    def look_inside(self, walk: PartWalk, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        walk.meaning(self.field)
        return (*scope, self.field)

    def problems(self) -> Said:
        if len(self.field.places):
            yield "field", f"{self.name} moves, so its field has no places."
