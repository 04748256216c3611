"""Python, with NumPy."""

from __future__ import annotations

from ..language import Language
from ..numpy_module.files import make

LANGUAGE = Language("python", "Python", make)
