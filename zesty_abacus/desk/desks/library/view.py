"""The library as a page of the window: find, agree, release, and see what was recorded."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QTabBar, QVBoxLayout

from ...app.session import Session
from ...around.agreement import pair_titles
from ...widgets.parts import DeskHead, hairline, plain_tip
from ...widgets.words import counted
from ..desk import NEVER, Desk
from .inbox import Inbox
from .layout_list import LayoutList
from .moments import MomentsView
from .recordings import RecordingsView
from .releases import ReleasesView
from .side import LibrarySide

PAGES = ("Layouts", "Proposals", "Releases", "Recordings", "Moments")


class LibraryView(Desk):
    """The pages of the library.

    Events
    ------
    pair_wanted
        (before, after, titles) what a change makes of a layout is to be seen; None where there is no layout.

    Attributes
    ----------
    side
        The panel for the right side.
    tabs, list, inbox, releases, recordings, moments
    """

    name = "Library"
    side: LibrarySide
    # it is of all messages there are, whatever was recorded here
    left_from = NEVER
    pair_wanted = pyqtSignal(object, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.head = DeskHead("Library")
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("Pages of the library")
        self.list = LayoutList(session)
        self.inbox = Inbox(session)
        self.releases = ReleasesView(session)
        self.recordings = RecordingsView(session)
        self.moments = MomentsView(session)
        self.side = LibrarySide(session)
        self._stack = QStackedWidget()
        parts = self.list, self.inbox, self.releases, self.recordings, self.moments
        for page, part in zip(PAGES, parts, strict=True):
            self.tabs.addTab(page)
            self._stack.addWidget(part)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.tabs)
        column.addWidget(hairline())
        column.addWidget(self._stack, 1)
        self._connect()

    def _connect(self) -> None:
        session, shared = self._session, self._session.shared
        self.tabs.currentChanged.connect(self._stack.setCurrentIndex)
        self.tabs.currentChanged.connect(lambda page: self.side.show_chosen(PAGES[page] == "Layouts"))
        self.list.picked.connect(self.side.show_layout)
        self.list.opened.connect(self.open_layout)
        self.side.open_wanted.connect(self.open_layout)
        self.inbox.compare_wanted.connect(lambda one: self.pair_wanted.emit(one.before, one.after, pair_titles(one)))
        self.releases.pair_wanted.connect(self.pair_wanted)
        self.releases.place_wanted.connect(self._go_to)
        for event in (shared.seen, shared.people_changed, session.layouts_changed, session.opened):
            event.connect(self._show_head)
        for event in (shared.seen, session.edits.kept, shared.proposals.changed, shared.releases_changed,
                      shared.notes_changed):  # fmt: skip
            event.connect(self.list.refresh)
        shared.proposals.changed.connect(self._show_tabs)
        self._show_tabs()

    def show_page(self, page: str) -> None:
        """Show a page of the library."""
        self.tabs.setCurrentIndex(PAGES.index(page))

    def open_layout(self, layout_id: UUID | None) -> None:
        """Open a layout on its desk, with a message of the capture if it reads one."""
        if layout_id is not None:
            self._session.in_hand.take_layout(layout_id)
            self._session.desk_wanted.emit("Layouts")

    def _go_to(self, value: Any, time_ns: int) -> None:
        session = self._session
        kinds = enumerate(session.capture.kinds.keys)
        kind = next(
            (
                n
                for n, key in kinds
                if (session.capture.lanes[key.lane].name, key.address) == (value.lane, value.address)
            ),
            None,
        )
        session.in_hand.take_kind(kind)
        session.clock.set_cursor(time_ns, follow=True)
        session.desk_wanted.emit("Read")

    def _show_head(self) -> None:
        session = self._session
        library = session.library
        if library is None:
            self.head.words.setText("open a trial, or connect to a library in the header")
            return
        parts = [library.name, counted(len(session.edits.layouts()), "layout")]
        names = session.shared.names()
        if names:
            parts.append(f"{', '.join(names)} {'is' if len(names) == 1 else 'are'} here, too")
        self.head.words.setText(" · ".join(parts))
        self.head.words.setToolTip(plain_tip(str(library.address)))

    def _show_tabs(self) -> None:
        waiting = len(self._session.shared.proposals.waiting)
        self.tabs.setTabText(PAGES.index("Proposals"), f"Proposals ({waiting})" if waiting else "Proposals")

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._show_head()
        self.list.refresh()
        self.list.line.setFocus()
