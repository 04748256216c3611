"""Saves the picture of a view, with where it comes from."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPainter

from ..app.asked_target import asked_target
from ..app.session import Session
from ..widgets.picture_file import png_of, svg_of


def save_view(session: Session, chosen: str, size: QSize, draw: Callable[[QPainter], object]) -> None:
    """Save what a view draws under a name that was chosen in a dialog; what became of it is told in the foot."""
    target = asked_target(chosen, (".png", ".svg"), session.trial.files())
    made = (svg_of if target.path.suffix.lower() == ".svg" else png_of)(size, draw, origin_words(session))
    name = target.path.name
    session.jobs.start(
        "picture", f"writing {name}", lambda _progress: target.write(made()),
        lambda _done: session.told.emit("good", f"{name} is saved."),
        lambda sentence: session.told.emit("wrong", sentence), in_line=True,
    )  # fmt: skip


def origin_words(session: Session) -> str:
    """Return where what is in view comes from: trial, library and release, stretch of time."""
    origin, file, clock = session.origin(), session.trial.file, session.clock
    library = f"{origin.library}, {origin.release or f'change {origin.revision}'}"
    span = f"{clock.words(clock.view_first_ns)} to {clock.words(clock.view_last_ns)} s"
    return " · ".join(part for part in (file.name, file.run, library, span, f"Zesty Abacus {origin.program}") if part)
