"""Numba's compiler, which gets ready for compiling only when something is to be compiled, and then takes turns.

Before Numba takes a compiled kernel from its files, it loads all that its compiler would need: implementations of every
array function there is, and with them SciPy's linear algebra. That is a third of the time of a short command, whose
kernels were all compiled before. A kernel from a file needs the memory manager alone; where none fits, Numba's compiler
loads the rest by itself.

Whether one fits is also asked of what was compiled into it from other files.

A kernel from a file also brings the constants of what it calls, each with the module it comes from, which Numba would
load: of its own array functions that is a twentieth of a second. Compiled code asks no module for anything.
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from numba import njit
from numba.core import environment
from numba.core.caching import FunctionCache
from numba.core.compiler_lock import global_compiler_lock
from numba.core.dispatcher import Dispatcher
from numba.core.environment import Environment
from numba.core.runtime import rtsys

from .compiled_uses import stamp_of
from .compiling_turns import Turn

__all__ = ["njit"]

_compile_for_itself = Dispatcher.compile


def _compile(dispatcher: Any, signature: Any) -> Any:
    """Return the code of a kernel for a signature, from its files or compiled: Numba's own, in turns."""
    cache = dispatcher._cache
    # threads wait for each other first: the one whose turn it is might need what another one is waiting with
    with global_compiler_lock:
        is_inner = getattr(cache, "turn", None) is not None  # a kernel that calls itself
        try:
            return _compile_for_itself(dispatcher, signature)
        finally:
            if not is_inner and getattr(cache, "turn", None) is not None:
                cache.turn.end()
                cache.turn = None


def _load_overload(cache: Any, signature: Any, target: Any) -> Any:
    """Return the compiled kernel for a signature, None where the files hold none and it is this process's turn.

    It is Numba's own, without the loading.
    """
    rtsys.initialize(target)
    kept = cache._cache_file
    # not before the first call: a kernel may name others that stand below it
    if not hasattr(kept, "knows_uses"):
        kept._source_stamp, kept.knows_uses = stamp_of(cache._py_func, kept._source_stamp), True
    found = cache._load_overload(signature, target)
    if found is None and getattr(cache, "turn", None) is None:
        cache.turn = Turn(Path(kept._index_path).with_suffix(".turn"))
        found = cache._load_overload(signature, target)  # somebody else may have compiled it meanwhile
    return found


def _rebuild_env(module_name: str, constants: list[Any], name: str) -> Environment:
    """Return the constants of compiled code, as Numba does, without the module that they come from."""
    known = environment.lookup_environment(name)
    if known is not None:
        return known
    loaded = sys.modules.get(module_name)
    made = Environment({"__name__": module_name} if loaded is None else vars(loaded))
    made.consts[:] = constants
    made.env_name = name
    Environment._memo[name] = made
    return made


# kernels are kept with the name of the function that makes their constants again: with Numba's own
_rebuild_env.__module__ = environment.__name__
setattr(environment, "_rebuild_env", _rebuild_env)  # noqa: B010
setattr(FunctionCache, "load_overload", _load_overload)  # noqa: B010 - assigned, the type checker takes it for a mistake
setattr(Dispatcher, "compile", _compile)  # noqa: B010
