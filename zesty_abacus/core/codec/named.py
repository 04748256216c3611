"""A layout by what a person calls it."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import DataError
from ..layouts.model import Layout
from ..nearest import nearest
from .carried import with_carried


def layout_named(layouts: Sequence[Layout], name: str, where: str) -> Layout:
    """Return the layout with a name, or an address as it is written, with what it carries in its place.

    Raises
    ------
    DataError
        If there is none.
    """
    found = [one for one in layouts if name == one.name or one.applies.is_named(name)]
    if not found:
        near = [one.name for one in layouts if name.casefold() in one.name.casefold()][:3]
        # a part of the name says more than letters in common
        hint = f"Did you mean {' or '.join(near)}?" if near else nearest(name, [one.name for one in layouts])
        raise DataError(f"there is no message {name!r}.", where=where, hint=hint)
    return with_carried(found[0], {other.id: other for other in layouts})
