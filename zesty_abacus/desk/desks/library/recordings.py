"""What was recorded, where the files lie, and what all of them together say; the frames stay there."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine, laid, runs
from ...app.session import Session
from ...widgets.parts import Choice, Hint, button, clear_layout, hairline, label, scrolled_column
from ...widgets.theme import TINY_PX, text_font
from ...widgets.words import counted, grouped, home_short
from .ranges import RangesView

_MOST_SHOWN = 200
_NOTHING = "nothing in it could be read"


class RecordingsView(QWidget):
    """The library's list of recordings.

    Attributes
    ----------
    add, add_folder, look
        Put the recordings of the open trial, or those below a folder, into the list; look through all.
    condition, ask
        What is asked of all, and the button that asks.
    field, ranges
        The field whose values are drawn over all recordings.
    absent
        How many recordings have no value of it.
    shown
        Recordings, in order of time.
    looked, hits
        What was found in all; None before it was looked for.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.shown: list[Any] = []
        self.looked: Any = None
        self.hits: Any = None
        self.add = button(
            "List the recordings of this trial", "Where each lies, its hash, its time, its lanes", main=True
        )
        self.add_folder = button("List a folder…", "All recordings below a folder; none is listed twice")
        self.look = button("Look through all", "How far each is explained, its problems, the range of every field")
        self.condition = QLineEdit()
        self.condition.setAccessibleName("What is asked of all recordings")
        self.condition.setPlaceholderText("asked of all: size == 8 and `water speed` > 3 kn")
        self.ask = button("Find in all", "Frames of all recordings in which it holds")
        self.field = Choice()
        self.field.setAccessibleName("Field over all recordings")
        self.field.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        self.absent = label("", "quiet")
        self.ranges = RangesView()
        self._over = QWidget()
        self._found = QVBoxLayout()
        self._found.setSpacing(4)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(4)
        self._heads: list[Any] = []
        self._build()
        self._connect()

    def _build(self) -> None:
        first = QHBoxLayout()
        for part in (self.add, self.add_folder, self.look):
            first.addWidget(part)
        first.addStretch(1)
        second = QHBoxLayout()
        second.addWidget(self.condition, 1)
        second.addWidget(self.ask)
        over = QVBoxLayout(self._over)
        over.setContentsMargins(0, 4, 0, 4)
        line = QHBoxLayout()
        line.addWidget(label("values of", "quiet"))
        line.addWidget(self.field)
        line.addWidget(self.absent)
        line.addStretch(1)
        over.addLayout(line)
        over.addWidget(self.ranges)
        self._over.hide()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolled_column(first, second, self._over, self._found, self._rows))

    def _connect(self) -> None:
        self.add.clicked.connect(self.list_own)
        self.add_folder.clicked.connect(self._ask_folder)
        self.look.clicked.connect(self.look_through)
        self.ask.clicked.connect(self.find_in_all)
        self.condition.returnPressed.connect(self.find_in_all)
        self.field.currentTextChanged.connect(lambda _text: self._show_ranges())
        self._session.shared.notes_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Read the list again."""
        if self.isVisible() and self._session.library is not None:
            self._session.shared.ask("reading recordings", lambda library: library.recordings.heads(), self._show)

    def list_own(self) -> None:
        """Put the recordings of the open trial into the library; hashing large files takes a while."""
        session = self._session
        if session.capture is None:
            return
        library, author = session.library, session.edits.line.author
        file = session.trial.file
        made = laid.BroughtIn(session.capture, session.outcomes)

        def work(progress: Any) -> int:
            found = laid.recordings_of(made, f"{file.name} {file.run}".strip(), progress)
            return int(library.recordings.import_all(found, author=author, reason="listed"))

        session.jobs.start("list recordings", "hashing recordings", work, self._listed)

    def list_folder(self, folder: Path) -> None:
        """Put the recordings below a folder into the library."""
        session = self._session
        library, author = session.library, session.edits.line.author
        if library is None:
            return

        def done(answer: tuple[int, dict[str, str]]) -> None:
            fresh, failed = answer
            self._listed(fresh)
            if failed:
                path, reason = next(iter(failed.items()))
                session.told.emit("wrong", f"{counted(len(failed), 'file')} could not be read; {path}: {reason}")

        session.jobs.start(
            "list recordings", f"reading {folder.name}",
            lambda progress: runs.add_folder(library, folder, author, progress), done,
            lambda sentence: session.told.emit("wrong", sentence),
        )  # fmt: skip

    def _listed(self, changed: int) -> None:
        words = f"{counted(changed, 'recording', 'is', 'are')} new or changed in the library's list."
        self._session.told.emit("good", words)
        self.refresh()

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "List the recordings below")
        if name:
            self.list_folder(Path(name))

    def look_through(self) -> None:
        """Look through all recordings with processes of their own; the foot shows how far it is."""
        session, library = self._session, self._session.library
        if library is None:
            return
        layouts = list(session.edits.layouts())

        def done(looked: Any) -> None:
            self.looked = looked
            fields = sorted({f"{one.message}.{one.field}" for it in looked.overviews.values() for one in it.fields})
            chosen = self.field.currentText()
            self.field.blockSignals(True)
            self.field.clear()
            self.field.addItems(fields)
            if chosen in fields:
                self.field.setCurrentText(chosen)
            self.field.blockSignals(False)
            self._over.setVisible(bool(fields))
            self._show_ranges()
            self._show(self._heads)
            words = f"{counted(len(looked.overviews), 'recording')} looked through"
            failed = f", {len(looked.failed)} could not be read" if looked.failed else ""
            session.told.emit("wrong" if looked.failed else "good", f"{words}{failed}.")

        session.jobs.start(
            "archive", "looking through all recordings",
            lambda progress: runs.look_through(library, layouts, progress), done,
            lambda sentence: session.told.emit("wrong", sentence),
        )  # fmt: skip

    def find_in_all(self) -> None:
        """Ask every recording for frames in which the condition holds."""
        session, library = self._session, self._session.library
        text = self.condition.text().strip()
        if library is None or not text:
            return
        layouts = list(session.edits.layouts())

        def done(hits: Any) -> None:
            self.hits = hits
            self._show_hits()

        session.jobs.start(
            "archive", f"asking all recordings: {text}",
            lambda progress: runs.find_in_all(library, layouts, text, progress), done,
            lambda sentence: session.told.emit("wrong", sentence),
        )  # fmt: skip

    def open_at(self, path: str, time_ns: int | None = None) -> None:
        """Open a recording in a trial of its own, read by the library that lists it, at the place of a hit."""
        session = self._session

        def then() -> None:
            if time_ns is not None:
                session.clock.set_cursor(time_ns, follow=True)
            session.desk_wanted.emit("Read")

        session.trials.open_listed(Path(path), session.library, then)

    def _show_ranges(self) -> None:
        if self.looked is None or not self.field.currentText():
            return
        message, _, field = self.field.currentText().partition(".")
        rows, unit = [], ""
        for one in self.shown:
            overview = self.looked.overviews.get(one.path)
            fields = overview.fields if overview is not None else ()
            found = next((it for it in fields if (it.message, it.field) == (message, field)), None)
            if found is not None:
                unit = found.unit
                rows.append((one.name, found))
        without = len(self.shown) - len(rows)
        self.absent.setText(f"{counted(without, 'recording')} without a value of it" if without else "")
        self.ranges.show_ranges(rows, unit)

    def _show_hits(self) -> None:
        clear_layout(self._found)
        hits = self.hits
        names = {one.path: one.name for one in self.shown}
        where = f" in {len(hits.runs)} of {counted(hits.asked, 'recording')}" if hits.count else ""
        failed = f"; {counted(len(hits.failed), 'recording')} could not be read" if hits.failed else ""
        title = label(f"{counted(hits.count, 'frame')} found{where}{failed}.", wrap=True)
        title.setFont(text_font(bold=True))
        self._found.addWidget(title)
        for run in hits.runs[:_MOST_SHOWN]:
            when = datetime.fromtimestamp(run.first_ns / 1e9, UTC).astimezone()
            line = QHBoxLayout()
            said = f"{names.get(run.path, run.path)} · {counted(run.count, 'frame')}, first {when:%H:%M:%S.%f} on"
            line.addWidget(label(f"{said} {run.lane} {run.words}: {run.says}", wrap=True), 1)
            opening = button("Open there", "Open this recording at its first hit", link=True)
            opening.clicked.connect(lambda _on, run=run: self.open_at(run.path, run.first_ns))
            line.addWidget(opening)
            self._found.addLayout(line)
        self._found.addWidget(hairline())

    def _show(self, heads: list[Any]) -> None:
        self._heads = heads
        # what could not be read has no time, and nothing to say
        self.shown = sorted((head.state for head in heads), key=lambda one: (not one.lanes, one.first_ns, one.path))
        authors = {head.state.id: head.revision.author for head in heads}
        clear_layout(self._rows)
        for one in self.shown[:_MOST_SHOWN]:
            self._add(one, authors[one.id])
        if len(self.shown) > _MOST_SHOWN:
            self._rows.addWidget(label(f"{len(self.shown) - _MOST_SHOWN} more are listed.", "quiet"))
        if not heads:
            self._rows.addWidget(Hint(
                "No recording is listed yet. The list says what was recorded and where it lies; then all of them can "
                "be looked through, and asked at once."
            ))  # fmt: skip

    def _add(self, one: Any, author: str) -> None:
        head = QHBoxLayout()
        name = label(f"{one.name}{f' · {one.trial}' if one.trial else ''}", wrap=True)
        name.setFont(text_font(bold=True))
        head.addWidget(name, 1)
        opening = button("Open", "Open it in a trial of its own, read by this library", link=True)
        opening.clicked.connect(lambda _on: self.open_at(one.path))
        head.addWidget(opening)
        self._rows.addLayout(head)
        lanes = ", ".join(_lane_words(lane) for lane in one.lanes)
        words, role = self._overview(one.path)
        self._rows.addWidget(label(" · ".join(filter(None, [lanes, words])) or _NOTHING, role, wrap=True))
        begun = f"{datetime.fromtimestamp(one.first_ns / 1e9, UTC).astimezone():%Y-%m-%d %H:%M} · " if one.lanes else ""
        where = f"{begun}{home_short(Path(one.path))} · {counted(one.size, 'byte')} · listed by {author}"
        place = label(f"{where} · sha256 {one.sha256[:16]}…", "quiet", wrap=True, selectable=True)
        place.setFont(text_font(TINY_PX))
        self._rows.addWidget(place)
        self._rows.addWidget(hairline())

    def _overview(self, path: str) -> tuple[str, str]:
        """Return what was found when all were looked through, and its role as words; empty before that."""
        if self.looked is None:
            return "", ""
        if path in self.looked.failed:
            return self.looked.failed[path], "wrong"
        one = self.looked.overviews.get(path)
        if one is None:
            return "", ""
        share = f"{engine.percent(one.claimed)} explained, {engine.percent(one.proved)} proved"
        ranked = sorted(one.problems.items(), key=lambda it: -it[1])
        faults = ", ".join(f"{kind.replace('-', ' ')} × {grouped(count)}" for kind, count in ranked)
        return f"{share} · {f'problems: {faults}' if faults else 'no problems'}", ""

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()


def _lane_words(lane: Any) -> str:
    return f"{lane.name} ({engine.protocol_named(lane.protocol).title}, {counted(lane.frames, 'frame')})"
