"""The frame of the window: header, strip, roster, desk, side panel, foot."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from .app.asking import Asking
from .app.commands import Command
from .app.session import Session
from .around.appearance import Appearance
from .around.beginning import Beginning
from .around.focus_rule import FocusRule
from .around.foot import Foot
from .around.guide import GuideView
from .around.header import Header
from .around.in_words import InWords
from .around.key_help import KeyHelp
from .around.roster import Roster
from .around.strip import Strip
from .command_table import DESKS, all_desk_commands, window_commands
from .desks.desk import NARROW, Desk, Desks
from .desks.handover.desk import HandOverDesk
from .desks.intake.desk import IntakeDesk
from .desks.layouts.desk import LayoutsDesk
from .desks.library.view import LibraryView
from .desks.read.desk import ReadDesk
from .desks.rehearse.desk import RehearseDesk
from .desks.unravel.desk import UnravelDesk
from .keys import Keys
from .room import Room
from .widgets.focus_ring import FocusRing
from .widgets.theme import look

_SIZE = QSize(1280, 800)
_LEAST = QSize(960, 540)
"""A screen of 1920 x 1080 at twice the size."""


class Window(QMainWindow):
    """One trial in one window.

    Attributes
    ----------
    session
        The state all parts share.
    desks
        The desks by name, made when they are first needed; also by attribute.
    commands
        Everything that can be done, from which shortcuts and the palette are made.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Zesty Abacus")
        self.setMinimumSize(_LEAST)
        self.resize(_SIZE)
        self.setAcceptDrops(True)
        self.desk_name = ReadDesk.name
        self.desks = Desks({
            IntakeDesk.name: lambda: IntakeDesk(session),
            ReadDesk.name: lambda: ReadDesk(session),
            UnravelDesk.name: lambda: UnravelDesk(session),
            LayoutsDesk.name: lambda: LayoutsDesk(session),
            RehearseDesk.name: lambda: RehearseDesk(session),
            HandOverDesk.name: lambda: HandOverDesk(session),
            LibraryView.name: lambda: LibraryView(session),
        }, self._place)  # fmt: skip
        compare = lambda *sides: self.layouts.comparing.compare_with(*sides)  # noqa: E731
        self.header = Header(session, DESKS, lambda: self.commands, compare)
        self.strip = Strip(session)
        self.roster = Roster(session)
        self.appearance = Appearance(session)
        self.commands: list[Command] = [*window_commands(self), *all_desk_commands(session, self.desks)]
        self._build()
        self.keys = Keys(self, self.commands, lambda: self.desk_name)
        self._connect()
        self.show_desk(self.desk_name)
        look.dress(self)
        self.beginning.choose.setFocus()

    def _build(self) -> None:
        session = self.session
        self.foot = Foot(session)
        self.room = Room(self.roster)
        work = QWidget()
        worked = QVBoxLayout(work)
        worked.setContentsMargins(0, 0, 0, 0)
        worked.setSpacing(0)
        worked.addWidget(self.strip)
        worked.addWidget(self.room, 1)
        self.beginning = Beginning(session, self.header.trial.ask_open, self.header.trial.ask_new)
        self.stage = QStackedWidget()
        self.stage.addWidget(self.beginning)
        self.stage.addWidget(work)
        body = QWidget()
        body.setObjectName("paper")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.stage, 1)
        column.addWidget(self.foot)
        self.setCentralWidget(body)
        self.ring = FocusRing(self)
        self.focus_rule = FocusRule(self, self._home)
        self.guide = GuideView(self)
        self.in_words = InWords(self, self._home)
        self.help = KeyHelp(self, lambda: (self.desk_name, self.commands), self.read_guide)

    def _connect(self) -> None:
        session = self.session
        self.header.rod.picked.connect(self.show_desk)
        self.header.library.view_wanted.connect(self.show_library)
        session.edits.clashed.connect(lambda clash: self.layouts.comparing.show_clash(clash))
        session.desk_wanted.connect(self.show_desk)
        session.source_wanted.connect(self._show_source)
        session.opened.connect(self._on_opened)
        look.changed.connect(self.update)

    def show_desk(self, name: str) -> None:
        """Show a desk; cursor, view and kind stay, and the keys go to its work unless they are somewhere that stays."""
        # a picture in words goes with the picture, which gets the keys back first
        self.in_words.end()
        had_keys = QApplication.focusWidget()
        if name != self.desk_name:
            self.foot.leave_desk()
        self.desk_name = name
        self._give_room()
        self.header.rod.set_current(name)
        if had_keys in (None, self) or (not had_keys.isVisible() and self.isAncestorOf(had_keys)):
            self._home().setFocus()

    def _give_room(self) -> None:
        """Give the desk that is shown the room there is; what it needs more than others folds or goes."""
        desk = self.desks[self.desk_name]
        self.room.show_desk(desk, self.width())
        self.strip.links.fold_for_room(self.height() < desk.strip_from)

    # desks

    @property
    def intake(self) -> IntakeDesk:
        """The desk of recordings."""
        return self.desks.of(IntakeDesk)

    @property
    def read(self) -> ReadDesk:
        """The desk of what recordings say."""
        return self.desks.of(ReadDesk)

    @property
    def unravel(self) -> UnravelDesk:
        """The desk of what nobody knows yet."""
        return self.desks.of(UnravelDesk)

    @property
    def layouts(self) -> LayoutsDesk:
        """The desk of layouts."""
        return self.desks.of(LayoutsDesk)

    @property
    def rehearse(self) -> RehearseDesk:
        """The desk of live lanes."""
        return self.desks.of(RehearseDesk)

    @property
    def handover(self) -> HandOverDesk:
        """The desk of what leaves."""
        return self.desks.of(HandOverDesk)

    @property
    def library(self) -> LibraryView:
        """The pages of the library, shown in the place of a desk."""
        return self.desks.of(LibraryView)

    def _place(self, desk: Desk) -> None:
        """Give a desk its place, and connect what it asks of other parts of the window."""
        self.room.place(desk)
        if isinstance(desk, LibraryView):
            desk.pair_wanted.connect(lambda *pair: self.layouts.comparing.show_pair(*pair))
            desk.releases.make_wanted.connect(self.header.library.ask_release)

    @property
    def asking(self) -> Asking:
        """What is asked on the desk that is shown: on Intake of what came out, elsewhere of the open capture.

        Where nothing is asked on Intake itself, the condition of the capture goes on there.
        """
        if self.desk_name == IntakeDesk.name and self.intake.asking.hits is not None:
            return self.intake.asking
        return self.session.asking

    def step_frame(self, by: int) -> None:
        """Go so many frames on in the list of the desk that is shown, or in that of Read."""
        if not self.desks[self.desk_name].step_frame(by):
            self.read.step_frame(by)

    def show_wave(self) -> None:
        """Show where the frame in hand on Read came from: its recording, and its wave if it has one."""
        frame = self.read.frames.listed.in_hand()
        number = self.session.source_of(frame.lane, frame.time_ns) if frame is not None else None
        if frame is None or number is None:
            self.session.told.emit("", "Choose a frame in the list first.")
            return
        self.intake.bench.want(frame)
        self._show_source(number)

    def _home(self) -> QWidget:
        """Return what takes the keys of the desk that is shown while nothing else was chosen."""
        wanted = (*self.desks[self.desk_name].keys_first(), self.roster.view)
        # with nothing to work on yet the window has them, so that all keys of the desk do what they say
        return next((part for part in wanted if part.isVisible()), self)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.focus_rule.leave():
            return
        super().keyPressEvent(event)

    def _show_source(self, number: int) -> None:
        """Go to a recording; somebody may have to say something of it before it can be read."""
        self.show_desk(IntakeDesk.name)
        self.intake.show_source(number)
        self.intake.waves.setFocus()

    def say_in_words(self) -> None:
        """List what the part with the keys shows."""
        if not self.in_words.begin():
            self.session.told.emit("", "There is no picture here to say in words.")

    def read_guide(self) -> None:
        """Show the guide where it is about the desk that is shown."""
        self.guide.begin(self.desk_name)

    def show_library(self, page: str = "Layouts") -> None:
        """Show a page of the library in the place of a desk."""
        self.show_desk(LibraryView.name)
        self.library.show_page(page)

    def _on_opened(self) -> None:
        if self.stage.currentIndex() == 0:
            self.stage.setCurrentIndex(1)
            self.roster.view.setFocus()
        self.setWindowTitle(f"{self.session.trial.file.name} – Zesty Abacus")

    # Qt events

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        before = event.oldSize() if event is not None else QSize()
        if (before.width() < NARROW) != (self.width() < NARROW) or not before.isValid():
            self.room.fit(self.width())
            self.header.run.setVisible(self.width() >= NARROW)
        self._give_room()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None:
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            if paths:
                self.session.trials.open_paths(paths)
            event.acceptProposedAction()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        focused = self.focusWidget()
        if focused is not None:
            # an entry that is being typed counts: it is taken over now, while there is still somebody to keep it
            focused.clearFocus()
        self.session.close()
        super().closeEvent(event)
