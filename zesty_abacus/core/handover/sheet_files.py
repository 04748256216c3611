"""Sheets as files: HTML, SVG, or PDF by whoever can draw one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from ..errors import DataError
from .sheet import LayoutSheet
from .sheet_html import sheets_html
from .sheet_svg import sheet_pages, stacked


def write_sheets(path: Path, sheets: Sequence[LayoutSheet], pdf_of: Callable[[list[str]], bytes]) -> None:
    """Write sheets as PDF, SVG or HTML; what kind follows from the name's ending.

    Parameters
    ----------
    pdf_of
        Makes a PDF of SVG pages.

    Raises
    ------
    DataError
        If the file cannot be written.
    """
    ending = path.suffix.lower()
    try:
        if ending == ".html":
            path.write_text(sheets_html(sheets), encoding="utf-8")
            return
        pages = [page for sheet in sheets for page in sheet_pages(sheet)]
        if ending == ".svg":
            path.write_text(stacked(pages), encoding="utf-8")
        else:
            path.write_bytes(pdf_of(pages))
    except OSError as error:
        raise DataError(f"the file cannot be written ({error.strerror}).", where=str(path)) from error
