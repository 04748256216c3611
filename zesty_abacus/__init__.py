"""Zesty Abacus: count the bits once, together, with proof.

For scripts ``import zesty_abacus as za``: what there is stands in ``docs/api.md`` and in :mod:`zesty_abacus.api`.
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .api import (
        AbacusError,
        Capture,
        DataError,
        Library,
        MisuseError,
        new_library,
        open_capture,
        open_library,
        write_table,
    )

__version__ = "0.1.0"
__all__ = [
    "AbacusError",
    "Capture",
    "DataError",
    "Library",
    "MisuseError",
    "new_library",
    "open_capture",
    "open_library",
    "write_table",
]


def __getattr__(name: str) -> Any:
    # a command that says its own help loads this package, and none of what scripts use
    if name in __all__:
        return getattr(importlib.import_module(".api", __name__), name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted([*globals(), *__all__])
