"""Values that no bits hold."""

from __future__ import annotations

from fractions import Fraction
from typing import ClassVar
from uuid import UUID

from ..expressions.expression import Expression
from .attribute import NAME, Attribute, an_expression, optional_exact, text_of_names, value_names
from .fields import Field, FieldKind, NamedValue
from .item import LayoutItem


class Computed(LayoutItem, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """A value that no bits hold: computed from fields that are there once a frame, or once an item of an array.

    Attributes
    ----------
    unit
        Empty is the unit the expression gives.
    low, high
        Values outside are flagged, both ends included; None is no limit.
    names
        Of whole values, as of a field; others have none.
    """

    id: UUID
    name: str
    expression: Expression
    unit: str = ""
    low: Fraction | None = None
    high: Fraction | None = None
    names: tuple[NamedValue, ...] = ()
    note: str = ""

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("expression", "is", "voltage * current", an_expression), Attribute("unit", "unit"),
        Attribute("low", "low limit", "open", optional_exact), Attribute("high", "high limit", "open", optional_exact),
        Attribute("names", "named values", "0 off, 1..3 on", value_names, writer=text_of_names),
    )  # fmt: skip

    def words(self) -> str:
        """Return what it is, in words."""
        return f"computed, {self.expression}"

    def as_field(self) -> Field:
        """Return it as the field that it is to expressions and to whoever shows it."""
        kind = FieldKind.NAMES if self.names else FieldKind.FLOAT
        return Field(id=self.id, name=self.name, kind=kind, unit=self.unit, names=self.names)
