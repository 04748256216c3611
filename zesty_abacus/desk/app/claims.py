"""What people hold to be true of bits, kept in the library until it is a field."""

from __future__ import annotations

from typing import Any
from uuid import UUID, uuid4

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from .doors import laid
from .shared import SharedLibrary


class Claims(QObject):
    """The claims of the library in use, as everybody who uses it sees them.

    Attributes
    ----------
    heads
        Newest states with who made them, newest first.
    in_hand
        The one that is looked at, None if none is.

    Events
    ------
    changed
        Others are known.
    hand_changed
        Another one is looked at.
    """

    changed = pyqtSignal()
    hand_changed = pyqtSignal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._taken: UUID | None = None
        self.heads: list[Any] = []
        shared.notes_changed.connect(self.read)

    def read(self) -> None:
        """Read them again."""
        self._shared.ask("reading claims", lambda library: library.claims.heads(), self._take_heads)

    def _take_heads(self, heads: list[Any]) -> None:
        self.heads = sorted(heads, key=lambda head: -head.revision.id)
        self.changed.emit()
        self.hand_changed.emit()

    @property
    def in_hand(self) -> Any:
        """The claim that is looked at, with who made it."""
        return next((head for head in self.heads if head.state.id == self._taken), None)

    def take(self, claim_id: UUID | None) -> None:
        """Look at a claim."""
        self._taken = claim_id
        self.hand_changed.emit()

    def write(
        self, statement: str, lane: str, address: int | None, places: str, standing: laid.ClaimStanding,
        evidence: tuple[str, ...],
    ) -> None:  # fmt: skip
        """Write a claim down, and look at it."""
        made = laid.Claim(uuid4(), statement, lane, address, places, standing, evidence)
        self._taken = made.id
        author = self._shared.edits.line.author
        self._keep(lambda library: library.claims.commit(made, parent=None, author=author, reason="claimed"))

    def set_standing(self, standing: laid.ClaimStanding, why: str = "") -> None:
        """Let the claim in hand stand otherwise; why is kept as evidence."""
        head = self.in_hand
        if head is not None and head.state.standing is not standing:
            evidence = (*head.state.evidence, f"{standing.value.capitalize()}: {why}") if why else head.state.evidence
            self._change(head, standing.value, standing=standing, evidence=evidence)

    def add_evidence(self, sentence: str) -> None:
        """Add what was seen to the claim in hand."""
        head = self.in_hand
        if head is not None and sentence.strip():
            self._change(head, "evidence", evidence=(*head.state.evidence, sentence.strip()))

    def add_curve(self, curve: laid.SeenCurve) -> None:
        """Add a curve that was seen to the claim in hand."""
        head = self.in_hand
        if head is not None:
            self._change(head, "a curve", curves=(*head.state.curves, curve))

    def _change(self, head: Any, reason: str, **changes: Any) -> None:
        made, parent = msgspec.structs.replace(head.state, **changes), head.revision.id
        author = self._shared.edits.line.author
        self._keep(lambda library: library.claims.commit(made, parent=parent, author=author, reason=reason))

    def _keep(self, work: Any) -> None:
        # what somebody else wrote meanwhile is told, and shown
        self._shared.ask("keeping a claim", work, lambda _made: self.read())
