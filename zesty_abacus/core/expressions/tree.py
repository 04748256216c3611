"""What an expression is once it is read: numbers, names, and operations on them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from ..errors import MisuseError

NOTHING = "nothing"
"""A name for no value: what is computed of it is not there. A field may be called so, and is meant then."""
RAW = "raw"
"""The raw value of a field instead of its value; it takes a name, not a number, so it is no operation like others."""


class ExpressionError(MisuseError):
    """A text that is no expression, or one that has no value here."""


@dataclass(frozen=True, slots=True)
class Number:
    """A literal."""

    value: Fraction


@dataclass(frozen=True, slots=True)
class Name:
    """A field or a special name; ``first`` and ``last`` are its place in the text."""

    name: str
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Call:
    """An operation or function and its arguments."""

    operation: str
    arguments: tuple[Node, ...]


Node = Number | Name | Call


def walk(node: Node) -> Iterator[Node]:
    """Yield a node and everything below it."""
    yield node
    if isinstance(node, Call):
        for argument in node.arguments:
            yield from walk(argument)
