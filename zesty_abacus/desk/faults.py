"""Faults of the program, told in the window and written down for whoever mends them."""

from __future__ import annotations

from .. import __version__
from ..core.surprise import words_of, write_report
from .settings import reports_folder


def told_fault(error: BaseException, doing: str) -> str:
    """Write a report about a fault and return the sentence that is shown."""
    words = words_of(error, write_report(error, reports_folder(), __version__, doing))
    return f"{words[:1].upper()}{words[1:]}"
