"""Faults of the program, told in the window and written down for whoever mends them."""

from __future__ import annotations

import traceback

from ... import __version__
from ...core.surprise import words_of, write_report
from .settings import reports_folder


def told_fault(error: BaseException, doing: str) -> str:
    """Write a report about a fault and return the sentence that is shown."""
    # whoever started it from a terminal sees the trace there, too
    traceback.print_exception(error)
    words = words_of(error, write_report(error, reports_folder(), __version__, doing))
    return f"{words[:1].upper()}{words[1:]}"
