"""What a condition is once it is read: the nodes of expressions, and a few more."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from ..errors import MisuseError
from ..expressions.tree import Node


class ConditionError(MisuseError):
    """A text that is no condition, or one that makes no sense here."""


@dataclass(frozen=True, slots=True)
class Quantity:
    """A number with a unit."""

    value: Fraction
    unit: str


@dataclass(frozen=True, slots=True)
class Text:
    """A text in quotes."""

    text: str


@dataclass(frozen=True, slots=True)
class Member:
    """A field of a message that is named."""

    message: str
    field: str


@dataclass(frozen=True, slots=True)
class At:
    """Bits at a place of the payload, without a layout."""

    places: str


@dataclass(frozen=True, slots=True)
class Then:
    """A condition that holds within a time after another."""

    earlier: AnyNode
    later: AnyNode
    within: AnyNode


AnyNode = Node | Quantity | Text | Member | At | Then
