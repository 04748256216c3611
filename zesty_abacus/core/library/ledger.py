"""What a program shows of a library: what is known to be kept, drafts, and the edits on top that are still open.

There is one record an edit, and what is shown follows from the records: the last state kept, or the draft, with the
open edits put on top in the order they were made. So nothing that is shown can differ from what will be kept, and an
edit that is refused goes without taking along what was made after it.

A ledger belongs to one thread. Whoever writes hands back answers; nothing else changes it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from uuid import UUID

from ..layouts.model import Layout
from .errors import ClashError, UnreachableError
from .layout_shelf import LayoutHead
from .steps import Answer, Drafted, DraftInHand, EditStep, Kept, Proposed, Refused, StepState


class Ledger:
    """Layouts as they are shown, and what has become of each edit.

    Attributes
    ----------
    drafts
        Of the layouts that are edited as drafts, what each began from.
    """

    def __init__(self, heads: Iterable[LayoutHead] = ()) -> None:
        self._kept = {head.state.id: Kept.of(head) for head in heads}
        self._shown = {key: kept.head.state for key, kept in self._kept.items() if kept.head is not None}
        self.drafts: dict[UUID, DraftInHand] = {}
        self._drafted: dict[UUID, Layout] = {}
        self._steps: list[EditStep] = []

    # what is shown

    def layouts(self) -> list[Layout]:
        """Return all layouts as they are shown."""
        return list(self._shown.values())

    def layout(self, layout_id: UUID) -> Layout | None:
        """Return a layout as it is shown, None if there is none."""
        return self._shown.get(layout_id)

    def kept(self, layout_id: UUID) -> Kept | None:
        """Return what the library is known to hold of a layout, None if it never held it."""
        return self._kept.get(layout_id)

    def open_steps(self, layout_id: UUID | None = None, *states: StepState) -> list[EditStep]:
        """Return the open edits, of one layout or of all, in some states or any, in the order they were made."""
        return [
            step for step in self._steps
            if layout_id in (None, step.layout_id) and (not states or step.state in states)
        ]  # fmt: skip

    def _show(self, keys: Iterable[UUID]) -> set[UUID]:
        """Work out again what is shown of some layouts; return those that are others now."""
        changed = set()
        for key in keys:
            state = self._base(key)
            for step in self._steps:
                if step.layout_id == key:
                    state = step.onto(state)
            if state != self._shown.get(key):
                changed.add(key)
            if state is None:
                self._shown.pop(key, None)
            elif key in changed:
                self._shown[key] = state
        return changed

    def _base(self, key: UUID) -> Layout | None:
        if key in self._drafted:
            return self._drafted[key]
        kept = self._kept.get(key)
        return kept.layout if kept is not None else None

    # edits

    def make(self, layout_id: UUID, after: Layout | None, reason: str) -> EditStep:
        """Note an edit of the layout as it is shown now; None removes it."""
        step = EditStep(layout_id, self._shown.get(layout_id), after, reason, layout_id in self.drafts)
        return self.put(step)

    def put(self, step: EditStep) -> EditStep:
        """Note an edit that was made elsewhere or earlier, as one that has waited."""
        self._steps.append(step)
        self._show([step.layout_id])
        return step

    def take(self, step: EditStep, answer: Answer) -> set[UUID]:
        """Note what became of an edit; return the layouts that are shown otherwise now."""
        if isinstance(answer, UnreachableError):
            step.state = StepState.WAITING
            return set()
        if isinstance(answer, ClashError):
            step.state = StepState.CLASHED
            return self.learn([answer.theirs], {})
        step.state = StepState.REFUSED if isinstance(answer, Refused) else StepState.KEPT
        self._steps = [one for one in self._steps if one is not step]
        if isinstance(answer, Kept):
            self._know(step.layout_id, answer)
        elif isinstance(answer, Refused) and answer.newest is not None:
            self._know(step.layout_id, answer.newest)
        elif isinstance(answer, Drafted):
            self._take_draft(step, answer)
        elif isinstance(answer, Proposed):
            self._forget_draft(step.layout_id)
        return self._show([step.layout_id])

    def _take_draft(self, step: EditStep, answer: Drafted) -> None:
        if answer.draft is None:
            self._forget_draft(step.layout_id)
            return
        self.drafts[step.layout_id] = answer.draft
        if step.after is not None:
            # a draft is its author's alone: it holds what was written, merged with nothing
            self._drafted[step.layout_id] = step.after

    def choose(self, chosen: Layout, theirs: LayoutHead, reason: str) -> EditStep:
        """Note what was chosen of a clash, as an edit of the newest state, in the place of those that clashed."""
        self._steps = [
            step for step in self._steps if step.layout_id != chosen.id or step.state is not StepState.CLASHED
        ]
        self._know(chosen.id, Kept.of(theirs))
        if chosen.id in self.drafts:
            # it was a draft that was to be kept: it begins from the newest state now
            self.drafts[chosen.id] = DraftInHand(theirs.revision.id, theirs.state)
            self._drafted[chosen.id] = theirs.state
        self._show([chosen.id])
        return self.put(EditStep(chosen.id, theirs.state, chosen, reason, chosen.id in self.drafts))

    # what others do

    def learn(self, heads: Sequence[LayoutHead], removed: Mapping[UUID, int]) -> set[UUID]:
        """Know newer states; return the layouts that are shown otherwise now. What is known already changes nothing."""
        known = [self._know(head.state.id, Kept.of(head)) for head in heads]
        known += [self._know(key, Kept(number, None)) for key, number in removed.items() if key in self._kept]
        return self._show(key for key in known if key is not None)

    def is_news(self, head: LayoutHead) -> bool:
        """Return whether a state is newer than what is known, another one, and nothing that was made here."""
        before = self._kept.get(head.state.id)
        if before is not None and (before.revision >= head.revision.id or before.layout == head.state):
            return False
        # an own edit may be told of before its answer arrives
        return not any(step.after == head.state for step in self.open_steps(head.state.id))

    def _know(self, key: UUID, kept: Kept) -> UUID | None:
        before = self._kept.get(key)
        if before is not None and before.revision >= kept.revision:
            return None
        self._kept[key] = kept
        return key

    # drafts

    def begin_draft(self, layout_id: UUID) -> DraftInHand:
        """Let further edits of a layout go into a draft that only its author sees."""
        kept = self._kept.get(layout_id)
        is_there = kept is not None and kept.head is not None
        return self.drafts.setdefault(
            layout_id, DraftInHand(kept.revision, kept.layout) if is_there and kept else DraftInHand(None, None)
        )

    def take_drafts(self, found: Iterable[tuple[Layout, DraftInHand]]) -> set[UUID]:
        """Know drafts that lie in the library from earlier; those in hand stay as they are."""
        changed = []
        for layout, draft in found:
            if layout.id not in self.drafts and not self.open_steps(layout.id):
                self.drafts[layout.id], self._drafted[layout.id] = draft, layout
                changed.append(layout.id)
        return self._show(changed)

    def end_draft(self, layout_id: UUID, kept: LayoutHead | None = None) -> set[UUID]:
        """Show what the library holds in the place of a draft: it was proposed, kept, or thrown away."""
        self._forget_draft(layout_id)
        if kept is not None:
            self._know(layout_id, Kept.of(kept))
        return self._show([layout_id])

    def _forget_draft(self, layout_id: UUID) -> None:
        self.drafts.pop(layout_id, None)
        self._drafted.pop(layout_id, None)
