"""The rest, or a stretch of it, that another layout reads."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar
from uuid import UUID

from ...expressions.expression import Expression
from ..attribute import Attribute, optional_expression
from .part import Part

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.region import Region


class Carried(Part, frozen=True, kw_only=True, omit_defaults=True, tag="carried"):
    """A payload inside the payload, read by another layout of the library.

    It reads and writes nothing itself: :func:`zesty_abacus.core.codec.carried.with_carried` puts a group of that
    layout's fields and parts in its place before anything is decoded.

    Attributes
    ----------
    length
        Bytes it has; None is all the rest.
    """

    layout: UUID
    length: Expression | None = None

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *Part.attributes, Attribute("length", "bytes", "to the end", optional_expression)
    )  # fmt: skip
    rank: ClassVar[int] = 4

    def words(self) -> str:
        return "carried"

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        raise region.refused("what it carries was not put in.", self.name)


PART = Carried
