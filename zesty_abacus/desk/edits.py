"""Edits of layouts: kept in the library at once, undone by keeping the state before.

The window shows an edit the moment it is made; the library takes edits one after another on a thread.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .jobs import Jobs
from .widgets.parts import one_shot

if TYPE_CHECKING:
    from . import engine as heavy

_KEPT_STEPS = 200
_RETRY_MS = 2000


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
    clashed
        (clash) somebody else changed the same thing; the edit is kept in the window until it is chosen.
    waiting
        (number) so many edits wait for a library that does not answer; 0 when all have been kept.
    told
        (sentence) what others did.
    """

    changed = pyqtSignal(str)
    kept = pyqtSignal()
    refused = pyqtSignal(str)
    clashed = pyqtSignal(object)
    waiting = pyqtSignal(int)
    told = pyqtSignal(str)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._engine: Any = None
        self._library: Any = None
        self._layouts: dict[UUID, heavy.Layout] = {}
        self._parents: dict[UUID, int | None] = {}
        self._kept: dict[UUID, heavy.LayoutHead | None] = {}
        self._undo: list[EditStep] = []
        self._redo: list[EditStep] = []
        self._unsent: list[EditStep] = []
        self._on_their_way: dict[UUID, int] = {}
        self._again = one_shot(self, _RETRY_MS, self._send_again)
        self.author = ""

    def start(self, engine: Any, library: Any, heads: list[heavy.LayoutHead]) -> None:
        """Begin with another library."""
        self._engine, self._library = engine, library
        self._take(heads)
        self._undo.clear()
        self._redo.clear()
        self._on_their_way.clear()
        self._unsent = self._engine.laid.unsent_edits(library)
        for step in self._unsent:
            self._show(step)
        if self._unsent:
            self._again.start()

    def close(self) -> None:
        """Try no more; what waits is written down and tried again when the library is opened the next time."""
        self._again.stop()

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
        self._step(self._stepped(step.layout_id, step.after, step.before, f"undone: {step.reason}"))
        return step.reason

    def redo(self) -> str:
        """Make the last undone edit again; return what was done, or nothing."""
        if not self._redo:
            return ""
        step = self._redo.pop()
        self._undo.append(step)
        self._step(self._stepped(step.layout_id, step.before, step.after, step.reason))
        return step.reason

    def _stepped(self, layout_id: UUID, was: Any, to: Any, reason: str) -> EditStep:
        """Return a step back or on; what others changed since the edit stays."""
        now = self._layouts.get(layout_id)
        if was is not None and to is not None and now is not None and now != was:
            to = self._engine.laid.merge_layouts(was, to, now).layout
        return EditStep(layout_id, now, to, reason)

    def _step(self, step: EditStep) -> None:
        self._show(step)
        if self._unsent:
            self._wait_with(step)
        else:
            self._send(step)

    def _show(self, step: EditStep) -> None:
        """Let the window show the layout as it is after a step."""
        if step.after is None:
            self._layouts.pop(step.layout_id, None)
        else:
            self._layouts[step.layout_id] = step.after
        self.changed.emit(str(step.layout_id))

    def _send(self, step: EditStep) -> None:
        """Have the library keep a step; steps are kept in the order they were made."""
        library, author = self._library, self.author
        self._on_their_way[step.layout_id] = self._on_their_way.get(step.layout_id, 0) + 1
        self._jobs.start(
            "keep",
            "keeping the edit",
            lambda _progress: self._write(library, step, author),
            lambda answer: self._on_answer(step, answer) if library is self._library else None,
            lambda sentence: self._on_refused(step, sentence) if library is self._library else None,
            in_line=True,
        )

    def _write(self, library: Any, step: EditStep, author: str) -> Any:
        """Write one edit; runs on the library's thread, where edits come in the order they were made.

        A clash and a library that does not answer are answers too: the edit is not lost with them.
        """
        engine, parent = self._engine, self._parents.get(step.layout_id)
        try:
            if step.after is None:
                revision = library.remove(step.layout_id, parent=parent, author=author, reason=step.reason)
                self._parents[step.layout_id], self._kept[step.layout_id] = revision.id, None
                return revision
            after = self._onto_kept(library, step)
            head = library.commit_merged(after, parent=parent, author=author, reason=step.reason)
        except engine.laid.ClashError as error:
            return error
        except engine.laid.UnreachableError as error:
            # written down here, on this thread: the window may be gone before it hears of it
            engine.laid.note_unsent(library, step)
            return error
        self._parents[step.layout_id], self._kept[step.layout_id] = head.revision.id, head
        return head

    def _onto_kept(self, library: Any, step: EditStep) -> Any:
        """Return a step's layout on top of what the library holds, where that is not what the step began from.

        So it is when the edit before was merged with somebody's change, or when the step has waited for long.
        """
        kept = self._kept.get(step.layout_id)
        if kept is None or step.before is None or kept.layout == step.before:
            return step.after
        return self._engine.laid.merge_onto(step.before, step.after, kept, str(library.address))

    def _on_answer(self, step: EditStep, answer: Any) -> None:
        laid = self._engine.laid
        self._arrived(step)
        if isinstance(answer, laid.UnreachableError):
            self._wait_with(step)
            return
        if isinstance(answer, laid.ClashError):
            self.clashed.emit(answer)
            return
        if step.after is not None and answer.layout != step.after and not self._is_busy(step.layout_id):
            self._layouts[step.layout_id] = answer.layout
            self.changed.emit(str(step.layout_id))
            self.told.emit(f"{answer.layout.name}: {answer.revision.reason}.")
        self.kept.emit()

    def _arrived(self, step: EditStep) -> None:
        self._on_their_way[step.layout_id] = max(self._on_their_way.get(step.layout_id, 0) - 1, 0)

    # a library that does not answer

    def _wait_with(self, step: EditStep) -> None:
        """Keep a step on this machine until the library answers again."""
        self._unsent.append(step)
        self._keep_unsent()
        self._again.start()

    def _keep_unsent(self) -> None:
        self._engine.laid.keep_unsent(self._library, self._unsent)
        self.waiting.emit(len(self._unsent))

    def _send_again(self) -> None:
        steps, library, author = list(self._unsent), self._library, self.author

        def send(_progress: Any) -> list[Any]:
            answers = []
            for step in steps:
                answers.append(self._write(library, step, author))
                if isinstance(answers[-1], self._engine.laid.UnreachableError):
                    break
            return answers

        self._jobs.start(
            "keep", "keeping what waited", send,
            lambda answers: self._on_sent(steps, answers) if library is self._library else None,
            lambda sentence: self._on_unsendable(steps, sentence) if library is self._library else None, in_line=True,
        )  # fmt: skip

    def _on_sent(self, steps: list[EditStep], answers: list[Any]) -> None:
        laid = self._engine.laid
        sent = [answer for answer in answers if not isinstance(answer, laid.UnreachableError)]
        self._unsent = self._unsent[len(sent) :]
        self._keep_unsent()
        for step, answer in zip(steps, sent, strict=False):
            self._on_their_way[step.layout_id] = self._on_their_way.get(step.layout_id, 0) + 1
            self._on_answer(step, answer)
        if self._unsent:
            self._again.start()

    def _on_unsendable(self, steps: list[EditStep], sentence: str) -> None:
        """One of the waiting edits is refused for good: it is told, and the others go on."""
        self._unsent = self._unsent[1:]
        self._keep_unsent()
        self._on_their_way[steps[0].layout_id] = self._on_their_way.get(steps[0].layout_id, 0) + 1
        self._on_refused(steps[0], sentence)
        if self._unsent:
            self._again.start()

    # what others do

    def choose(self, layout: heavy.Layout, theirs: heavy.LayoutHead) -> None:
        """Keep what was chosen of a clash, as a change of the newest state."""
        self._parents[layout.id], self._kept[layout.id] = theirs.revision.id, theirs
        chosen = self._engine.describe_change(theirs.layout, layout)
        self._step(EditStep(layout.id, theirs.layout, layout, f"chosen after a clash: {chosen}"))

    def take_news(self, newest: int, heads: list[heavy.LayoutHead]) -> None:
        """Show what others kept; a layout with an edit on its way waits for the answer to that.

        Parameters
        ----------
        newest
            Number of the newest change when the heads were read.
        """
        known, seen = dict(self._parents), set()
        for head in heads:
            key = head.layout.id
            seen.add(key)
            if (known.get(key) or 0) >= head.revision.id or self._is_busy(key):
                continue
            before = self._layouts.get(key)
            self._parents[key], self._kept[key] = head.revision.id, head
            if before != head.layout:
                self._layouts[key] = head.layout
                self.changed.emit(str(key))
                self.told.emit(f"{head.revision.author} changed {head.layout.name}: {head.revision.reason}.")
        gone = [key for key in self._layouts if key not in seen and 0 < (known.get(key) or 0) <= newest]
        for key in [one for one in gone if not self._is_busy(one)]:
            name = self._layouts.pop(key).name
            self.changed.emit(str(key))
            self.told.emit(f"{name} was removed.")
        self.kept.emit()

    def _is_busy(self, layout_id: UUID) -> bool:
        return bool(self._on_their_way.get(layout_id)) or any(step.layout_id == layout_id for step in self._unsent)

    def _on_refused(self, step: EditStep, sentence: str) -> None:
        self._arrived(step)
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
        self._kept = {head.layout.id: head for head in heads}
