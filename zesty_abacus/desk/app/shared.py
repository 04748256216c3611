"""The library that a trial uses, as the window knows it: who else is there, what is proposed, what is new."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import engine, laid
from .edits import Edits
from .jobs import Jobs
from .news import Heard, News
from .proposals import Proposals
from .undo import Undo

_GOOD_BYE_S = 1.0


class SharedLibrary(QObject):
    """An open library and what others do in it.

    Attributes
    ----------
    library
        None until one is open.
    edits, news
    people
        Who else has it open.
    proposals
        Changes that wait for agreement.
    moments, conditions
        The words for moments that the team has agreed on; the conditions that it shares.
    is_answering

    Events
    ------
    seen
        The library answers again, or does not; or it is another one.
    people_changed
    notes_changed
        Something was said, or listed.
    releases_changed, moments_changed
    told
        (tone, sentence) for the foot.
    """

    seen = pyqtSignal()
    people_changed = pyqtSignal()
    notes_changed = pyqtSignal()
    moments_changed = pyqtSignal()
    releases_changed = pyqtSignal()
    told = pyqtSignal(str, str)

    def __init__(self, jobs: Jobs, undo: Undo) -> None:
        super().__init__()
        self._jobs = jobs
        self._marks: laid.Marks | None = None
        self.library: Any = None
        self.edits = Edits(jobs, undo)
        self.news = News()
        self.people: list[laid.Somebody] = []
        self.proposals = Proposals(self)
        self.moments: list[laid.NamedMoment] = []
        self.conditions: list[laid.SharedCondition] = []
        self.is_answering = True
        self.edits.told.connect(lambda sentence: self.told.emit("", sentence))
        self.edits.refused.connect(lambda sentence: self.told.emit("wrong", sentence))
        self.edits.line.waiting.connect(self._on_waiting)
        self.news.came.connect(self._on_heard)
        self.news.answers.connect(self._on_answers)

    def use(self, library: engine.Library, heads: list[engine.LayoutHead], author: str) -> None:
        """Use another library; the one before is closed."""
        before, self.library = self.library, library
        self.news.stop()
        self._marks, self.people = None, []
        self.set_author(author)
        self.edits.start(library, heads)
        self.news.start(library, max((head.revision.id for head in heads), default=0))
        if before is not None:
            before.close()
        self.seen.emit()
        self.people_changed.emit()
        self.proposals.forget()
        self.read_moments()
        self.read_conditions()

    def set_author(self, author: str) -> None:
        """Take a name for what is done from now on."""
        self.edits.line.author = self.news.author = author

    def hold(self, layout_id: UUID | None) -> None:
        """Let the others know which layout is in hand here."""
        self.news.in_hand = layout_id

    def stop(self) -> None:
        """Listen no more and try no more; edits on their way are still kept."""
        self.edits.line.close()
        self.news.stop(_GOOD_BYE_S)

    def close(self) -> None:
        """Let go of the library."""
        if self.library is not None:
            self.library.close()

    def origin(self) -> engine.Origin:
        """Return what a file says that leaves this window now; a library is open."""
        revision = self._marks.layouts if self._marks is not None else 0
        made: engine.Origin = engine.Origin(
            self.library.name,
            self.library.id,
            revision,
            release=self.edits.release,
            waiting=0 if self.edits.release else self.edits.number_waiting,
        )
        return made

    def names_at(self, layout_id: UUID | None) -> list[str]:
        """Return who else has a layout in hand, each name once."""
        return self._names(one for one in self.people if layout_id is not None and one.layout_id == layout_id)

    def names(self) -> list[str]:
        """Return who else is here, each name once."""
        return self._names(self.people)

    def _names(self, people: Iterable[laid.Somebody]) -> list[str]:
        return list(dict.fromkeys(one.author for one in people))

    def ask(self, title: str, work: Callable[[Any], Any], done: Callable[[Any], None] | None = None) -> None:
        """Do something with the library on its thread, in line with the edits; what is wrong stands in the foot."""
        library = self.library

        def finish(answer: Any) -> None:
            if done is not None and library is self.library:
                done(answer)

        self._jobs.start("library", title, lambda _progress: work(library), finish,
                         lambda sentence: self.told.emit("wrong", sentence), in_line=True)  # fmt: skip

    def read_moments(self) -> None:
        """Read the words for moments."""
        self.ask("reading moments", lambda library: library.moments.heads(), self._on_moments)

    def read_conditions(self) -> None:
        """Read the conditions that the team shares."""
        self.ask("reading conditions", lambda library: library.conditions.heads(), self._on_conditions)

    def _on_conditions(self, heads: list[Any]) -> None:
        self.conditions = sorted((head.state for head in heads), key=lambda one: one.name)

    def share_condition(self, name: str, text: str) -> None:
        """Share a condition with everybody who uses the library."""
        share, author = laid.share_condition, self.edits.line.author

        def done(made: Any) -> None:
            self.told.emit("good", f"{made.reason.capitalize()}." if made is not None else f"{name} is shared already.")
            self.read_conditions()

        self.ask("sharing a condition", lambda library: share(library, name, text, author=author), done)

    def _on_moments(self, heads: list[Any]) -> None:
        self.moments = [moment for head in heads for moment in head.state.moments]
        self.moments_changed.emit()

    def _on_heard(self, heard: Heard) -> None:
        before, marks = self._marks, heard.seen.marks
        self._marks = marks
        self.edits.take_news(heard.seen.heads, heard.seen.removed)
        if heard.people != self.people:
            self.people = heard.people
            self.people_changed.emit()
        # a row may be told of that has a lower number than one that was seen before it
        known = (before.proposals, before.rules) if before is not None else None
        if known != (marks.proposals, marks.rules) or heard.told & {"proposal_event", "rule"}:
            self.proposals.read()
        if before is not None and (before.documents != marks.documents or "document_revision" in heard.told):
            self.notes_changed.emit()
            self.read_moments()
            self.read_conditions()
        if before is not None and (before.releases != marks.releases or "release" in heard.told):
            self.releases_changed.emit()

    def _on_waiting(self, number: int) -> None:
        edits = "edit waits" if number == 1 else "edits wait"
        if number:
            self.told.emit("wrong", f"The library does not answer. {number} {edits} here and will be kept by itself.")
        else:
            self.told.emit("good", "The library answers again; all edits are kept.")

    def _on_answers(self, answers: bool) -> None:
        if answers != self.is_answering:
            self.is_answering = answers
            self.seen.emit()
