"""The doors to everything heavy in core: real modules for the type checker, loaded when first used at run time.

The window stands before NumPy kernels, Arrow and the database are loaded. Views import their names from here, and
never what lies behind them; the first use comes from the job that opens a trial, on a thread of its own.
"""

from __future__ import annotations

import importlib
from types import ModuleType
from typing import TYPE_CHECKING, Any


class Door(ModuleType):
    """A module that is imported when something of it is first asked for."""

    def __getattr__(self, name: str) -> Any:
        module = self.__dict__.get("_module")
        if module is None:
            # imported once, whoever asks first; another thread that asks meanwhile waits for it
            module = self.__dict__["_module"] = importlib.import_module(self.__name__)
        # the names themselves are not kept here: a test may put another one in their place
        return getattr(module, name)


def open_all() -> None:
    """Load what lies behind every door: for a thread, so that nobody waits for it who first goes to a desk."""
    for name in __all__:
        importlib.import_module(f"{__package__}.{name}")


if TYPE_CHECKING:
    from . import asked, engine, found, going, laid, leaving, lines, runs, seen, wrong
else:
    asked = Door(f"{__package__}.asked")
    engine = Door(f"{__package__}.engine")
    found = Door(f"{__package__}.found")
    going = Door(f"{__package__}.going")
    laid = Door(f"{__package__}.laid")
    leaving = Door(f"{__package__}.leaving")
    lines = Door(f"{__package__}.lines")
    runs = Door(f"{__package__}.runs")
    seen = Door(f"{__package__}.seen")
    wrong = Door(f"{__package__}.wrong")

__all__ = ["asked", "engine", "found", "going", "laid", "leaving", "lines", "runs", "seen", "wrong"]
