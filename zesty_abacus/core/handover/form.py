"""A form in which tables leave: the word for it, and what writes it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import BinaryIO, Protocol

import pyarrow as pa

from .block import Blocks
from .cell_text import RowStyle, text_of

Written = Callable[[int, int], None]
"""Told the rows of a block, and of how many frames they are."""


class Form(Protocol):
    """What a module of :mod:`.forms` offers as ``FORM``."""

    @property
    def word(self) -> str:
        """Return the word used on the command line, which is also the ending of the file's name."""

    @property
    def title(self) -> str:
        """Return what people call it; the word where it is empty."""

    def put(self, stream: BinaryIO, schema: pa.Schema, blocks: Blocks, written: Written) -> None:
        """Write a table; ``written`` is told of each block."""


@dataclass(frozen=True, slots=True)
class TableForm:
    """A form that another library writes, table by table.

    Attributes
    ----------
    word
    write
        Takes a stream, the schema and the tables.
    title
    """

    word: str
    write: Callable[[BinaryIO, pa.Schema, Iterable[pa.Table]], None]
    title: str = ""

    def put(self, stream: BinaryIO, schema: pa.Schema, blocks: Blocks, written: Written) -> None:
        """Write tables one after the other; they are made ahead."""

        def told() -> Iterable[pa.Table]:
            for block in blocks:
                written(block.count, block.frames)
                yield from block.tables()

        self.write(stream, schema, told())


@dataclass(frozen=True, slots=True)
class TextForm:
    """A form of text in rows; their text is made by several threads and written by one.

    Attributes
    ----------
    word
    head
        Takes the schema, and gives what stands before the first row.
    style
        What rows look like.
    title
    """

    word: str
    head: Callable[[pa.Schema], bytes]
    style: RowStyle
    title: str = ""

    def put(self, stream: BinaryIO, schema: pa.Schema, blocks: Blocks, written: Written) -> None:
        """Write the head and the rows."""
        stream.write(self.head(schema))
        for block, pieces in blocks.then(lambda block: (block, text_of(block, self.style))):
            written(block.count, block.frames)
            for piece in pieces:
                stream.write(piece)
