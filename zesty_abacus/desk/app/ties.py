"""Layouts tied to messages by hand, kept with the trial."""

from __future__ import annotations

from uuid import UUID

from .doors import engine
from .edits import Edits
from .kinds import Kinds
from .trials import Trials


class Ties:
    """Says which layouts could be tied to a message, and ties one."""

    def __init__(self, trials: Trials, edits: Edits, kinds: Kinds) -> None:
        self._trials, self._edits, self._kinds = trials, edits, kinds

    def possible(self, kind: int | None) -> list[engine.Layout]:
        """Return the layouts that could be tied to a kind: those for what its lane speaks."""
        if kind is None:
            return []
        spoken = (self._kinds.protocol(kind), engine.BY_HAND)
        found = [one for one in self._edits.layouts() if one.applies.protocol in spoken and one.registers is None]
        return sorted(found, key=lambda one: one.name)

    def is_tied(self, kind: int | None) -> bool:
        """Return whether a kind is tied to a layout by hand."""
        if kind is None or self._kinds.capture is None:
            return False
        origin = self._kinds.origin(kind)
        return any((tie.lane, tie.address, tie.flags) == origin for tie in self._trials.trial.file.ties)

    def tie(self, kind: int | None, layout_id: UUID | None) -> None:
        """Tie a layout to a kind, or let the library decide again; undo takes it back."""
        if kind is None:
            return
        words = f"{self._kinds.address(kind)} {'untied' if layout_id is None else 'tied by hand'}"
        self._trials.change(self._trials.trial.file.with_tie(layout_id, *self._kinds.origin(kind)), words)
