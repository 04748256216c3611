"""The shape of what validation reports."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID


@dataclass(frozen=True, slots=True)
class LayoutProblem:
    """One thing that is wrong.

    Attributes
    ----------
    field
        The field, part, check or computed value it is about, or None for the layout as a whole.
    attribute
        Name of the attribute to mend.
    sentence
        What is wrong and what would be right.
    """

    field: UUID | None
    attribute: str
    sentence: str
