"""Sheets as SVG: pages of A4 with everything placed, for looking at, printing and PDF."""

from __future__ import annotations

from collections.abc import Iterable

from .markup import escaped
from .pages import FONT, HAIR, INK, MARGIN, MONO, PAGE, QUIET, Pages, wrapped
from .sheet import HEADINGS, BitPicture, LayoutSheet

_WIDTHS = (92.0, 92.0, 112.0, 52.0, 34.0, 56.0, 77.0)
_LINE = 10.5
COLOURS = ("#1F8A8A", "#3B7AC0", "#7B4B94", "#C2456A", "#679B2E", "#B98A00", "#B9762F", "#56707F")
"""Of fields, in turn; the number beside a colour says the same."""


def colour_of(number: int) -> str:
    """Return the colour of the field with a number."""
    return COLOURS[number % len(COLOURS)]


def sheet_pages(sheet: LayoutSheet) -> list[str]:
    """Return the pages of a sheet, each an SVG document."""
    pages = Pages()
    draw_sheet(sheet, pages)
    return pages.finished(sheet.title)


def draw_sheet(sheet: LayoutSheet, pages: Pages) -> None:
    """Put a sheet on pages that may hold more."""
    pages.text(sheet.title, 17, bold=True)
    pages.down(4)
    for line in sheet.lines:
        for part in wrapped(line, PAGE[0] - 2 * MARGIN, 9):
            pages.text(part, 9, colour=QUIET)
    pages.down(8)
    _draw_pictures(pages, sheet.pictures)
    _draw_rows(pages, sheet)
    for name, values in sheet.values:
        pages.heading(f"Values of {name}")
        for raw, label in values:
            pages.room(_LINE)
            pages.put(MARGIN + 40, raw, 8, mono=True, anchor="end")
            pages.put(MARGIN + 50, label, 8)
            pages.down(_LINE)
    if sheet.checks:
        pages.heading("Checks")
    for name, text in sheet.checks:
        lines = wrapped(text, PAGE[0] - 2 * MARGIN - 130, 8)
        pages.room(_LINE * max(len(lines), 1))
        pages.put(MARGIN, name, 8, bold=True)
        for line in lines or [""]:
            pages.put(MARGIN + 130, line, 8)
            pages.down(_LINE)


def picture_svg(picture: BitPicture) -> str:
    """Return one bit picture as an SVG document of its own size."""
    width, height = _picture_size(picture)
    body = _picture(picture, 0, 0)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.0f}" height="{height:.0f}" '
        f'viewBox="0 0 {width:.0f} {height:.0f}" role="img" aria-label="Bits and their fields">{body}</svg>'
    )


def stacked(pages: Iterable[str]) -> str:
    """Return pages one above the other in one SVG document."""
    known = list(pages)
    width, height = PAGE
    inner = "".join(page.replace("<svg ", f'<svg y="{number * height:.0f}" ', 1) for number, page in enumerate(known))
    whole = height * len(known)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.0f}" height="{whole:.0f}" '
        f'viewBox="0 0 {width:.0f} {whole:.0f}">{inner}</svg>\n'
    )


_BEAD, _ROD = 15.0, 16.0


def _picture_size(picture: BitPicture) -> tuple[float, float]:
    return 34 + 8 * _BEAD + 8, 14 + len(picture.owners) // 8 * _ROD + (12 if picture.title else 0)


def _picture(picture: BitPicture, left: float, top: float) -> str:
    made = []
    if picture.title:
        made.append(f'<text x="{left:.1f}" y="{top + 8:.1f}" font-size="8" font-weight="600" fill="{INK}" '
                    f'font-family="{FONT}">{escaped(picture.title)}</text>')  # fmt: skip
        top += 12
    for inner in range(8):
        x = left + 34 + (7 - inner) * _BEAD + _BEAD / 2
        made.append(f'<text x="{x:.1f}" y="{top + 8:.1f}" font-size="6.5" text-anchor="middle" fill="{QUIET}" '
                    f'font-family="{MONO}">{inner}</text>')  # fmt: skip
    for byte in range(len(picture.owners) // 8):
        y = top + 14 + byte * _ROD + _ROD / 2
        first, last = left + 30, left + 38 + 8 * _BEAD
        made.append(f'<text x="{left:.1f}" y="{y + 2.5:.1f}" font-size="7" fill="{QUIET}" font-family="{MONO}">'
                    f'B{byte + picture.first}</text><line x1="{first:.1f}" y1="{y:.1f}" x2="{last:.1f}" y2="{y:.1f}" '
                    f'stroke="{HAIR}" stroke-width="1.5"/>')  # fmt: skip
        for column, owner in enumerate(picture.owners[byte * 8 : byte * 8 + 8]):
            made.append(_bead(left + 34 + column * _BEAD + _BEAD / 2, y, owner))
    return "".join(made)


def _bead(x: float, y: float, owner: int) -> str:
    if owner < 0:
        return f'<circle cx="{x:.1f}" cy="{y:.1f}" r="2" fill="{HAIR}"/>'
    return (
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="6" fill="{colour_of(owner)}"/><text x="{x:.1f}" y="{y + 2.2:.1f}" '
        f'font-size="6" text-anchor="middle" fill="#fff" font-family="{MONO}">{owner + 1}</text>'
    )


def _draw_pictures(pages: Pages, pictures: Iterable[BitPicture]) -> None:
    left, lowest = MARGIN, 0.0
    for picture in pictures:
        width, height = _picture_size(picture)
        if left + width > PAGE[0] - MARGIN:
            pages.down(lowest + 8)
            left, lowest = MARGIN, 0.0
        if pages.room(height):
            left, lowest = MARGIN, 0.0
        pages.add(_picture(picture, left, pages.y - 8))
        left += width + 12
        lowest = max(lowest, height)
    pages.down(lowest + 10 if lowest else 0)


def _draw_rows(pages: Pages, sheet: LayoutSheet) -> None:
    _draw_headings(pages)
    for row in sheet.rows:
        cells = [wrapped(cell, width - 6, 8) for cell, width in zip(row.cells, _WIDTHS, strict=True)]
        indent = 14 + row.depth * 8
        cells[0] = wrapped(row.cells[0], _WIDTHS[0] - indent - 4, 8)
        height = _LINE * max(1, *(len(lines) for lines in cells)) + 4
        if pages.room(height):
            _draw_headings(pages)
        top = pages.y
        if row.number >= 0:
            pages.add(_bead(MARGIN + 6 + row.depth * 8, top - 3, row.number))
        left = MARGIN
        for column, lines in enumerate(cells):
            for number, line in enumerate(lines):
                pages.y = top + number * _LINE
                pages.put(left + (indent if column == 0 else 0), line, 8, bold=column == 0, mono=column == 1)
            left += _WIDTHS[column]
        pages.y = top + height
        pages.add(f'<line x1="{MARGIN}" y1="{pages.y - 9.5:.1f}" x2="{PAGE[0] - MARGIN}" y2="{pages.y - 9.5:.1f}" '
                  f'stroke="{HAIR}" stroke-width="0.5"/>')  # fmt: skip


def _draw_headings(pages: Pages) -> None:
    pages.room(30)
    left = MARGIN
    for heading, width in zip(HEADINGS, _WIDTHS, strict=True):
        pages.put(left, heading, 7, colour=QUIET)
        left += width
    pages.down(12)
