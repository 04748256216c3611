"""Values that two fields make together, kept: a number and its power of ten, or two registers that carry in decimal."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import uuid4

from ..expressions.expression import Expression
from ..layouts.model import Computed, Field, Layout
from ..layouts.template import free_name
from .finding import Finding


def with_joined(layout: Layout, findings: Iterable[Finding]) -> Layout:
    """Return a layout with the values that findings make of its fields, as soon as both fields are there."""
    for one in findings:
        made = _scaled(layout, one) if "power_of_ten" in one.parameters else _carried(layout, one)
        if made is not None:
            layout = layout.with_item(made)
    return layout


def _scaled(layout: Layout, finding: Finding) -> Computed | None:
    number, scale = _at(layout, finding.places), _at(layout, str(finding.parameters["power_of_ten"]))
    if number is None or scale is None:
        return None
    return _computed(layout, f"{number.name} scaled", f"`{number.name}` * pow(10, `{scale.name}`)", finding)


def _carried(layout: Layout, finding: Finding) -> Computed | None:
    carries = finding.parameters.get("carries")
    if carries is None:
        return None
    low, high = _at(layout, finding.places), _at(layout, carries["into"])
    if low is None or high is None:
        return None
    return _computed(layout, f"{low.name} whole", f"`{high.name}` * {carries['at']} + `{low.name}`", finding)


def _at(layout: Layout, places: str) -> Field | None:
    return next((one for one in layout.fields if str(one.places) == places), None)


def _computed(layout: Layout, name: str, text: str, finding: Finding) -> Computed | None:
    """Return the value, None if the layout has it."""
    expression = Expression(text)
    if any(one.expression == expression for one in layout.computed):
        return None
    return Computed(id=uuid4(), name=free_name(layout, name), expression=expression, note=finding.reason)
