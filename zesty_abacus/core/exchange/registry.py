"""Layout files of others, recognised by their content.

A format is one module with NAME, recognises, read and write. Tables are different: what their columns mean is
for the user to say, so they are read with a mapping.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import cache
from pathlib import Path
from typing import Any

from ..discover import discover
from ..harmless import visible, visible_line
from ..layouts.doubled import doubled_names
from ..layouts.json_form import FORMAT, VERSION, from_plain, layouts_from_text, layouts_to_file_text, to_plain
from ..layouts.model import Layout
from .form import LayoutFormat
from .layout_tables import layouts_of_table
from .result import Exchanged, ExchangeError, Left, Written, read_bytes
from .sheets import Sheet, is_workbook, read_sheets, write_csv
from .table_mapping import TableMapping, guess_mapping
from .table_write import rows_of_layouts

TABLE = "table of fields"
_BESIDES = frozenset({"registry", "onto", "bringing", "putting_out", "workbooks"})
"""Modules that are of no format, and load what takes long."""


@cache
def layout_formats() -> tuple[LayoutFormat, ...]:
    """Return all formats of standards, in order of their module names."""
    import zesty_abacus.core.exchange as package  # the package cannot be named before it is imported

    return tuple(discover(package, "LAYOUT_FORMAT", besides=_BESIDES))


def read_layout_file(path: Path, mapping: TableMapping | None = None) -> tuple[str, Exchanged]:
    """Read a layout file of our own, of a known standard, or a table.

    Parameters
    ----------
    mapping
        How a table is read; None is as its headings suggest.

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
        own = Exchanged(layouts_from_text(data, where=str(path)))
        for name in doubled_names(own.layouts):
            own.tell(name, "several layouts have this name; a name alone does not say which is meant.")
        return FORMAT, own
    for form in layout_formats():
        if form.recognises(data):
            return form.name, form.read(data, str(path))
    if is_table(data, path):
        sheet, guessed = open_table(path, mapping)
        return TABLE, layouts_of_table(sheet, mapping or guessed, str(path))
    if data.lstrip().startswith(b"{") and b'"layouts"' in data[:4096]:
        raise ExchangeError("it has layouts, and does not say in which form.", where=str(path),
                            hint=f'Begin it with "format": "{FORMAT}", "version": {VERSION}.')  # fmt: skip
    known = ", ".join([f"our own JSON ({FORMAT})", *(form.name for form in layout_formats()), "CSV and XLSX tables"])
    raise ExchangeError("this is no layout file that is known here.", where=str(path), hint=f"Known are {known}.")


def is_table(data: bytes, path: Path) -> bool:
    """Return whether a file is a workbook, or named as a text table."""
    return is_workbook(data) or path.suffix.lower() in (".csv", ".tsv", ".txt")


def open_table(path: Path, mapping: TableMapping | None = None) -> tuple[Sheet, TableMapping]:
    """Return the sheet of a table file that has fields, and the mapping its headings suggest.

    Parameters
    ----------
    mapping
        The sheet with its headings is preferred.

    Raises
    ------
    ExchangeError
        If the file cannot be read.
    """
    sheets = read_sheets(read_bytes(path), str(path))
    guesses = [(sheet, guess_mapping(sheet)) for sheet in sheets]
    if mapping is not None:
        wanted = [one for one in guesses if one[1].headings == mapping.headings]
        return wanted[0] if wanted else guesses[0]
    return max(guesses, key=lambda one: sum(role != "ignore" for role in one[1].roles))


def _readable(
    write: Callable[[Iterable[Layout]], Written], seen: Callable[[str], str] = visible
) -> Callable[[Iterable[Layout]], Written]:
    """Write layouts in which characters that act, and XML has no place for, stand as escapes; they are listed.

    Parameters
    ----------
    seen
        Makes a text harmless; in a format of lines it keeps a name from making two.
    """

    def cleaned(layouts: Iterable[Layout]) -> Written:
        left: list[Left] = []
        written = write([_visible(layout, seen, left) for layout in layouts])
        return Written(written.data, [*written.left, *left])

    return cleaned


def _visible(layout: Layout, seen: Callable[[str], str], left: list[Left]) -> Layout:
    before = to_plain(layout)
    plain = _seen_in(before, seen)
    if plain == before:
        return layout
    left.append(Left(visible_line(layout.name), "it holds control characters, which are written as escapes."))
    return from_plain(plain, Layout)


def _seen_in(plain: Any, seen: Callable[[str], str]) -> Any:
    if isinstance(plain, str):
        return seen(plain)
    if isinstance(plain, dict):
        return {key: _seen_in(value, seen) for key, value in plain.items()}
    return [_seen_in(value, seen) for value in plain] if isinstance(plain, list) else plain


def _own(layouts: Iterable[Layout]) -> Written:
    return Written(layouts_to_file_text(layouts).encode(), [])


def _table(as_bytes: Callable[[list[list[str]]], bytes]) -> Callable[[Iterable[Layout]], Written]:
    def write(layouts: Iterable[Layout]) -> Written:
        found = Exchanged()
        rows = rows_of_layouts(layouts, found)
        return Written(as_bytes(rows), found.left)

    return write


def _workbook(rows: list[list[str]]) -> bytes:
    from .workbooks import write_workbook  # its library takes a tenth of a second to load

    return write_workbook("Layouts", rows)


WRITERS: dict[str, tuple[str, str, Callable[[Iterable[Layout]], Written]]] = {
    "json": ("Zesty Abacus layouts", ".json", _own),
    "csv": ("CSV table", ".csv", _table(write_csv)),
    "xlsx": ("XLSX table", ".xlsx", _table(_workbook)),
    **{form.word: (form.name, form.suffix, _readable(form.write, form.seen)) for form in layout_formats()},
}
"""What can be written: words, the usual ending of the file's name, and what makes it."""


def form_of(name: str) -> str:
    """Return the word of the form that a file's name ends in, the longest of those that fit; else that of our own."""
    fitting = [word for word, (_, suffix, _) in WRITERS.items() if name.lower().endswith(suffix)]
    # of forms with one ending, the one that stands first
    return max(fitting, key=lambda word: len(WRITERS[word][1]), default="json")
