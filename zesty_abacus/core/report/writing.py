"""Writes a report into a file, in the form that its name says."""

from __future__ import annotations

from collections.abc import Callable

from ..errors import MisuseError
from ..files.writing import Target
from .blocks import Report
from .html import report_html
from .paper import report_pages

ENDINGS = (".html", ".pdf")


def check_ending(target: Target) -> None:
    """Raise :class:`MisuseError` for a name that says no form."""
    if target.path.suffix.lower() not in ENDINGS:
        raise MisuseError("a report is written as .html or .pdf.", where=str(target.path), hint="End the name so.")


def write_report(target: Target, report: Report, pdf_of: Callable[[list[str]], bytes]) -> None:
    """Write a report, whole or not at all.

    Parameters
    ----------
    pdf_of
        Makes a PDF of pages; core has no fonts.

    Raises
    ------
    FileError
        If the file must not be written, or the disk does not take it.
    """
    check_ending(target)
    is_pdf = target.path.suffix.lower() == ".pdf"
    target.write(pdf_of(report_pages(report)) if is_pdf else report_html(report).encode("utf-8", "surrogateescape"))
