"""Edits of layouts: kept in the library at once, undone by keeping the state before.

The window shows an edit the moment it is made; the library takes edits one after another on a thread.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ..core.errors import AbacusError
from .jobs import Jobs
from .keeping import Drafted, DraftInHand, EditStep, Keeper, Proposed, as_waiting
from .widgets.parts import one_shot

if TYPE_CHECKING:
    from . import engine as heavy

_KEPT_STEPS = 200
_RETRY_MS = 2000


class Edits(QObject):
    """The layouts as the user sees them, and the way back.

    Attributes
    ----------
    author
        Under whose name edits are kept.
    release
        The release that is shown in the place of the newest state; empty for none.

    Events
    ------
    changed
        (layout id as text) a layout is another one now.
    kept
        The library has taken an edit, so its history has grown.
    refused
        (sentence) an edit was not taken; the window shows the library's state.
    clashed
        (clash) somebody else changed the same thing; the edit is kept in the window until it is chosen.
    waiting
        (number) so many edits wait for a library that does not answer; 0 when all have been kept.
    told
        (sentence) what others did, or what became of an edit.
    drafts_changed
        A draft began, or ended.
    """

    changed = pyqtSignal(str)
    kept = pyqtSignal()
    refused = pyqtSignal(str)
    clashed = pyqtSignal(object)
    waiting = pyqtSignal(int)
    told = pyqtSignal(str)
    drafts_changed = pyqtSignal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._engine: Any = None
        self._library: Any = None
        self._keeper: Keeper | None = None
        self._layouts: dict[UUID, heavy.Layout] = {}
        self._pinned: dict[UUID, heavy.Layout] | None = None
        self.release = ""
        self._drafts: dict[UUID, DraftInHand] = {}
        self._undo: list[EditStep] = []
        self._redo: list[EditStep] = []
        self._unsent: list[EditStep] = []
        self._on_their_way: dict[UUID, int] = {}
        self._later: dict[UUID, heavy.LayoutHead] = {}
        self._waiting: Any = None
        self._pending: list[EditStep] = []
        self._undecided: dict[UUID, EditStep] = {}
        self._again = one_shot(self, _RETRY_MS, self._send_again)
        self.author = ""

    def start(self, engine: Any, library: Any, heads: list[heavy.LayoutHead]) -> None:
        """Begin with another library."""
        self._engine, self._library = engine, library
        if self._waiting is not None:
            self._waiting.close()
        self._waiting = engine.laid.waiting_edits(library)
        self._keeper = Keeper(engine, library, heads, self._waiting)
        self._layouts = {head.layout.id: head.layout for head in heads}
        self.pin("", None)
        self._drafts.clear()
        self._undo.clear()
        self._redo.clear()
        self._on_their_way.clear()
        self._later.clear()
        self._pending.clear()
        self._undecided.clear()
        self._unsent = self._taken_over()
        for step in self._unsent:
            self._show(step)
        if self._unsent:
            self._again.start()
        self._read_drafts()

    def _taken_over(self) -> list[EditStep]:
        try:
            return [EditStep(*edit) for edit in self._waiting.take_over()]
        except AbacusError as error:
            self.refused.emit(f"Edits of earlier wait on this machine and cannot be taken over: {error}")
            return []

    def close(self) -> None:
        """Try no more; what waits is written down and tried again when the library is opened the next time."""
        self._again.stop()

    def keep_unheard(self) -> None:
        """Write down what was refused while the window closed, and clashes nobody chose in; all jobs have ended."""
        if self._keeper is not None:
            self._keeper.keep_unheard(self._pending, list(self._undecided.values()))
            self._waiting.close()

    def pin(self, release: str, layouts: list[heavy.Layout] | None) -> None:
        """Show the layouts of a release, which cannot be edited; None shows the newest state again."""
        self._pinned = {layout.id: layout for layout in layouts} if layouts is not None else None
        self.release = release if layouts is not None else ""

    def _may_edit(self) -> bool:
        if self._pinned is not None:
            self.refused.emit(
                f"This trial is decoded with the release {self.release}, which never changes. To edit, choose the "
                "newest state among the releases of the library."
            )
        return self._pinned is None

    def layouts(self) -> list[heavy.Layout]:
        """Return all layouts as the window shows them."""
        return list((self._layouts if self._pinned is None else self._pinned).values())

    def layout(self, layout_id: UUID) -> heavy.Layout | None:
        """Return a layout by its id."""
        return (self._layouts if self._pinned is None else self._pinned).get(layout_id)

    def change(self, after: heavy.Layout, reason: str = "") -> bool:
        """Keep a changed or new layout; return whether it differs from what was there."""
        if not self._may_edit():
            return False
        before = self._layouts.get(after.id)
        if before is not None and after.registers is not None and after.registers.window is not None:
            # an edit made on what one exchange shows of a register map
            after = self._engine.from_window(before, after)
        if before == after:
            return False
        said = reason or self._engine.describe_change(before, after)
        self._redo.clear()
        self._step(EditStep(after.id, before, after, said, after.id in self._drafts))
        self._undo.append(EditStep(after.id, before, after, said))
        del self._undo[:-_KEPT_STEPS]
        return True

    @property
    def number_waiting(self) -> int:
        """How many edits the library has not taken yet."""
        return len(self._unsent) + sum(self._on_their_way.values())

    def can_undo(self) -> bool:
        """Return whether there is an edit to undo."""
        return bool(self._undo)

    def can_redo(self) -> bool:
        """Return whether there is an undone edit."""
        return bool(self._redo)

    def undo(self) -> str:
        """Undo the last edit by keeping the state before it; return what was undone, or nothing."""
        if not self._undo or not self._may_edit():
            return ""
        step = self._undo.pop()
        self._redo.append(step)
        self._step(self._stepped(step.layout_id, step.after, step.before, f"undone: {step.reason}"))
        return step.reason

    def redo(self) -> str:
        """Make the last undone edit again; return what was done, or nothing."""
        if not self._redo or not self._may_edit():
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
        return EditStep(layout_id, now, to, reason, layout_id in self._drafts)

    @property
    def _keep(self) -> Keeper:
        assert self._keeper is not None, "there are no edits before a library is open"
        return self._keeper

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
        library, keeper, author = self._library, self._keep, self.author
        self._pending.append(step)
        self._on_their_way[step.layout_id] = self._on_their_way.get(step.layout_id, 0) + 1
        self._jobs.start(
            "keep",
            "keeping the edit",
            lambda _progress: keeper.write(step, author),
            lambda answer: self._on_answer(step, answer) if library is self._library else None,
            lambda sentence: self._on_refused(step, sentence) if library is self._library else None,
            in_line=True,
        )

    def _on_answer(self, step: EditStep, answer: Any) -> None:
        self._arrived(step)
        self._take_answer(step, answer)
        if step.layout_id in self._later and not self._is_busy(step.layout_id):
            self._take_head(self._later.pop(step.layout_id))

    def _take_answer(self, step: EditStep, answer: Any) -> None:
        laid = self._engine.laid
        if isinstance(answer, laid.UnreachableError):
            self._wait_with(step)
            return
        if isinstance(answer, laid.ClashError):
            self._undecided[step.layout_id] = step
            self.clashed.emit(answer)
            return
        if isinstance(answer, Drafted | Proposed):
            self._on_drafted(step, answer)
            return
        if step.after is not None and answer.layout != step.after and not self._is_busy(step.layout_id):
            self._layouts[step.layout_id] = answer.layout
            self.changed.emit(str(step.layout_id))
            self.told.emit(f"{answer.layout.name}: {answer.revision.reason}.")
        self.kept.emit()

    def _arrived(self, step: EditStep) -> None:
        self._pending = [one for one in self._pending if one is not step]
        self._on_their_way[step.layout_id] = max(self._on_their_way.get(step.layout_id, 0) - 1, 0)

    # a library that does not answer

    def _wait_with(self, step: EditStep) -> None:
        """Keep a step on this machine until the library answers again."""
        self._unsent.append(step)
        self._keep_unsent()
        self._again.start()

    def _keep_unsent(self) -> None:
        edit = self._engine.laid.WaitingEdit
        try:
            self._waiting.keep([edit(*as_waiting(step)) for step in self._unsent])
        except AbacusError as error:
            self.refused.emit(f"The library does not answer, and this machine cannot keep what waits for it: {error} "
                              "Make room before you close the window.")  # fmt: skip
            return
        self.waiting.emit(len(self._unsent))

    def _send_again(self) -> None:
        steps, library, keeper, author = list(self._unsent), self._library, self._keep, self.author

        def send(_progress: Any) -> list[Any]:
            answers = []
            for step in steps:
                answers.append(keeper.write(step, author))
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
        self._keep.learn(theirs)
        self._undecided.pop(layout.id, None)
        if layout.id in self._drafts:
            # it was a draft that was to be kept: it begins from the newest state now
            self._drafts[layout.id] = self._keep.rebase_draft(theirs)
            self._layouts[layout.id] = layout
            self.keep_draft(layout.id)
            return
        chosen = self._engine.describe_change(theirs.layout, layout)
        self._step(EditStep(layout.id, theirs.layout, layout, f"chosen after a clash: {chosen}"))

    def take_news(self, heads: list[heavy.LayoutHead], removed: dict[UUID, int]) -> None:
        """Show what others kept; a layout with an edit on its way, or a draft of it, stays as it is here.

        Parameters
        ----------
        removed
            Layouts that are gone, and the revision that removed each.
        """
        for head in heads:
            self._take_head(head)
        for key, number in removed.items():
            self._take_removal(key, number)
        if heads or removed:
            self.kept.emit()

    def _take_head(self, head: heavy.LayoutHead) -> None:
        key = head.layout.id
        if (self._keep.parents.get(key) or 0) >= head.revision.id:
            return
        if self._is_busy(key):
            # the answer to the own edit may have been given before this was kept: it is looked at again then
            self._later[key] = head
            return
        before = self._layouts.get(key)
        self._keep.learn(head)
        if before == head.layout:
            return
        if key not in self._drafts:
            self._layouts[key] = head.layout
            self.changed.emit(str(key))
        self.told.emit(f"{head.revision.author} changed {head.layout.name}: {head.revision.reason}.")

    def _take_removal(self, key: UUID, number: int) -> None:
        is_newer = key in self._layouts and 0 < (self._keep.parents.get(key) or 0) < number
        if is_newer and not self._is_busy(key) and key not in self._drafts:
            name = self._layouts.pop(key).name
            self._keep.forget(key, number)
            self.changed.emit(str(key))
            self.told.emit(f"{name} was removed.")

    def _is_busy(self, layout_id: UUID) -> bool:
        return bool(self._on_their_way.get(layout_id)) or any(step.layout_id == layout_id for step in self._unsent)

    def _on_refused(self, step: EditStep, sentence: str) -> None:
        self._arrived(step)
        library = self._library
        self._undo.clear()
        self._redo.clear()

        def show_again(heads: list[heavy.LayoutHead]) -> None:
            self._keep.take(heads)
            drafted = {key: layout for key, layout in self._layouts.items() if key in self._drafts}
            self._layouts = {head.layout.id: head.layout for head in heads} | drafted
            for layout_id in list(self._layouts):
                self.changed.emit(str(layout_id))

        self._jobs.start("heads", "reading the library", lambda _progress: library.heads(), show_again, in_line=True)
        self.refused.emit(sentence)

    # drafts

    def draft_of(self, layout_id: UUID | None) -> DraftInHand | None:
        """Return the draft of a layout that is being worked on, None if there is none."""
        return self._drafts.get(layout_id) if layout_id is not None else None

    def begin_draft(self, layout_id: UUID) -> None:
        """Let further edits of a layout go into a draft that only its author sees."""
        if not self._may_edit():
            return
        self._drafts[layout_id] = self._keep.begin_draft(layout_id)
        self.drafts_changed.emit()

    def propose(self, layout_id: UUID, reason: str) -> None:
        """Propose the draft of a layout; the window shows what is kept again."""
        keeper, author, layout = self._keep, self.author, self._layouts[layout_id]
        said = reason or self._described(layout_id)
        self._end_draft(layout_id, "proposing", lambda: keeper.propose(layout, author, said))

    def keep_draft(self, layout_id: UUID, reason: str = "") -> None:
        """Keep the draft of a layout at once, where the rules allow it."""
        keeper, author, layout = self._keep, self.author, self._layouts[layout_id]
        said = reason or self._described(layout_id)
        self._end_draft(layout_id, "keeping the draft", lambda: keeper.keep_draft(layout, author, said))

    def drop_draft(self, layout_id: UUID) -> None:
        """Throw the draft of a layout away."""
        keeper, author = self._keep, self.author
        self._end_draft(layout_id, "throwing the draft away", lambda: keeper.drop_draft(layout_id, author))

    def _described(self, layout_id: UUID) -> str:
        draft = self._drafts[layout_id]
        return str(self._engine.describe_change(draft.base, self._layouts[layout_id]))

    def _end_draft(self, layout_id: UUID, title: str, work: Any) -> None:
        library = self._library

        def done(answer: Any) -> None:
            if library is not self._library:
                return
            if isinstance(answer, self._engine.laid.ClashError):
                self.clashed.emit(answer)
                return
            self._forget_draft(layout_id)
            if isinstance(answer, Proposed):
                self.told.emit(f"The change of {answer.name} is proposed; it is kept when others agree.")
            self.kept.emit()

        self._jobs.start("draft", title, lambda _progress: work(), done, self.refused.emit, in_line=True)

    def _forget_draft(self, layout_id: UUID) -> None:
        """Show what the library holds in the place of a draft; its steps cannot be undone any more."""
        self._drafts.pop(layout_id, None)
        kept = self._keep.kept.get(layout_id)
        if kept is not None:
            self._layouts[layout_id] = kept.layout
        else:
            self._layouts.pop(layout_id, None)
        self._undo = [step for step in self._undo if step.layout_id != layout_id]
        self._redo = [step for step in self._redo if step.layout_id != layout_id]
        self.drafts_changed.emit()
        self.changed.emit(str(layout_id))

    def _on_drafted(self, step: EditStep, answer: Drafted | Proposed) -> None:
        if isinstance(answer, Proposed):
            self._forget_draft(step.layout_id)
            self.told.emit(f"Removing {answer.name} is proposed; it happens when others agree.")
        elif answer.draft is not None and step.layout_id not in self._drafts:
            self._drafts[step.layout_id] = answer.draft
            self.drafts_changed.emit()
            self.told.emit(
                "Others agree to changes of this library: your edit is a draft. Propose it when it is ready."
            )
        elif answer.draft is None and not self._on_their_way.get(step.layout_id):
            self._drafts.pop(step.layout_id, None)
            self.drafts_changed.emit()
        self.kept.emit()

    def _read_drafts(self) -> None:
        """Show the drafts that lie in the library from earlier."""
        library, keeper, author = self._library, self._keep, self.author

        def show(found: list[tuple[heavy.Layout, DraftInHand]]) -> None:
            for layout, draft in found if library is self._library else []:
                if layout.id in self._drafts or self._is_busy(layout.id):
                    continue
                self._drafts[layout.id] = keeper.drafts.setdefault(layout.id, draft)
                self._layouts[layout.id] = layout
                self.changed.emit(str(layout.id))
            if found:
                self.drafts_changed.emit()

        self._jobs.start("drafts", "reading drafts", lambda _progress: keeper.read_drafts(author), show,
                         lambda _sentence: None, in_line=True)  # fmt: skip
