"""Numba's compiler, loaded without linear algebra.

Where Numba registers its array functions it looks for BLAS, and by that loads all of SciPy's linear algebra: a third of
the time that a short command takes. No kernel of this program uses any, so the look is made to find nothing.
"""

from __future__ import annotations

import importlib
import sys
from typing import Any

from numba import njit

_BLAS = "scipy.linalg.cython_blas"


def _register_without_blas() -> None:
    modules: dict[str, Any] = sys.modules
    if _BLAS in modules:
        return
    # None in the table of modules is how the import system says that there is none
    modules[_BLAS] = None
    try:
        importlib.import_module("numba.np.arraymath")
    finally:
        del modules[_BLAS]


_register_without_blas()

__all__ = ["njit"]
