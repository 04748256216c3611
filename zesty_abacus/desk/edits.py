"""Edits of layouts: kept in the library at once, undone by keeping the state before.

The window shows an edit the moment it is made; the library takes edits one after another on a thread.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .jobs import Jobs

if TYPE_CHECKING:
    from . import engine as heavy

_KEPT_STEPS = 200


@dataclass(frozen=True, slots=True)
class EditStep:
    """One edit: a layout before and after; None where it did not exist."""

    layout_id: UUID
    before: heavy.Layout | None
    after: heavy.Layout | None
    reason: str


class Edits(QObject):
    """The layouts as the user sees them, and the way back.

    Events
    ------
    changed
        (layout id as text) a layout is another one now.
    kept
        The library has taken an edit, so its history has grown.
    refused
        (sentence) the library did not take an edit; the window shows the library's state again.
    """

    changed = pyqtSignal(str)
    kept = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._engine: Any = None
        self._library: Any = None
        self._layouts: dict[UUID, heavy.Layout] = {}
        self._parents: dict[UUID, int | None] = {}
        self._undo: list[EditStep] = []
        self._redo: list[EditStep] = []
        self.author = ""

    def start(self, engine: Any, library: Any, heads: list[heavy.LayoutHead]) -> None:
        """Begin with another library."""
        self._engine, self._library = engine, library
        self._take(heads)
        self._undo.clear()
        self._redo.clear()

    def layouts(self) -> list[heavy.Layout]:
        """Return all layouts as the window shows them."""
        return list(self._layouts.values())

    def layout(self, layout_id: UUID) -> heavy.Layout | None:
        """Return a layout by its id."""
        return self._layouts.get(layout_id)

    def change(self, after: heavy.Layout, reason: str = "") -> bool:
        """Keep a changed or new layout; return whether it differs from what was there."""
        before = self._layouts.get(after.id)
        if before is not None and after.registers is not None and after.registers.window is not None:
            # an edit made on what one exchange shows of a register map
            after = self._engine.from_window(before, after)
        if before == after:
            return False
        said = reason or self._engine.describe_change(before, after)
        self._redo.clear()
        self._step(EditStep(after.id, before, after, said))
        self._undo.append(EditStep(after.id, before, after, said))
        del self._undo[:-_KEPT_STEPS]
        return True

    def can_undo(self) -> bool:
        """Return whether there is an edit to undo."""
        return bool(self._undo)

    def can_redo(self) -> bool:
        """Return whether there is an undone edit."""
        return bool(self._redo)

    def undo(self) -> str:
        """Undo the last edit by keeping the state before it; return what was undone, or nothing."""
        if not self._undo:
            return ""
        step = self._undo.pop()
        self._redo.append(step)
        self._step(EditStep(step.layout_id, step.after, step.before, f"undone: {step.reason}"))
        return step.reason

    def redo(self) -> str:
        """Make the last undone edit again; return what was done, or nothing."""
        if not self._redo:
            return ""
        step = self._redo.pop()
        self._undo.append(step)
        self._step(EditStep(step.layout_id, step.before, step.after, step.reason))
        return step.reason

    def _step(self, step: EditStep) -> None:
        if step.after is None:
            self._layouts.pop(step.layout_id, None)
        else:
            self._layouts[step.layout_id] = step.after
        library, author = self._library, self.author
        self._jobs.start(
            "keep",
            "keeping the edit",
            lambda _progress: self._write(library, step, author),
            lambda _revision: self.kept.emit(),
            self._on_refused,
            in_line=True,
        )
        self.changed.emit(str(step.layout_id))

    def _write(self, library: Any, step: EditStep, author: str) -> Any:
        """Write one edit; runs on the library's thread, where edits come in the order they were made."""
        parent = self._parents.get(step.layout_id)
        if step.after is None:
            revision = library.remove(step.layout_id, parent=parent, author=author, reason=step.reason)
        else:
            revision = library.commit(step.after, parent=parent, author=author, reason=step.reason)
        self._parents[step.layout_id] = revision.id
        return revision

    def _on_refused(self, sentence: str) -> None:
        library = self._library
        self._undo.clear()
        self._redo.clear()

        def show_again(heads: list[heavy.LayoutHead]) -> None:
            self._take(heads)
            for layout_id in list(self._layouts):
                self.changed.emit(str(layout_id))

        self._jobs.start("heads", "reading the library", lambda _progress: library.heads(), show_again, in_line=True)
        self.refused.emit(sentence)

    def _take(self, heads: list[heavy.LayoutHead]) -> None:
        self._layouts = {head.layout.id: head.layout for head in heads}
        self._parents = {head.layout.id: head.revision.id for head in heads}
