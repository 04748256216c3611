"""Values that no bits hold."""

from __future__ import annotations

from fractions import Fraction
from typing import ClassVar
from uuid import UUID

from ..expressions.expression import Expression
from .attribute import NAME, Attribute, an_expression, optional_exact, text_of_names, value_names
from .fields import Field, FieldKind, NamedValue
from .item import LayoutItem
from .joined import NO_TEXT, JoinedText

NOTHING_COMPUTED = Expression("nothing")


class Computed(LayoutItem, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """A value that no bits hold: computed from fields that are there once a frame, or once an item of an array.

    Attributes
    ----------
    expression
    text
        Of a value that is a text: what it is put together of. It has no expression then.
    unit
        Empty is the unit the expression gives.
    low, high
        Values outside are flagged, both ends included; None is no limit.
    names
        Of whole values, as of a field; others have none.
    """

    id: UUID
    name: str
    expression: Expression = NOTHING_COMPUTED
    text: JoinedText = NO_TEXT
    unit: str = ""
    low: Fraction | None = None
    high: Fraction | None = None
    names: tuple[NamedValue, ...] = ()
    note: str = ""

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("expression", "is", "voltage * current", an_expression), Attribute("unit", "unit"),
        Attribute("text", "or the text", "{hours:02}:{minutes:02}", lambda text, _: JoinedText(text)),
        Attribute("low", "low limit", "open", optional_exact), Attribute("high", "high limit", "open", optional_exact),
        Attribute("names", "named values", "0 off, 1..3 on", value_names, writer=text_of_names),
    )  # fmt: skip

    def words(self) -> str:
        """Return what it is, in words."""
        return f"put together, {self.text}" if self.text else f"computed, {self.expression}"

    @property
    def names_used(self) -> tuple[str, ...]:
        """What it is computed of, by name."""
        return self.text.names if self.text else self.expression.names

    def as_field(self) -> Field:
        """Return it as the field that it is to expressions and to whoever shows it."""
        if self.text:
            return Field(id=self.id, name=self.name, kind=FieldKind.TEXT, encoding="utf-8", padding="", note=self.note)
        kind = FieldKind.NAMES if self.names else FieldKind.FLOAT
        return Field(id=self.id, name=self.name, kind=kind, unit=self.unit, names=self.names)
