"""A report as pages of A4, each an SVG document; the toolkit of the window makes a PDF of them."""

from __future__ import annotations

import itertools
from functools import singledispatch

from ..handover.pages import HAIR, INK, MARGIN, PAGE, QUIET, Pages, wrapped
from ..handover.sheet_svg import draw_sheet
from .blocks import Block, Facts, Figure, Heading, Report, Sentence, Sheets, Table

_ROOM = PAGE[0] - 2 * MARGIN
_LINE = 10.0
_SIZE, _SIZE_PLAIN = 7.5, 5.8
_WRONG = "#A3182F"


def report_pages(report: Report) -> list[str]:
    """Return the pages."""
    pages = Pages()
    pages.text(report.title, 18, bold=True)
    for line in report.lines:
        for part in wrapped(line, _ROOM, 9):
            pages.text(part, 9, colour=QUIET)
    for block, following in itertools.zip_longest(report.blocks, report.blocks[1:]):
        if isinstance(block, Heading) and isinstance(following, Figure):
            # a heading alone at the foot of a page says nothing
            pages.room(min(following.height + 60, PAGE[1] - 2 * MARGIN - 20))
        _draw(block, pages)
    return pages.finished(report.title)


@singledispatch
def _draw(block: Block, _pages: Pages) -> None:
    raise TypeError(f"{block!r} is no part of a report")


@_draw.register
def _(block: Heading, pages: Pages) -> None:
    pages.down(8)
    pages.room(60)
    pages.put(MARGIN, block.text, 12, bold=True)
    pages.down(18)


@_draw.register
def _(block: Sentence, pages: Pages) -> None:
    for line in wrapped(block.text, _ROOM, 8.5):
        pages.text(line, 8.5, colour=_WRONG if block.is_wrong else INK)


@_draw.register
def _(block: Facts, pages: Pages) -> None:
    pages.down(8)
    for name, said in block.rows:
        lines = wrapped(said, _ROOM - 90, 8.5) or [""]
        pages.room(12.0 * len(lines))
        pages.put(MARGIN, name, 8.5, colour=QUIET)
        for line in lines:
            pages.put(MARGIN + 90, line, 8.5)
            pages.down(12)


@_draw.register
def _(block: Table, pages: Pages) -> None:
    whole = sum(block.widths)
    widths = [_ROOM * width / whole for width in block.widths]
    _heads(block, widths, pages)
    for row in block.rows:
        # letters of one width are wider than most
        cells = [wrapped(text, width - 6, _SIZE_PLAIN * 1.12 if place in block.plain else _SIZE) or [""]
                 for place, (text, width) in enumerate(zip(row, widths, strict=True))]  # fmt: skip
        height = _LINE * max(map(len, cells)) + 3
        if pages.room(height):
            _heads(block, widths, pages)
        _cells(block, widths, cells, height, pages)
    if block.left_out:
        pages.text(f"{block.left_out} more are left out.", _SIZE, colour=QUIET)


def _heads(block: Table, widths: list[float], pages: Pages) -> None:
    pages.room(30)
    cells = [wrapped(text, width - 4, 6.5) or [""] for text, width in zip(block.heads, widths, strict=True)]
    _cells(block, widths, cells, 9.0 * max(map(len, cells)) + 3, pages, colour=QUIET, size=6.5)


def _cells(
    block: Table, widths: list[float], cells: list[list[str]], height: float, pages: Pages, *, colour: str = INK,
    size: float = _SIZE,
) -> None:  # fmt: skip
    top, left = pages.y, MARGIN
    for place, (lines, width) in enumerate(zip(cells, widths, strict=True)):
        is_number, is_plain = place in block.numbers, place in block.plain
        for number, line in enumerate(lines):
            pages.y = top + number * _LINE
            pages.put(left + (width - 8 if is_number else 0), line, min(size, _SIZE_PLAIN) if is_plain else size,
                      colour=colour, anchor="end" if is_number else "start", mono=is_plain)  # fmt: skip
        left += width
    pages.y = top + height
    pages.add(f'<line x1="{MARGIN}" y1="{pages.y - 8.5:.1f}" x2="{PAGE[0] - MARGIN}" y2="{pages.y - 8.5:.1f}" '
              f'stroke="{HAIR}" stroke-width="0.5"/>')  # fmt: skip


@_draw.register
def _(block: Figure, pages: Pages) -> None:
    pages.room(min(block.height, PAGE[1] - 2 * MARGIN - 20))
    pages.add(f'<g transform="translate({MARGIN} {pages.y - 8:.1f})">{block.elements}</g>')
    pages.down(block.height + 4)


@_draw.register
def _(block: Sheets, pages: Pages) -> None:
    for sheet in block.sheets:
        pages.room(140)
        pages.down(6)
        draw_sheet(sheet, pages)
