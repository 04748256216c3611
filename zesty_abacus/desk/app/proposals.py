"""Changes that wait for agreement: what is proposed, by which rules, and what is said to it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import laid

if TYPE_CHECKING:
    from .shared import SharedLibrary


class Proposals(QObject):
    """The open proposals of a library.

    Attributes
    ----------
    waiting
        Changes that wait for agreement, oldest first.
    rules
        What the library asks for before it keeps a change; None until they are read.

    Events
    ------
    changed
    """

    changed = pyqtSignal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.waiting: list[laid.Proposal] = []
        self.rules: laid.Rules | None = None

    def forget(self) -> None:
        """Know of none: another library is open."""
        self.waiting, self.rules = [], None
        self.changed.emit()

    def of(self, layout_id: UUID | None) -> list[laid.Proposal]:
        """Return the open proposals about a layout."""
        return [one for one in self.waiting if one.layout_id == layout_id]

    def answer(self, proposal: laid.Proposal, step: str, text: str = "") -> None:
        """Say something to a proposal: ``agree``, ``reply``, ``send_back``, ``withdraw`` or ``renew``."""
        author, engine = self._shared.edits.line.author, laid
        # agreed is to what was looked at, not to what its author may have put in its place meanwhile
        seen = {"seen": proposal.state} if step == "agree" else {}

        def work(library: Any) -> Any:
            try:
                if step == "renew":
                    return engine.propose_on_newest(library, proposal.id, author=author)
                return getattr(library.proposals, step)(proposal.id, author=author, text=text, **seen)
            except engine.ClashError as error:
                return error

        done = self._on_renewed if step == "renew" else self._on_answered
        self._shared.ask("answering the proposal", work, done)

    def _on_renewed(self, answer: Any) -> None:
        if isinstance(answer, laid.ClashError):
            self._shared.told.emit("wrong", f"{answer.message} Edit the layout as it is now, and propose that.")
        else:
            words = "is proposed anew, on the newest state" if answer else "is on the newest state already"
            self._shared.told.emit("good" if answer else "", f"The change {words}.")
        self.read()

    def _on_answered(self, answer: Any) -> None:
        if isinstance(answer, laid.ClashError):
            self._shared.told.emit("wrong", f"{answer.message} Send it back, so that its author proposes it anew.")
        elif answer is False:
            self._shared.told.emit("good", "You agree; others have to agree, too.")
        elif answer is True:
            self._shared.told.emit("good", "You agree, and the change is kept.")
        self.read()

    def read(self) -> None:
        """Read what waits, and the rules."""
        self._shared.ask("reading proposals", lambda library: (library.proposals.open(), library.proposals.rules()),
                 self._on_read)  # fmt: skip

    def _on_read(self, answer: Any) -> None:
        self.waiting, self.rules = answer
        self.changed.emit()
