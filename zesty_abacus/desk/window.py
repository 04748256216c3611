"""The frame of the window: header, strip, roster, desk, side panel, foot."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QMainWindow,
    QScrollArea,
    QSplitter,
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
from .desks.desk import Desk, Desks
from .desks.handover.desk import HandOverDesk
from .desks.intake.desk import IntakeDesk
from .desks.layouts.desk import LayoutsDesk
from .desks.library.view import LibraryView
from .desks.read.desk import ReadDesk
from .desks.rehearse.desk import RehearseDesk
from .desks.unravel.desk import UnravelDesk
from .widgets.focus_ring import FocusRing
from .widgets.parts import USES_SPACE, in_room
from .widgets.theme import look

_SIZE = QSize(1280, 800)
_LEAST = QSize(960, 540)
"""A screen of 1920 x 1080 at twice the size."""
_SPLIT, _NARROW_SPLIT = (246, 732, 302), (188, 576, 194)
_NARROW, _LOW = 1100, 640
"""Below these a window has room for less at once."""
_ROOMY = 960
"""From this height on Rehearse has room for the strip besides its own lanes, a message and a log."""


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
        self._rooms: dict[str, QScrollArea] = {}
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
        self._make_actions()
        self._connect()
        self.show_desk(self.desk_name)
        look.dress(self)
        self.beginning.choose.setFocus()

    def _build(self) -> None:
        session = self.session
        self.foot = Foot(session)
        self.centre = QStackedWidget()
        self.side = QStackedWidget()
        self.left = QStackedWidget()
        self.left.addWidget(self.roster)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setHandleWidth(1)
        for part in (self.left, self.centre, self.side):
            self.split.addWidget(part)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes(list(_SPLIT))
        self.split.setCollapsible(1, False)
        self.left.setMinimumWidth(_NARROW_SPLIT[0])
        self.side.setMinimumWidth(_NARROW_SPLIT[2])
        self.centre.setMinimumWidth(420)
        work = QWidget()
        worked = QVBoxLayout(work)
        worked.setContentsMargins(0, 0, 0, 0)
        worked.setSpacing(0)
        worked.addWidget(self.strip)
        worked.addWidget(self.split, 1)
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

    def _make_actions(self) -> None:
        # a key is one action even if it means another thing on each desk; two actions would both be silent
        by_key: dict[str, list[Command]] = {}
        self._by_space: list[QAction] = []
        for command in self.commands:
            if command.shortcut:
                by_key.setdefault(command.shortcut, []).append(command)
        for key, commands in by_key.items():
            action = QAction(commands[0].title, self)
            action.setShortcut(QKeySequence(key))
            action.triggered.connect(lambda _on=False, commands=commands: self._run_first(commands))
            self.addAction(action)
            if QKeySequence(key)[0].key() == Qt.Key.Key_Space:
                self._by_space.append(action)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._leave_space)

    def _leave_space(self, _before: QWidget | None, now: QWidget | None) -> None:
        """Leave the space bar to what is pressed or chosen by it; an action would take it away."""
        uses_it = isinstance(now, QAbstractButton | QComboBox) or (now is not None and now.property(USES_SPACE) is True)
        for action in self._by_space:
            action.setEnabled(not uses_it)

    def _connect(self) -> None:
        session = self.session
        self.header.rod.picked.connect(self.show_desk)
        self.header.library.view_wanted.connect(self.show_library)
        session.edits.clashed.connect(lambda clash: self.layouts.comparing.show_clash(clash))
        session.desk_wanted.connect(self.show_desk)
        session.source_wanted.connect(self._decide)
        session.opened.connect(self._on_opened)
        look.changed.connect(self.update)

    def _run_first(self, commands: list[Command]) -> None:
        """Run what a key means on this desk."""
        for command in commands:
            if command.desk in ("", self.desk_name) and command.enabled():
                command.run()
                return

    def show_desk(self, name: str) -> None:
        """Show a desk; cursor, view and kind stay, and the keys go to its work unless they are somewhere that stays."""
        # a picture in words goes with the picture, which gets the keys back first
        self.in_words.end()
        had_keys = QApplication.focusWidget()
        if name != self.desk_name:
            self.foot.leave_desk()
        self.desk_name = name
        desk = self.desks[name]
        self.centre.setCurrentWidget(self._rooms[name])
        self.side.setCurrentWidget(desk.side)
        self.left.setCurrentWidget(self.intake.left if name == IntakeDesk.name else self.roster)
        self._show_left()
        self._give_room()
        self.header.rod.set_current(name)
        if had_keys in (None, self) or (not had_keys.isVisible() and self.isAncestorOf(had_keys)):
            self._home().setFocus()

    def _show_left(self) -> None:
        # the library is of all messages there are, whatever was recorded here; in a narrow window a message to send is
        # chosen by its name alone, and what is handed over is that in hand elsewhere
        wide = [LibraryView.name, *([RehearseDesk.name, HandOverDesk.name] if self.width() < _NARROW else [])]
        self.left.setVisible(self.desk_name not in wide)

    def _give_room(self) -> None:
        """Fold the strip where its room is needed: in a low window, and where live lanes share it."""
        least = _ROOMY if self.desk_name == RehearseDesk.name else _LOW
        self.strip.links.fold_for_room(self.height() < least)

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
        self._rooms[desk.name] = room = in_room(desk)
        self.centre.addWidget(room)
        self.side.addWidget(desk.side)
        if isinstance(desk, IntakeDesk):
            self.left.addWidget(desk.left)
        elif isinstance(desk, LibraryView):
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
        self.show_desk(IntakeDesk.name)
        self.intake.bench.want(frame)
        self.intake.show_source(number)
        self.intake.waves.setFocus()

    def _home(self) -> QWidget:
        """Return what takes the keys of the desk that is shown while nothing else was chosen."""
        wanted = (*self.desks[self.desk_name].keys_first(), self.roster.view)
        # with nothing to work on yet the window has them, so that all keys of the desk do what they say
        return next((part for part in wanted if part.isVisible()), self)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.focus_rule.leave():
            return
        super().keyPressEvent(event)

    def _decide(self, number: int) -> None:
        """Go to a recording that somebody has to say something of before it can be read."""
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
        if (before.width() < _NARROW) != (self.width() < _NARROW) or not before.isValid():
            self.split.setSizes(list(_NARROW_SPLIT if self.width() < _NARROW else _SPLIT))
            self.header.run.setVisible(self.width() >= _NARROW)
            self._show_left()
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
