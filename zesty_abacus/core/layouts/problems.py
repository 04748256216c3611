"""The shape of what validation reports, and what is asked of expressions and digits wherever they stand."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from uuid import UUID

from ..expressions.expression import SPECIAL_NAMES, Expression
from ..expressions.tree import ExpressionError
from ..expressions.unit_of import unit_of
from .fields import Field

Said = Iterator[tuple[str, str]]
"""What is wrong with one item: the attribute to mend, and the sentence."""


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


def expression_problems(attribute: str, expression: Expression, known: Mapping[str, Field]) -> Said:
    """Yield what is wrong with an expression over fields that are there once a frame."""
    unknown = unknown_name(expression, {name for name, field in known.items() if field.raw_is_number})
    if unknown:
        yield attribute, f"There is no number called {unknown} that is there once a frame."
        return
    try:
        unit_of(expression, {name: field.unit for name, field in known.items()})
    except ExpressionError as error:
        yield attribute, f"{expression}: {error}"


def unknown_name(expression: Expression, names: Collection[str]) -> str:
    """Return the first name of an expression that is not among these and not special; empty if all are."""
    return next((name for name in expression.names if name not in names and name not in SPECIAL_NAMES), "")


def is_hex(text: str) -> bool:
    """Return whether a text is the hex digits of whole bytes."""
    digits = re.sub(r"\s", "", text)
    return len(digits) % 2 == 0 and re.fullmatch(r"[0-9a-fA-F]*", digits) is not None
