"""Numba's compiler, which gets ready for compiling only when something is to be compiled.

Before Numba takes a compiled kernel from its files, it loads all that its compiler would need: implementations of every
array function there is, and with them SciPy's linear algebra. That is a third of the time of a short command, whose
kernels were all compiled before. A kernel from a file needs the memory manager alone; where none fits, Numba's compiler
loads the rest by itself.

Whether one fits is also asked of what was compiled into it from other files.
"""

from __future__ import annotations

from typing import Any

from numba import njit
from numba.core.caching import FunctionCache
from numba.core.runtime import rtsys

from .compiled_uses import stamp_of

__all__ = ["njit"]


def _load_overload(cache: Any, signature: Any, target: Any) -> Any:
    """Return the compiled kernel for a signature, None where the files hold none: Numba's own, without the loading."""
    rtsys.initialize(target)
    kept = cache._cache_file
    # not before the first call: a kernel may name others that stand below it
    if not hasattr(kept, "knows_uses"):
        kept._source_stamp, kept.knows_uses = stamp_of(cache._py_func, kept._source_stamp), True
    with cache._guard_against_spurious_io_errors():
        return cache._load_overload(signature, target)


setattr(FunctionCache, "load_overload", _load_overload)  # noqa: B010 - assigned, the type checker takes it for a mistake
