"""What is worked out of columns of text while a frame is written."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction


@dataclass(slots=True)
class Workings:
    """What was worked out of columns of text: they have no fixed width, so that all is written again with them.

    Attributes
    ----------
    values
        By path and name of the field.
    is_settled
        Whether writing everything again would change nothing.
    """

    values: dict[str, Fraction] = field(default_factory=dict)
    is_settled: bool = True
