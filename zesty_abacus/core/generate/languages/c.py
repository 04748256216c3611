"""C, of the year 1999."""

from __future__ import annotations

from ..c99.files import make
from ..language import Language

LANGUAGE = Language("c", "C99", make, has_nodes=True)
