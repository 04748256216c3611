"""Sheets as SVG: pages of A4 with everything placed, for looking at, printing and PDF.

No font is at hand here, so widths of words are estimated; columns are wide enough for that.
"""

from __future__ import annotations

from collections.abc import Iterable

from .markup import escaped
from .sheet import HEADINGS, BitPicture, LayoutSheet

PAGE = (595.0, 842.0)
"""A4 in points."""
_MARGIN = 40.0
_WIDTHS = (92.0, 92.0, 112.0, 52.0, 34.0, 56.0, 77.0)
_LINE = 10.5
_INK, _QUIET, _HAIR = "#22303C", "#5F6A73", "#D9CFB8"
COLOURS = ("#1F8A8A", "#3B7AC0", "#7B4B94", "#C2456A", "#679B2E", "#B98A00", "#B9762F", "#56707F")
"""Of fields, in turn; the number beside a colour says the same."""
_FONT = "Inter, 'DejaVu Sans', sans-serif"
_MONO = "'JetBrains Mono', 'DejaVu Sans Mono', monospace"


def colour_of(number: int) -> str:
    """Return the colour of the field with a number."""
    return COLOURS[number % len(COLOURS)]


def sheet_pages(sheet: LayoutSheet) -> list[str]:
    """Return the pages of a sheet, each an SVG document."""
    pages = _Pages()
    pages.text(sheet.title, 17, bold=True)
    pages.down(4)
    for line in sheet.lines:
        for part in wrapped(line, PAGE[0] - 2 * _MARGIN, 9):
            pages.text(part, 9, colour=_QUIET)
    pages.down(8)
    _draw_pictures(pages, sheet.pictures)
    _draw_rows(pages, sheet)
    for name, values in sheet.values:
        pages.heading(f"Values of {name}")
        for raw, label in values:
            pages.room(_LINE)
            pages.put(_MARGIN + 40, raw, 8, mono=True, anchor="end")
            pages.put(_MARGIN + 50, label, 8)
            pages.down(_LINE)
    if sheet.checks:
        pages.heading("Checks")
    for name, text in sheet.checks:
        lines = wrapped(text, PAGE[0] - 2 * _MARGIN - 130, 8)
        pages.room(_LINE * max(len(lines), 1))
        pages.put(_MARGIN, name, 8, bold=True)
        for line in lines or [""]:
            pages.put(_MARGIN + 130, line, 8)
            pages.down(_LINE)
    return pages.finished(sheet.title)


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


def wrapped(text: str, width: float, size: float) -> list[str]:
    """Break a text into lines that fit a width, at blanks where it can."""
    most = max(int(width / (size * 0.54)), 4)
    lines: list[str] = []
    for word in text.split():
        while len(word) > most:
            head, word = word[:most], word[most:]
            lines.append(head)
        if lines and len(lines[-1]) + 1 + len(word) <= most:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines


class _Pages:
    """Puts text on pages from the top; begins another one where there is no room."""

    def __init__(self) -> None:
        self._pages: list[list[str]] = [[]]
        self.y = _MARGIN + 10

    def room(self, height: float) -> bool:
        """Go to the next page if so much does not fit; return whether it was turned."""
        if self.y + height <= PAGE[1] - _MARGIN:
            return False
        self._pages.append([])
        self.y = _MARGIN + 10
        return True

    def down(self, by: float) -> None:
        self.y += by

    def add(self, element: str) -> None:
        self._pages[-1].append(element)

    def put(self, x: float, text: str, size: float, *, bold: bool = False, mono: bool = False, colour: str = _INK,
            anchor: str = "start") -> None:  # fmt: skip
        weight = ' font-weight="600"' if bold else ""
        end = f' text-anchor="{anchor}"' if anchor != "start" else ""
        self.add(
            f'<text x="{x:.1f}" y="{self.y:.1f}" font-size="{size}" fill="{colour}" '
            f'font-family="{_MONO if mono else _FONT}"{weight}{end}>{escaped(text)}</text>'
        )

    def text(self, text: str, size: float, **settings: object) -> None:
        self.room(size * 1.3)
        self.put(_MARGIN, text, size, **settings)  # type: ignore[arg-type]
        self.down(size * 1.35)

    def heading(self, text: str) -> None:
        self.down(10)
        self.room(34)
        self.put(_MARGIN, text, 10, bold=True)
        self.down(14)

    def finished(self, title: str) -> list[str]:
        made = []
        width, height = PAGE
        for number, elements in enumerate(self._pages, 1):
            foot = f"{title} · page {number} of {len(self._pages)}"
            made.append(
                f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.0f}" height="{height:.0f}" '
                f'viewBox="0 0 {width:.0f} {height:.0f}"><rect width="{width:.0f}" height="{height:.0f}" fill="#fff"/>'
                f'{"".join(elements)}<text x="{_MARGIN}" y="{height - 22:.0f}" font-size="7" fill="{_QUIET}" '
                f'font-family="{_FONT}">{escaped(foot)}</text></svg>'
            )
        return made


_BEAD, _ROD = 15.0, 16.0


def _picture_size(picture: BitPicture) -> tuple[float, float]:
    return 34 + 8 * _BEAD + 8, 14 + len(picture.owners) // 8 * _ROD + (12 if picture.title else 0)


def _picture(picture: BitPicture, left: float, top: float) -> str:
    made = []
    if picture.title:
        made.append(f'<text x="{left:.1f}" y="{top + 8:.1f}" font-size="8" font-weight="600" fill="{_INK}" '
                    f'font-family="{_FONT}">{escaped(picture.title)}</text>')  # fmt: skip
        top += 12
    for inner in range(8):
        x = left + 34 + (7 - inner) * _BEAD + _BEAD / 2
        made.append(f'<text x="{x:.1f}" y="{top + 8:.1f}" font-size="6.5" text-anchor="middle" fill="{_QUIET}" '
                    f'font-family="{_MONO}">{inner}</text>')  # fmt: skip
    for byte in range(len(picture.owners) // 8):
        y = top + 14 + byte * _ROD + _ROD / 2
        first, last = left + 30, left + 38 + 8 * _BEAD
        made.append(f'<text x="{left:.1f}" y="{y + 2.5:.1f}" font-size="7" fill="{_QUIET}" font-family="{_MONO}">'
                    f'B{byte + picture.first}</text><line x1="{first:.1f}" y1="{y:.1f}" x2="{last:.1f}" y2="{y:.1f}" '
                    f'stroke="{_HAIR}" stroke-width="1.5"/>')  # fmt: skip
        for column, owner in enumerate(picture.owners[byte * 8 : byte * 8 + 8]):
            made.append(_bead(left + 34 + column * _BEAD + _BEAD / 2, y, owner))
    return "".join(made)


def _bead(x: float, y: float, owner: int) -> str:
    if owner < 0:
        return f'<circle cx="{x:.1f}" cy="{y:.1f}" r="2" fill="{_HAIR}"/>'
    return (
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="6" fill="{colour_of(owner)}"/><text x="{x:.1f}" y="{y + 2.2:.1f}" '
        f'font-size="6" text-anchor="middle" fill="#fff" font-family="{_MONO}">{owner + 1}</text>'
    )


def _draw_pictures(pages: _Pages, pictures: Iterable[BitPicture]) -> None:
    left, lowest = _MARGIN, 0.0
    for picture in pictures:
        width, height = _picture_size(picture)
        if left + width > PAGE[0] - _MARGIN:
            pages.down(lowest + 8)
            left, lowest = _MARGIN, 0.0
        if pages.room(height):
            left, lowest = _MARGIN, 0.0
        pages.add(_picture(picture, left, pages.y - 8))
        left += width + 12
        lowest = max(lowest, height)
    pages.down(lowest + 10 if lowest else 0)


def _draw_rows(pages: _Pages, sheet: LayoutSheet) -> None:
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
            pages.add(_bead(_MARGIN + 6 + row.depth * 8, top - 3, row.number))
        left = _MARGIN
        for column, lines in enumerate(cells):
            for number, line in enumerate(lines):
                pages.y = top + number * _LINE
                pages.put(left + (indent if column == 0 else 0), line, 8, bold=column == 0, mono=column == 1)
            left += _WIDTHS[column]
        pages.y = top + height
        pages.add(f'<line x1="{_MARGIN}" y1="{pages.y - 9.5:.1f}" x2="{PAGE[0] - _MARGIN}" y2="{pages.y - 9.5:.1f}" '
                  f'stroke="{_HAIR}" stroke-width="0.5"/>')  # fmt: skip


def _draw_headings(pages: _Pages) -> None:
    pages.room(30)
    left = _MARGIN
    for heading, width in zip(HEADINGS, _WIDTHS, strict=True):
        pages.put(left, heading, 7, colour=_QUIET)
        left += width
    pages.down(12)
