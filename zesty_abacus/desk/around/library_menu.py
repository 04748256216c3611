"""The library in the header: which one it is, another one, its releases."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QPushButton

from ..app.doors import engine, laid
from ..app.library_choice import use_library, use_release
from ..app.session import Session
from ..widgets.parts import menu_of, while_there
from ..widgets.words import counted
from .ask_panel import AskPanel


class LibraryButton(QPushButton):
    """The library's name; a click offers what can be done with it.

    Parameters
    ----------
    compare
        Shows (layout of a release, its title) beside the layout in hand.

    Events
    ------
    view_wanted
        (page) a page of the library is to be shown.
    """

    view_wanted = pyqtSignal(str)

    def __init__(self, session: Session, compare: Callable[[Any, str], None]) -> None:
        super().__init__()
        self._session, self._compare = session, compare
        self.panel: AskPanel | None = None
        self.setObjectName("trial")
        self.setAccessibleName("Library")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.clicked.connect(self.offer)

    @property
    def is_on_server(self) -> bool:
        """Whether the library in use is one on a server."""
        return self._session.library is not None and self._session.library.address.url is not None

    def offer(self) -> None:
        """Offer another library and this one's releases."""
        session = self._session
        if session.library is None:
            return
        menu = menu_of(self)
        menu.addAction("Show the library\tCtrl+L", lambda: self.view_wanted.emit("Layouts"))
        waiting = len(session.shared.proposals.waiting)
        words = f"What is proposed ({waiting})" if waiting else "What is proposed"
        menu.addAction(f"{words}\tCtrl+P", lambda: self.view_wanted.emit("Proposals"))
        menu.addAction("Releases", lambda: self.view_wanted.emit("Releases"))
        menu.addSeparator()
        menu.addAction("Connect to a server…", self.ask_server)
        menu.addAction("Use another library file…", self.ask_file)
        menu.addAction("New library file…", self.ask_new)
        self._offer_forgetting(menu)
        menu.addSeparator()
        menu.addAction("Working copy…", self.ask_copy)
        menu.addAction("Make a release…", self.ask_release)
        self._offer_releases(menu.addMenu("Compare with a release"))
        if session.edits.release:
            menu.addAction("Decode with the newest state", lambda: use_release(session, ""))
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))

    def _offer_releases(self, menu: QMenu | None) -> None:
        """Fill in the releases when they are known; asking a server may take its time."""
        if menu is None:
            return
        session, layout = self._session, self._layout_in_hand()
        library = session.library
        menu.setEnabled(False)

        def fill(releases: list[Any]) -> None:
            for one in releases:
                menu.addAction(
                    f"{one.name}, {counted(one.layouts, 'layout')}", lambda name=one.name: self.compare_release(name)
                )
            menu.setEnabled(bool(releases) and layout is not None)

        session.jobs.start("releases", "reading releases", lambda _progress: library.releases.all(),
                           while_there(menu, fill))  # fmt: skip

    def _offer_forgetting(self, menu: QMenu) -> None:
        """Offer to forget the server's password if one is known; a keyring that is locked asks first."""
        if not self.is_on_server:
            return
        library = self._session.library
        action = menu.addAction("Forget the password of its server", self.forget_password)
        assert action is not None
        action.setEnabled(False)
        self._session.jobs.start("password", "asking the keyring", lambda _progress: laid.has_password(library),
                                 while_there(action, action.setEnabled))  # fmt: skip

    def forget_password(self) -> None:
        """Forget the password of the library's server, as far as this program has it."""
        library = self._session.library
        self._session.jobs.start(
            "password", "forgetting the password", lambda _progress: laid.forget_password(library),
            lambda login: self._told("good", f"The password of {login} is forgotten; it is asked for the next time."),
            lambda sentence: self._told("wrong", sentence), in_line=True,
        )  # fmt: skip

    def _layout_in_hand(self) -> Any:
        return self._session.in_hand.layout

    def compare_release(self, name: str) -> None:
        """Show the layout in hand as a release has it beside the newest state."""
        session, layout = self._session, self._layout_in_hand()
        library = session.library

        def show(layouts: list[Any]) -> None:
            found = next((one for one in layouts if layout is not None and one.id == layout.id), None)
            if found is None:
                session.told.emit("", f"The release {name} does not hold this layout.")
                return
            session.desk_wanted.emit("Layouts")
            self._compare(found, f"{found.name}, release {name}")

        session.jobs.start("release", f"reading {name}", lambda _progress: library.layouts.of_release(name), show)

    def ask_file(self) -> None:
        """Ask for a library file and use it."""
        name, _ = QFileDialog.getOpenFileName(self, "Use another library", "", "Libraries (*.sqlite);;All files (*)")
        if name:
            self._use(name)

    def ask_new(self) -> None:
        """Ask for a new library file and use it."""
        name, _ = QFileDialog.getSaveFileName(self, "New library", "library.sqlite", "Libraries (*.sqlite)")
        if name:
            self._use(str(Path(name).with_suffix(".sqlite")), create=True)

    def _begin_panel(self, *what: Any) -> AskPanel:
        """Ask something in a panel, the only one there is; a panel that was closed is not spoken to any more."""
        if self.panel is not None:
            self.panel.close()
        panel = AskPanel(self, *what)
        self.panel = panel
        panel.closed.connect(lambda: self._forget(panel))
        return panel

    def _forget(self, panel: AskPanel) -> None:
        if self.panel is panel:
            self.panel = None

    def _use(self, where: str, **how: Any) -> None:
        use_library(self._session, where, **how, tell=self._told, ask_along=self._ask_along)

    def _ask_along(self, name: str, here: str, count: int, answer: Callable[[bool | None], None]) -> None:
        """Ask whether the layouts of the library in use go along into an empty one."""
        hint = (
            f"With it every message would be unnamed. {counted(count, 'layout')} of {here} can go along, with notes, "
            "claims and recipes; the libraries can be brought together later. Esc stays with the one in use."
        )
        panel = self._begin_panel(f"{name} holds nothing yet", hint, (), "Take them along")
        empty = panel.add_button("Begin empty")
        given: list[bool] = []

        def give(choice: bool) -> None:
            given.append(choice)
            panel.close()
            answer(choice)

        panel.go.clicked.connect(lambda: give(True))
        empty.clicked.connect(lambda: give(False))
        panel.closed.connect(lambda: None if given else answer(None))
        panel.show_below(self)

    def ask_server(self) -> None:
        """Ask for the address of a server."""
        hint = "The password is taken from your pass file or service file; type it only if there is none."
        panel = self._begin_panel("Connect to a library on a server", hint,
                         (("address", "postgresql://user@host/name"), ("password", "if there is no pass file")),
                         "Connect")  # fmt: skip
        keep = panel.add_choice("keep it in the keyring of this desktop")
        make = panel.add_choice("make a library there if the database has none")

        def connect() -> None:
            where, password = panel.lines["address"].text().strip(), panel.lines["password"].text()
            self._use(where, password=password, keep=keep.isChecked(), make=make.isChecked())

        panel.go.clicked.connect(connect)
        panel.show_below(self)

    def ask_password(self, where: str, again: Callable[[], None]) -> None:
        """Ask for the password of the library that a trial uses, and open the trial again."""
        panel = self._begin_panel("The library asks for your password", where, (("password", ""),), "Open")
        keep = panel.add_choice("keep it in the keyring of this desktop")

        def go() -> None:
            laid.type_password(where, panel.lines["password"].text(), keep=keep.isChecked())
            panel.close()
            self.panel = None
            again()

        panel.go.clicked.connect(go)
        panel.show_below(self)

    def ask_copy(self) -> None:
        """Ask for a working copy, and bring it and the library together; it is made if it is not there."""
        hint = (
            "A file to work with where the server cannot be reached. It is made the first time; later, both are "
            "brought together, and what both changed is merged."
        )
        panel = self._begin_panel("Working copy", hint, (("file", "sea.sqlite"),), "Bring together")
        session = self._session
        panel.lines["file"].setText(str(session.trial.folder / "working-copy.sqlite"))

        def go() -> None:
            home, author, path = session.library, session.edits.line.author, panel.lines["file"].text().strip()
            session.jobs.start(
                "working copy", "bringing together",
                lambda progress: laid.bring_together(path, home, author, progress), self._on_together,
                lambda sentence: self._told("wrong", sentence), in_line=True,
            )  # fmt: skip

        panel.go.clicked.connect(go)
        panel.show_below(self)

    def _on_together(self, report: Any) -> None:
        words = [
            f"{len(names)} {said}" for said, names in (
                ("taken", report.taken), ("given", report.given), ("merged", report.merged),
                ("proposed", report.proposed), ("clash", report.clashed),
            ) if names
        ]  # fmt: skip
        self._told("good", f"Both are together: {', '.join(words) or 'they were the same'}.")
        if report.clashed:
            self._session.told.emit("wrong", " ".join(report.clashed))

    def ask_away(self, where: str, again: Callable[[str], None]) -> None:
        """Offer what can be done while the library of a trial does not answer."""
        hint = f"{where} does not answer. Try again, or open the trial with a working copy until it does."
        panel = self._begin_panel("The library does not answer", hint, (("working copy", "sea.sqlite"),), "Try again")
        line = panel.lines["working copy"]
        line.textChanged.connect(lambda text: panel.go.setText("Open with it" if text.strip() else "Try again"))

        def go() -> None:
            panel.close()
            self.panel = None
            again(line.text().strip())

        panel.go.clicked.connect(go)
        panel.show_below(self)

    def ask_about(self, error: Any, again: Callable[[str], None]) -> None:
        """Ask before a trial leads to a server not used before, or gets an empty library for one that is missing."""
        session = self._session
        strange = isinstance(error, engine.StrangeServerError)
        title = "Connect to this server?" if strange else "The library of this trial is not there"
        do = "Connect" if strange else "Make an empty one"
        hint = (
            f"{error.message[:1].upper()}{error.message[1:]} Whoever made the trial wrote that down. Connect only if "
            "you know the server, or open the trial with a library of yours."
            if strange
            else f"{error.where} is missing: moved, not copied with the trial, or never made. Name where it is, or "
            "make an empty one in its place."
        )
        panel = self._begin_panel(title, hint, (("another library", "file.sqlite"),), do)
        line = panel.lines["another library"]
        line.textChanged.connect(lambda text: panel.go.setText("Open with it" if text.strip() else do))

        def go() -> None:
            other = line.text().strip()
            try:
                if not other and strange:
                    engine.know_server(error.address)
                elif not other:
                    engine.open_library(error.where, create=True)[0].close()
            except engine.AbacusError as failure:
                panel.problem.setText(str(failure))
                return
            panel.close()
            self.panel = None
            session.told.emit("", "")
            again(other)

        panel.go.clicked.connect(go)
        panel.show_below(self)

    def ask_release(self) -> None:
        """Ask for the name of a release and make it."""
        panel = self._begin_panel("Make a release", "It holds the newest state of every layout and never changes.",
                              (("name", "run 14"), ("notes", "what it is for")), "Make it")  # fmt: skip
        session = self._session

        def make() -> None:
            name, notes = panel.lines["name"].text().strip(), panel.lines["notes"].text().strip()
            library, author = session.library, session.edits.line.author
            session.jobs.start(
                "release", "making the release",
                lambda _progress: library.releases.make(name, author=author, notes=notes),
                lambda _nothing: self._told("good", f"The release {name} is kept in {library.name}."),
                lambda sentence: self._told("wrong", sentence), in_line=True,
            )  # fmt: skip

        panel.go.clicked.connect(make)
        panel.show_below(self)

    def _told(self, tone: str, sentence: str) -> None:
        """Close the panel, or say in it what is wrong."""
        if tone == "wrong" and self.panel is not None:
            self.panel.problem.setText(sentence)
            self.panel.adjustSize()
            return
        if self.panel is not None:
            self.panel.close()
            self.panel = None
        self._session.told.emit(tone, sentence)
