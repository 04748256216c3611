"""Where a table goes that a person wants written: asked for, and as which form."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtWidgets import QFileDialog, QWidget

from ..app.doors import asked
from ..app.session import Session
from ..widgets.words import grouped

_PLAINEST = "csv"


class Done(Protocol):
    """Is told how many rows are written, and what could not be."""

    def __call__(self, rows: int, without: str = "") -> None: ...


Write = Callable[[Path, str, Any, Done, Callable[[str], None]], object]
"""Writes to a path in a form with an origin, and tells how many rows, or why not."""


def form_titles(known: Mapping[str, Any]) -> dict[str, str]:
    """Return what forms of tables are called, by their word; the one that everybody reads comes first."""
    return {word: known[word].title or word for word in sorted(known, key=lambda word: (word != _PLAINEST, word))}


def frame_titles() -> dict[str, str]:
    """Return what forms of frames are called: tables, then recordings."""
    return form_titles(asked.WRITERS) | asked.recording_forms()


def ask_table_file(owner: QWidget, what: str, titles: Mapping[str, str]) -> tuple[Path, str] | None:
    """Ask where a table is to be written, as ``hits``; return the path and the form that was chosen, None for none."""
    filters = ";;".join(f"{title} (*.{word})" for word, title in titles.items())
    # the dialog asks about a file that is there
    name, form = QFileDialog.getSaveFileName(owner, f"Write the {what} to", f"{what}.{_PLAINEST}", filters)
    return (Path(name), form) if name else None


def write_table(session: Session, what: str, known: Collection[str], write: Write, path: Path, chosen: str) -> None:
    """Write a table as the form that the file's name says, or else the one that was chosen; the foot tells the end."""
    word = path.suffix[1:].lower()
    if word not in known:
        word = next((one for one in known if f".{one})" in chosen), _PLAINEST)
        path = path.with_name(f"{path.name}.{word}")

    def done(rows: int, without: str = "") -> None:
        session.told.emit("good", f"{path.name} is written: {grouped(rows)} {what}. {without}".rstrip())

    write(path, word, session.origin(), done, lambda words: session.told.emit("wrong", words))
