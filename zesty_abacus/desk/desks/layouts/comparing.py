"""What is compared: an older state with the newest, or an edit with what somebody else kept of the same thing."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from uuid import UUID

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from ...app.doors import engine, laid
from ...app.session import Session
from .compare_view import CompareView


class Comparing(QObject):
    """Fills the comparison, and does what is chosen in it.

    Parameters
    ----------
    layout
        Gives the layout in hand.
    keep
        Keeps a changed layout; returns whether it was valid.

    Events
    ------
    begun
        The comparison is to be seen.
    ended
        It is not needed any more.
    """

    begun = pyqtSignal()
    ended = pyqtSignal()

    def __init__(
        self,
        session: Session,
        view: CompareView,
        layout: Callable[[], engine.Layout | None],
        keep: Callable[[Any], bool],
    ) -> None:
        super().__init__(view)
        self._session, self._view = session, view
        self._layout, self._keep = layout, keep
        self._compared: tuple[Any, str] = (None, "")
        self._clash: tuple[engine.Layout, engine.LayoutHead] | None = None
        self._clashing: frozenset[UUID] = frozenset()
        view.done.connect(self._end)
        view.taken_back.connect(lambda item: self._take_back(lambda now: now.with_item(item)))
        view.left_out.connect(lambda key: self._take_back(lambda now: now.without_item(key)))
        view.head_taken_back.connect(lambda before: self._take_back(lambda now: _with_head_of(now, before)))
        session.opened.connect(self._forget)

    @property
    def waits(self) -> bool:
        """Whether a clash waits to be chosen."""
        return self._clash is not None

    def compare_with(self, before: engine.Layout, title: str) -> None:
        """Show another layout, or an older state, beside the one in hand."""
        layout = self._layout()
        if layout is not None:
            self._compared = before, title
            self.begun.emit()
            self._view.compare(before, title, layout, f"{layout.name}, now", self._session.in_hand.kind)

    def compare_state(self, layout: engine.Layout, when: str) -> None:
        """Show a state of the history beside the newest."""
        self.compare_with(layout, f"{layout.name}, {when}")

    def show_pair(self, before: engine.Layout | None, after: engine.Layout | None, titles: tuple[str, str]) -> None:
        """Show what a change makes of a layout, without anything to choose; None where there is no layout."""
        known = after if after is not None else before
        if known is None or self.waits:
            return
        session = self._session
        kind = session.reading.kind_read_by(known.id, session.in_hand.kind)
        if kind is not None:
            session.in_hand.take_kind(kind)
            session.reading.choose(kind, known.id)
        session.desk_wanted.emit("Layouts")
        self._compared = None, ""
        self.begun.emit()
        self._view.compare(
            before or laid.without_content(known), titles[0], after or laid.without_content(known), titles[1], kind,
            only_look=True,
        )  # fmt: skip

    def show_clash(self, clash: laid.ClashError) -> None:
        """Let the user choose between an edit and what somebody else kept of the same thing."""
        session, mine = self._session, clash.merged.layout
        self._clash = mine, clash.theirs
        self._clashing = frozenset(one.item for one in clash.merged.clashes)
        kind = session.reading.kind_read_by(mine.id, session.in_hand.kind)
        if kind is not None:
            session.in_hand.take_kind(kind)
            session.reading.choose(kind, mine.id)
        session.desk_wanted.emit("Layouts")
        self.begun.emit()
        self._show_sides()
        session.told.emit("wrong", f"{clash.message} Choose what is to hold.")

    def _show_sides(self) -> None:
        assert self._clash is not None
        mine, theirs = self._clash
        title = f"{mine.name}, kept by {theirs.revision.author}"
        now = "as it would be kept now"
        self._view.compare(
            theirs.state, title, mine, now, self._session.in_hand.kind, choosing=True, clashing=self._clashing
        )

    def _take_back(self, change: Callable[[engine.Layout], engine.Layout]) -> None:
        """Have one thing as it is at the left: kept at once, or as a part of what is being chosen."""
        if self._clash is not None:
            mine, theirs = self._clash
            self._clash = change(mine), theirs
            self._show_sides()
            return
        layout = self._layout()
        if layout is not None and self._keep(change(layout)):
            self.compare_with(*self._compared)

    def _end(self) -> None:
        """Go back to the plan; of a clash, keep what was chosen."""
        session, clash = self._session, self._clash
        if clash is not None:
            problems = engine.check_layout(clash[0])
            if problems:
                session.told.emit("wrong", problems[0].sentence)
                return
            self._clash = None
            session.edits.choose(*clash)
        self.ended.emit()

    def _forget(self) -> None:
        """Another trial is open: its library knows nothing of the clash."""
        self._clash = None


def _with_head_of(layout: engine.Layout, other: engine.Layout) -> engine.Layout:
    """Return a layout with everything but fields, parts, checks and computed values from another."""
    names = ("name", "applies", "size", "registers", "sender", "note")
    return msgspec.structs.replace(layout, **{name: getattr(other, name) for name in names})
