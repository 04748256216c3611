"""Where a table goes that a person wants written: asked for, and as which form."""

from __future__ import annotations

from collections.abc import Callable, Container
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QWidget

from ..app.session import Session
from ..widgets.words import grouped

FORMS = {"csv": "CSV", "jsonl": "JSON lines", "parquet": "Parquet", "arrow": "Arrow", "xlsx": "Excel workbook",
         "mat": "MAT, level 5", "npz": "NumPy archive"}  # fmt: skip
"""Forms of tables that are offered, by their word."""

_FILTERS = ";;".join(f"{title} (*.{word})" for word, title in FORMS.items())

Write = Callable[[Path, str, Any, Callable[[int], None], Callable[[str], None]], object]
"""Writes to a path in a form with an origin, and tells how many rows, or why not."""


def ask_table_file(owner: QWidget, what: str) -> tuple[Path, str] | None:
    """Ask where a table is to be written, as ``hits``; return the path and the form that was chosen, None for none."""
    # the dialog asks about a file that is there
    name, form = QFileDialog.getSaveFileName(owner, f"Write the {what} to", f"{what}.csv", _FILTERS)
    return (Path(name), form) if name else None


def write_table(session: Session, what: str, known: Container[str], write: Write, path: Path, chosen: str) -> None:
    """Write a table as the form that the file's name says, or else the one that was chosen; the foot tells the end."""
    word = path.suffix[1:].lower()
    if word not in known:
        word = next((one for one in FORMS if f".{one})" in chosen), "csv")
        path = path.with_name(f"{path.name}.{word}")

    def done(rows: int) -> None:
        session.told.emit("good", f"{path.name} is written: {grouped(rows)} {what}.")

    write(path, word, session.origin(), done, lambda words: session.told.emit("wrong", words))
