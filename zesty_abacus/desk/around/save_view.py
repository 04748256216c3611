"""Saves the picture of a view, with where it comes from."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPainter

from ..app.session import Session
from ..widgets.picture_file import save_picture


def save_view(session: Session, path: Path, size: QSize, draw: Callable[[QPainter], object]) -> None:
    """Save what a view draws; what became of it is told in the foot."""
    if path.suffix.lower() not in (".png", ".svg"):
        path = path.with_name(f"{path.name}.png")
    try:
        save_picture(path, size, draw, origin_words(session))
    except OSError as error:
        session.told.emit("wrong", f"{path.name} cannot be written: {error.strerror or error}.")
    else:
        session.told.emit("good", f"{path.name} is saved.")


def origin_words(session: Session) -> str:
    """Return where what is in view comes from: trial, library and release, stretch of time."""
    origin, file, clock = session.origin(), session.trial.file, session.clock
    library = f"{origin.library}, {origin.release or f'change {origin.revision}'}"
    span = f"{clock.words(clock.view_first_ns)} to {clock.words(clock.view_last_ns)} s"
    return " · ".join(part for part in (file.name, file.run, library, span, f"Zesty Abacus {origin.program}") if part)
