"""Sheets as files: HTML, SVG, or PDF by whoever can draw one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from ..errors import MisuseError
from ..files.writing import Target, target_of
from .sheet import LayoutSheet
from .sheet_html import sheets_html
from .sheet_svg import sheet_pages, stacked

ENDINGS = (".html", ".svg", ".pdf")


def write_sheets(where: Path | Target, sheets: Sequence[LayoutSheet], pdf_of: Callable[[list[str]], bytes]) -> None:
    """Write sheets as PDF, SVG or HTML; what kind follows from the name's ending.

    Parameters
    ----------
    pdf_of
        Makes a PDF of SVG pages.

    Raises
    ------
    FileError
        If the file cannot be written, or is there and must not be replaced.
    MisuseError
        If the ending names no kind of sheet.
    """
    target = target_of(where)
    ending = target.path.suffix.lower()
    if ending not in ENDINGS:
        raise MisuseError(f"no sheet ends in {ending!r}.", where=str(target.path),
                          hint=f"Known are {', '.join(ENDINGS)}.")  # fmt: skip
    target.check()
    if ending == ".html":
        target.write(sheets_html(sheets).encode())
        return
    pages = [page for sheet in sheets for page in sheet_pages(sheet)]
    target.write(stacked(pages).encode() if ending == ".svg" else pdf_of(pages))
