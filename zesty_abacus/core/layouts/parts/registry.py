"""Finds the parts: every module of this package, or of a package from outside, that has a ``PART``."""

from __future__ import annotations

import sys
from functools import cache

from ...discover import discover
from .part import Part


@cache
def part_kinds() -> tuple[type[Part], ...]:
    """Return all kinds of part, in the order of menus."""
    import zesty_abacus.core.layouts.parts as package  # the package cannot be named before it is imported

    found = discover(package, "PART", besides=frozenset({"registry", "part", "one_field", "characters"}))
    return tuple(sorted(found, key=lambda kind: kind.rank))


def let_parts_hold(parts: object, checks: object) -> None:
    """Make the unions of all parts and of all checks known where a part says that it holds some.

    A document is read by the annotations of the classes, which are looked up in the module that a class stands in; a
    part's module cannot import the union, since the union is made of the parts.
    """
    for kind in part_kinds():
        vars(sys.modules[kind.__module__]).update(AnyPart=parts, AnyCheck=checks)
