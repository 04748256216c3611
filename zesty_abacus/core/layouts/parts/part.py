"""What every part has, says and does."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ..attribute import NAME, Attribute, optional_expression, selected_text, when_selected, whole_or_one
from ..checks.check import Check
from ..computed import Computed
from ..fields import Field, Selected
from ..item import LayoutItem
from ..problems import Said

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.columns import FieldColumn
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ..model import Layout
    from ..validate_parts import PartWalk

    Columns = dict[UUID, FieldColumn]

MAX_BYTES = 65536
"""The longest payload."""


class Part(LayoutItem, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="part"):
    """What every part has; a part is a subclass with a ``tag``, in a module of its own that names it ``PART``.

    Attributes
    ----------
    start
        First byte, counted from the start of the enclosing part; None is behind what comes before. A header
        length that moves what follows is said here, as ``header_words * 4``.
    align
        The start is moved up to a multiple of this many bytes from the enclosing start.
    selected
        The selector that must hold for the part to be present; None is always.
    """

    id: UUID
    name: str
    start: Expression | None = None
    align: int = 1
    selected: Selected | None = None
    note: str = ""

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("selected", "present when", "always, or: flag = 1", when_selected, writer=selected_text),
        Attribute("start", "starts at", "behind what comes before", optional_expression),
        Attribute("align", "aligned to", "1", whole_or_one),
    )  # fmt: skip

    names_are_its_own: ClassVar[bool] = False
    """Whether what stands behind it cannot name what is in it, as of a payload that is carried."""

    def all_fields(self) -> Iterator[Field]:
        """Yield every field of it and of the parts in it, in reading order."""
        yield from ()

    def fields_once(self) -> Iterator[Field]:
        """Yield the fields that are there once, wherever the part is there."""
        yield from ()

    def lists(self) -> Iterator[Part]:
        """Yield the parts that are given as a list of items, once wherever this one is there."""
        yield from ()

    def example(self) -> str:
        """Return how such a list is typed, as JSON; empty of a part that is none."""
        return ""

    def checks_inside(self) -> Iterator[Check]:
        """Yield the checks of it and of the parts in it."""
        yield from ()

    def computed_inside(self) -> Iterator[Computed]:
        """Yield the computed values of it and of the parts in it."""
        yield from ()

    def expressions(self) -> Iterator[tuple[str, Expression]]:
        """Yield the expressions of the part itself, each with the attribute it stands in."""
        for name in self.__struct_fields__:
            expression = getattr(self, name)
            if isinstance(expression, Expression):
                yield name, expression

    def field_groups(self) -> Iterator[tuple[UUID, tuple[Field, ...]]]:
        """Yield the groups of fields with places that it reads, its own and those of parts in it, by a key each."""
        yield from ()

    def with_parts_inside(self, change: Callable[[tuple[Part, ...]], tuple[Part, ...]]) -> Part:
        """Return it with the parts in it changed; itself if nothing did."""
        return self

    def one_more_inside(self, layout: Layout) -> Part:
        """Return it with one more of what fits inside."""
        raise NotImplementedError

    def problems(self) -> Said:
        """Yield what is wrong with it alone: the attribute and the sentence."""
        yield from ()

    def look_inside(self, walk: PartWalk, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        """Have what lies inside looked at; return the fields that expressions behind the part can name.

        Parameters
        ----------
        walk
            Looks at fields and parts and keeps what is wrong.
        scope
            The fields that can be named where the part stands.
        depth
            How many parts it lies in.
        """
        return (*scope, *self.fields_once())

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        """Read it in every stretch.

        Parameters
        ----------
        here
            Where it begins in each, and what it must end before.
        reader
            Reads fields and parts inside, and keeps what comes more than once.

        Returns
        -------
        columns
            What is there once a stretch, by the field's id.
        after : int64 (n,)
            The byte that what follows begins at.
        """
        raise NotImplementedError

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        """Write it from values.

        Parameters
        ----------
        region
            The bytes so far; the part begins at byte ``begin``.
        unused
            Values by name that nothing has taken yet; what the part takes goes out.

        Returns
        -------
        int
            The byte that what follows begins at.

        Raises
        ------
        EncodeError
            If a value does not fit.
        """
        raise NotImplementedError


def all_fields_in(parts: tuple[Part, ...]) -> Iterator[Field]:
    """Yield every field of some parts, in reading order."""
    for part in parts:
        yield from part.all_fields()


def example_item(fields: Sequence[Field]) -> str:
    """Return how an item with some fields is typed, as JSON."""
    named = [field.name for field in fields if field.name]
    return f'{{"{named[0]}": 0}}' if named else "{}"
