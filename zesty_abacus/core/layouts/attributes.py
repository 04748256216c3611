"""What can be set on parts, checks and computed values, each as a line of text: for forms, tables and scripts."""

from __future__ import annotations

from typing import Any

import msgspec

from .attribute import NOTE, Attribute
from .item import LayoutItem
from .model import Check, Computed, ElementCase, Layout, Part

Item = Part | Check | Computed | ElementCase


def attributes_of(item: Item) -> tuple[Attribute, ...]:
    """Return what can be set on an item, in the order a form shows it."""
    return (*item.attributes, NOTE)


def attribute_text(item: Item, name: str, layout: Layout) -> str:
    """Return an attribute as text; empty where nothing is set."""
    value: Any = item
    for step in name.split("."):
        value = getattr(value, step)
    return "" if value is None else _named(item, name).writer(value, item, layout)


def with_attribute(item: Item, name: str, text: str, layout: Layout) -> Item:
    """Return an item with an attribute read from text.

    Raises
    ------
    MisuseError
        If the text cannot be one; the message says what would be.
    """
    outer, _, inner = name.partition(".")
    value = _named(item, name).reader(text.strip(), layout)
    # what lies in another value, as the coverage of a check, is replaced within it
    if inner:
        value = msgspec.structs.replace(getattr(item, outer), **{inner: value})
    made = msgspec.structs.replace(item, **{outer: value})
    return made.settled(outer) if isinstance(made, LayoutItem) else made


def _named(item: Item, name: str) -> Attribute:
    return next(one for one in attributes_of(item) if one.name == name)
