"""What a container holds while it is read, from its own first bit on."""

from __future__ import annotations

import msgspec

from ..layouts.model import Check, Field, Group, Part, Selected
from .result import CannotCarryError, stable_id
from .xml import Element, text_of
from .xtce_types import whole


class Content:
    """What a container holds, from its own first bit on.

    ``fields`` lie ahead of ``parts``; ``open`` is the group that takes fixed fields once something has moved.
    """

    def __init__(self, bit: int = 0) -> None:
        self.fields: list[Field] = []
        self.parts: list[Part] = []
        self.checks: list[Check] = []
        self.bit = bit
        self._behind: list[Field] | None = None

    @property
    def moves(self) -> bool:
        """Whether something in it has no fixed place."""
        return bool(self.parts) or self._behind is not None

    def put(self, field: Field) -> None:
        """Add a field at its place."""
        (self.fields if self._behind is None else self._behind).append(field)

    def put_part(self, part: Part) -> None:
        """Add what moves; fixed fields that follow go into a group of their own behind it."""
        if self.bit % 8:
            raise CannotCarryError("it does not begin at a whole byte.")
        self.close()
        self.parts.append(part)
        self._behind = []
        self.bit = 0

    def close(self) -> None:
        """Make a group of the fixed fields behind the last part."""
        if self._behind:
            first = self._behind[0]
            self.parts.append(
                Group(id=stable_id("behind", str(first.id)), name=f"from {first.name}", size=(self.bit + 7) // 8,
                      fields=tuple(self._behind))
            )  # fmt: skip
        if self._behind is not None:
            self._behind = []
            self.bit = 0


def bytes_of(fields: list[Field]) -> int:
    """Return how many bytes some fields reach over."""
    return max((field.places.size_needed for field in fields), default=0)


def declared_size(container: Element) -> int:
    """Return the bytes a container says it has, 0 if it does not say."""
    return (whole(text_of(container, "BinaryEncoding", "SizeInBits", "FixedValue")) + 7) // 8


def held(field: Field, selected: Selected | None) -> Field:
    """Return a field that is present while a restriction holds; one that has its own keeps it."""
    if selected is None or field.selected is not None:
        return field
    return msgspec.structs.replace(field, selected=selected)
