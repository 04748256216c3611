"""A form in which tables leave: the word for it, and what writes it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import BinaryIO

import pyarrow as pa


@dataclass(frozen=True, slots=True)
class TableForm:
    """What a module of :mod:`.forms` offers as ``FORM``.

    Attributes
    ----------
    word
        Used on the command line, and the ending of the file's name.
    write
        Takes a stream, the schema and the tables.
    """

    word: str
    write: Callable[[BinaryIO, pa.Schema, Iterable[pa.Table]], None]
