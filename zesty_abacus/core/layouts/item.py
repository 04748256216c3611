"""What parts, checks and computed values have in common: what a form, a menu and a sentence ask of them."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Self
from uuid import UUID

import msgspec

from .attribute import NAME, Attribute
from .template import Template


class LayoutItem(msgspec.Struct, frozen=True, kw_only=True):
    """Something in a layout, beside its fields, that is edited on its own."""

    if TYPE_CHECKING:
        # each kind has them itself, so that the keys of a document stand in the order of its own class
        id: UUID
        name: str
        note: str

    attributes: ClassVar[tuple[Attribute, ...]] = (NAME,)
    """What a form shows."""
    rank: ClassVar[int] = 100
    """Where menus put its templates; what comes from outside stands last."""
    fits_inside: ClassVar[str] = ""
    """What can be added inside, in words; nothing if nothing can."""

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        """Return what can be dropped into a layout."""
        return ()

    def settled(self, name: str) -> Self:
        """Return it with what an attribute that was just set by hand needs, and without what it rules out.

        What takes two entries to be right would be refused at the first of them.
        """
        return self

    def words(self) -> str:
        """Return what it is, in words, such as ``array, counted``."""
        raise NotImplementedError
