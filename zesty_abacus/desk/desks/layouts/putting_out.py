"""Puts layouts out of the library: as files of the known formats, and as sheets to print."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QWidget

from ....core.files.writing import Target
from ...app.asked_target import asked_target
from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.pdf import pdf_of
from ...widgets.words import counted

_SHEETS = (("PDF", ".pdf"), ("HTML", ".html"), ("SVG", ".svg"))


def ask_and_put_out(parent: QWidget, session: Session, layouts: list[engine.Layout]) -> None:
    """Ask for a file and a format, and write layouts to it."""
    writers = laid.WRITERS
    filters = {f"{words} (*{ending})": key for key, (words, ending, _) in writers.items()}
    name, chosen = QFileDialog.getSaveFileName(
        parent, "Put layouts out", _file_name(session, layouts), ";;".join(filters)
    )
    if name:
        key = filters.get(chosen, "json")
        put_out(session, asked_target(name, [writers[key][1]]), key, layouts)


def put_out(session: Session, target: Target, form: str, layouts: list[engine.Layout]) -> None:
    """Write layouts to a file on a thread; what the format has no room for is listed beside it."""
    origin, path = session.origin(), target.path

    def done(answer: tuple[int, str]) -> None:
        lost, listed = answer
        words = f"{counted(len(layouts), 'layout', 'is', 'are')} in {path.name}."
        if lost:
            words += f" {lost} things have no place in that format; they are listed in {listed}."
        session.told.emit("good", words)

    session.jobs.start(
        "put out", f"writing {path.name}",
        lambda progress: laid.put_out_layouts(target, form, layouts, origin, progress), done,
        lambda sentence: session.told.emit("wrong", sentence),
    )  # fmt: skip


def ask_and_print(parent: QWidget, session: Session, layouts: list[engine.Layout]) -> None:
    """Ask for a file, and write the sheets of layouts to it."""
    filters = {f"{words} (*{ending})": ending for words, ending in _SHEETS}
    name, chosen = QFileDialog.getSaveFileName(parent, "Print sheets", _file_name(session, layouts), ";;".join(filters))
    if name:
        print_sheets(session, asked_target(name, [filters.get(chosen, ".pdf")]), layouts)


def print_sheets(session: Session, target: Target, layouts: list[engine.Layout]) -> None:
    """Write sheets on a thread; what kind of file follows from the name's ending."""
    version = f"{session.origin().words()}, on {datetime.now():%Y-%m-%d %H:%M}"

    def work(progress: Any) -> None:
        sheets = [laid.sheet_of(layout, version) for layout in layouts]
        progress.step(0.3, f"drawing {counted(len(sheets), 'sheet')}")
        laid.write_sheets(target, sheets, pdf_of)

    session.jobs.start(
        "print", f"writing {target.path.name}", work,
        lambda _nothing: session.told.emit("good", f"{counted(len(layouts), 'sheet', 'is', 'are')} in {target.path}."),
        lambda sentence: session.told.emit("wrong", sentence),
    )  # fmt: skip


def _file_name(session: Session, layouts: list[engine.Layout]) -> str:
    name = layouts[0].name if len(layouts) == 1 else "layouts"
    return str(session.trial.folder / name.replace("/", "-"))
