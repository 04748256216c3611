"""What scripts use, under names that stay: recordings, libraries, tables.

Tables are :class:`pyarrow.Table`, which other packages take without a copy; arrays are NumPy's. Times are nanoseconds
since 1970, int64. Every error is an :class:`AbacusError` that says in one sentence what is wrong and where.
"""

from __future__ import annotations

from ..core.errors import AbacusError, DataError, MisuseError
from .capture import Capture, open_capture
from .library import Library, new_library, open_library
from .tables import write_table

__all__ = [
    "AbacusError", "Capture", "DataError", "Library", "MisuseError", "new_library", "open_capture", "open_library",
    "write_table",
]  # fmt: skip
