"""What a report is made of, before it is written as HTML or drawn on pages."""

from __future__ import annotations

from dataclasses import dataclass

from ..handover.sheet import LayoutSheet


@dataclass(frozen=True, slots=True)
class Heading:
    """Begins a part of the report."""

    text: str


@dataclass(frozen=True, slots=True)
class Sentence:
    """A paragraph; ``is_wrong`` where it tells of something that is."""

    text: str
    is_wrong: bool = False


@dataclass(frozen=True, slots=True)
class Facts:
    """Names with what is to be said of each."""

    rows: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Table:
    """Rows under headings.

    Attributes
    ----------
    widths
        Shares of the width that the columns take on paper.
    numbers
        Columns that hold numbers, which stand to the right.
    left_out
        How many rows there are besides.
    plain
        Columns whose letters all have one width, as of hashes.
    """

    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    widths: tuple[float, ...]
    numbers: tuple[int, ...] = ()
    left_out: int = 0
    plain: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Figure:
    """A picture as elements of SVG, in points of its own size."""

    elements: str
    width: float
    height: float
    words: str


@dataclass(frozen=True, slots=True)
class Sheets:
    """Layouts as printed, each with its bits."""

    sheets: tuple[LayoutSheet, ...]


Block = Heading | Sentence | Facts | Table | Figure | Sheets


@dataclass(frozen=True, slots=True)
class Report:
    """A report.

    Attributes
    ----------
    title, lines
        What it is about, by which library, made when.
    blocks
    """

    title: str
    lines: tuple[str, ...]
    blocks: tuple[Block, ...]
