"""Finds the checks: every module of this package, or of a package from outside, that has a ``CHECK``."""

from __future__ import annotations

from functools import cache

from ...discover import discover
from .check import Check


@cache
def check_kinds() -> tuple[type[Check], ...]:
    """Return all kinds of check, in the order of menus."""
    import zesty_abacus.core.layouts.checks as package  # the package cannot be named before it is imported

    found = discover(package, "CHECK", besides=frozenset({"registry", "check", "coverage", "over_bytes"}))
    return tuple(sorted(found, key=lambda kind: kind.rank))
