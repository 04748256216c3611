"""Finds what takes part: modules of a package, and modules of other packages that say so.

Everything that can be added to is found in this one way. A module of the package takes part by having the attribute;
a package outside the tree by an entry point (the *Entry points specification* of PyPA) in the group
``zesty_abacus.<package name>``, which names such a module, such as ``zesty_abacus.protocols``.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from importlib.metadata import EntryPoint, entry_points
from types import ModuleType
from typing import Any

from .errors import DataError


class AddedPartError(DataError):
    """Something that another package adds cannot be loaded."""


def discover(package: ModuleType, attribute: str, *, besides: frozenset[str] = frozenset({"registry"})) -> list[Any]:
    """Return the attribute of every module that has it, in order of the module names, those from outside last.

    Parameters
    ----------
    besides
        Modules of the package that are not looked at, since they are the ones that ask.

    Raises
    ------
    AddedPartError
        If a package from outside cannot be loaded, or has no such attribute.
    """
    names = sorted(module.name for module in pkgutil.iter_modules(package.__path__))
    modules = [importlib.import_module(f"{package.__name__}.{name}") for name in names if name not in besides]
    found = [getattr(module, attribute) for module in modules if hasattr(module, attribute)]
    group = f"zesty_abacus.{package.__name__.rpartition('.')[2]}"
    added = (_load(entry) for entry in sorted(_installed().select(group=group), key=lambda entry: entry.name))
    return found + [getattr(module, attribute) for module in added if hasattr(module, attribute)]


@cache
def _installed() -> Any:
    """Return what all installed packages say; looking through them takes longer than loading what they name."""
    return entry_points()


def _load(entry: EntryPoint) -> ModuleType:
    try:
        loaded = entry.load()
    except Exception as error:
        # whatever a stranger's module does while it is imported, the sentence must say whose it is
        raise AddedPartError(
            f"the part {entry.name} that {_package_of(entry)} adds cannot be loaded: {error}.",
            hint="Mend or remove that package.",
        ) from error
    if not isinstance(loaded, ModuleType):
        raise AddedPartError(f"{entry.value}, which {_package_of(entry)} adds, is no module.")
    return loaded


def _package_of(entry: EntryPoint) -> str:
    return entry.dist.name if entry.dist is not None else entry.value
