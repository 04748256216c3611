"""Finds the operations: every module of this package, or of a package from outside, that has ``OPERATIONS``."""

from __future__ import annotations

from functools import cache

from ...discover import discover
from ..operation import Operation


@cache
def operations() -> dict[str, Operation]:
    """Return all operations by name, functions and operators."""
    import zesty_abacus.core.expressions.operations as package  # cannot be named before it is imported

    found = discover(package, "OPERATIONS")
    # those of this package come first and win: what an agreed expression gives is not for an added package to change
    return {operation.name: operation for group in reversed(found) for operation in group}


@cache
def functions() -> dict[str, Operation]:
    """Return the operations that are written as ``name(a, b)``."""
    return {name: operation for name, operation in operations().items() if not operation.symbol}
