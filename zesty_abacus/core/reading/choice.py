"""Which frames of a kind a layout takes, where several layouts share a kind.

Two messages of one address are told apart by how a frame begins, by its size, or by the selector that all their
fields stand under.
"""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.fixed import decode_fields
from ..codec.plan import compile_fields
from ..codec.scope import Scope
from ..layouts.model import Field, Layout, RawSet


@dataclass(frozen=True, slots=True, eq=False)
class Branch:
    """A selector that every field of a layout stands under, and the raw values under which any is there."""

    selector: Field
    values: RawSet

    @classmethod
    def of(cls, layout: Layout) -> Branch | None:
        """Return the branch a layout describes; None if it says something of every frame."""
        if layout.parts or layout.computed or not any(field.selected is not None for field in layout.fields):
            return None
        free = {one for check in layout.checks for one in check.held_by()}
        roots = {_root(layout, field) for field in layout.fields if field.id not in free}
        if len(roots) != 1:
            return None
        root = layout.field(roots.pop())
        direct = [f.selected.values for f in layout.fields if f.selected is not None and f.selected.field == root.id]
        if not direct or root.id in free:
            return None
        return cls(root, RawSet([span for values in direct for span in values.spans]))

    def is_beside(self, other: Branch) -> bool:
        """Return whether both stand under the same bits, and under no value together."""
        mine, theirs = self.selector, other.selector
        same = (mine.places, mine.kind, mine.inverted) == (theirs.places, theirs.kind, theirs.inverted)
        return same and not self.values.meets(other.values)

    def holds(self, matrix: NDArray[np.uint8], sizes: NDArray[np.uint32]) -> NDArray[np.bool_]:
        """Return in which frames the selector has one of the values; bool (n,)."""
        columns = decode_fields(compile_fields((self.selector,)), matrix, sizes, Scope(len(matrix)))
        column = columns[self.selector.id]
        assert column.raw is not None  # validation lets only numbers select
        return self.values.holds(column.raw) & column.has_value


def _root(layout: Layout, field: Field) -> UUID:
    """Return the outermost selector above a field, itself if there is none."""
    for _ in layout.fields:
        if field.selected is None:
            break
        field = layout.field(field.selected.field)
    return field.id


@dataclass(slots=True, eq=False)
class FrameChoice:
    """The frames of a kind that a layout takes.

    Attributes
    ----------
    applies
        Of the layout; asks for sizes and how frames begin.
    branch
        None where no other layout shares the kind by a selector.
    """

    layout: Layout
    branch: Branch | None = None

    @property
    def takes_all(self) -> bool:
        """Whether no frame of the kind is left for others."""
        return self.branch is None and not self.layout.applies.looks_at_payload

    def holds(self, matrix: NDArray[np.uint8], sizes: NDArray[np.uint32]) -> NDArray[np.bool_]:
        """Return which frames it takes; bool (n,)."""
        taken = self.layout.applies.accepts(matrix, sizes)
        return taken if self.branch is None else taken & self.branch.holds(matrix, sizes)

    def words(self) -> str:
        """Say which frames it takes, empty if all."""
        applies = self.layout.applies
        parts = [f"of {applies.sizes} bytes"] if applies.sizes else []
        parts += [f"that begin {applies.pattern}"] if applies.pattern else []
        if self.branch is not None:
            parts.append(f"in which {self.branch.selector.name} is {self.branch.values}")
        return f"frames {' and '.join(parts)}" if parts else ""
