"""One edit as a record: what it makes of a layout, what has become of it, and what the library answers."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from uuid import UUID

from ..layouts.merge import merge_layouts
from ..layouts.model import Layout
from .errors import ClashError, UnreachableError
from .layout_shelf import LayoutHead
from .unsent import WaitingEdit


class StepState(enum.Enum):
    """What has become of an edit."""

    SENT = "sent"
    """On its way to the library."""
    WAITING = "waiting"
    """The library does not answer; it is tried again."""
    CLASHED = "clashed"
    """Somebody changed the same thing; a person chooses."""
    KEPT = "kept"
    REFUSED = "refused"

    @property
    def is_open(self) -> bool:
        """Whether the window still stands for the edit."""
        return self not in (StepState.KEPT, StepState.REFUSED)


@dataclass(slots=True, eq=False)
class EditStep:
    """An edit of one layout.

    Attributes
    ----------
    before, after
        The layout; None where it did not exist, or is removed.
    is_draft
        Whether it is for a draft only.
    """

    layout_id: UUID
    before: Layout | None
    after: Layout | None
    reason: str
    is_draft: bool = False
    state: StepState = StepState.SENT

    def onto(self, state: Layout | None) -> Layout | None:
        """Return what the edit makes of another state than the one it was made on; ours where both changed the same."""
        if self.after is None or self.before is None or state is None or state is self.before:
            return self.after
        return merge_layouts(self.before, self.after, state).layout

    def as_waiting(self) -> WaitingEdit:
        """Return what is written down of it."""
        return WaitingEdit(self.layout_id, self.before, self.after, self.reason, self.is_draft)


@dataclass(frozen=True, slots=True)
class DraftInHand:
    """A draft: the revision and the state it began from; None for a new layout."""

    parent: int | None
    base: Layout | None


@dataclass(frozen=True, slots=True)
class Kept:
    """What the library holds of a layout: the number of the change that made it so, and the state; None if removed."""

    revision: int
    head: LayoutHead | None

    @property
    def layout(self) -> Layout | None:
        """The state."""
        return self.head.state if self.head is not None else None

    @classmethod
    def of(cls, head: LayoutHead) -> Kept:
        """Return what a head says."""
        return cls(head.revision.id, head)


@dataclass(frozen=True, slots=True)
class Drafted:
    """Answer: the edit is in a draft; None if the draft was of a new layout that is gone again."""

    draft: DraftInHand | None


@dataclass(frozen=True, slots=True)
class Proposed:
    """Answer: the change waits for others to agree."""

    name: str


@dataclass(frozen=True, slots=True)
class Refused:
    """Answer: the library does not take the edit; ``newest`` is what it holds, None if that is not known."""

    sentence: str
    newest: Kept | None = None


Answer = Kept | Drafted | Proposed | Refused | ClashError | UnreachableError
