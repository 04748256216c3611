"""What a compiled kernel is made of besides its own file: kernels and constants of other files.

Numba keeps a compiled kernel as long as the file that holds it stays the same. What it calls is compiled into it, and
constants are, so a change in their files would go unnoticed: after an edit, and after an update, where the compiled
kernels of the version before are still in their folder.
"""

from __future__ import annotations

import enum
import functools
import hashlib
from collections.abc import Iterator
from pathlib import Path
from types import CodeType, FunctionType, ModuleType
from typing import Any

import numpy as np

_PLAIN = (bool, int, float, complex, str, bytes, np.generic)


def stamp_of(kernel: FunctionType, own: object) -> str:
    """Return what is another one as soon as anything is that a kernel is compiled from.

    Parameters
    ----------
    own
        The stamp of its own file.
    """
    parts = hashlib.sha256(repr(own).encode())
    for part in _uses(kernel, set()):
        parts.update(part)
    return parts.hexdigest()


def _uses(function: FunctionType, seen: set[CodeType]) -> Iterator[bytes]:
    """Yield what a function uses by the names in it, each kernel once."""
    code = function.__code__
    if code in seen:
        return
    seen.add(code)
    names = sorted(_names_in(code))
    enclosed = dict(zip(code.co_freevars, (cell.cell_contents for cell in function.__closure__ or ()), strict=True))
    package = function.__module__.partition(".")[0]
    for name in names:
        value = enclosed.get(name, function.__globals__.get(name))
        if isinstance(value, ModuleType):
            if value.__name__.partition(".")[0] == package:
                # an attribute of it is among the names, too
                for attribute in names:
                    yield from _described(attribute, vars(value).get(attribute), seen)
        else:
            yield from _described(name, value, seen)


def _names_in(code: CodeType) -> set[str]:
    names = {*code.co_names, *code.co_freevars}
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            names |= _names_in(constant)
    return names


def _described(name: str, value: Any, seen: set[CodeType]) -> Iterator[bytes]:
    function = getattr(value, "py_func", None)
    if isinstance(function, FunctionType):
        yield _content_of(function.__code__.co_filename)
        yield from _uses(function, seen)
    elif isinstance(value, np.ndarray):
        yield f"{name} {value.dtype} {value.shape}".encode()
        yield value.tobytes()
    elif isinstance(value, type) and issubclass(value, enum.Enum):
        yield f"{name} {[(one.name, one.value) for one in value]}".encode()
    elif isinstance(value, type) and hasattr(value, "_fields"):
        yield f"{name} {value._fields}".encode()
    elif isinstance(value, tuple):
        for one in value:
            yield from _described(name, one, seen)
    elif isinstance(value, _PLAIN):
        yield f"{name} {value!r}".encode()


@functools.cache
def _content_of(file: str) -> bytes:
    path = Path(file)
    return hashlib.sha256(path.read_bytes()).digest() if path.is_file() else b""
