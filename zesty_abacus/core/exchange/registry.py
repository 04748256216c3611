"""Layout files of others, recognised by their content. A format is one module with NAME, recognises and read."""

from __future__ import annotations

from pathlib import Path
from types import ModuleType

from ..layouts.json_form import FORMAT, layouts_from_text
from . import eds, sunspec
from .result import Exchanged, ExchangeError, read_bytes

FORMATS: tuple[ModuleType, ...] = (sunspec, eds)


def read_layout_file(path: Path) -> tuple[str, Exchanged]:
    """Read a layout file of our own or of a known standard.

    Returns
    -------
    name
        Of the format.
    exchanged
        Layouts, and what was left.

    Raises
    ------
    ExchangeError
        If the file cannot be read, or is of none of the known formats; the message lists them.
    LayoutFormError
        If it is a file of our own with something wrong in it.
    """
    data = read_bytes(path)
    if FORMAT.encode() in data[:4096]:
        return FORMAT, Exchanged(layouts_from_text(data, where=str(path)))
    for form in FORMATS:
        if form.recognises(data):
            return form.NAME, form.read(data, str(path))
    known = ", ".join([f"our own JSON ({FORMAT})", *(form.NAME for form in FORMATS)])
    raise ExchangeError("this is no layout file that is known here.", where=str(path), hint=f"Known are {known}.")
