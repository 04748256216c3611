"""The trial as one file, for somebody who has neither its recordings nor its library."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from ...app.doors import leaving
from ...app.session import Session
from ...widgets.parts import hairline, label
from ...widgets.words import counted, span_text
from .choices import Choices
from .handed import HandedOver
from .target_line import TargetLine

_SPANS = (("whole", "the recordings, whole"), ("view", "frames of what the bracket shows"))
_LANES = (("all", "all lanes"), ("kind", "the lane in hand"))
_MESSAGES = (("all", "all layouts"), ("kind", "that of the message in hand"))


class TrialPage(QWidget):
    """Packs the open trial.

    Attributes
    ----------
    outcome
        What is in the file that was packed last, and what is not.
    """

    def __init__(self, session: Session, handed: HandedOver) -> None:
        super().__init__()
        self._session, self._handed = session, handed
        self.span = Choices("Recordings", _SPANS, self._refresh)
        self.lanes = Choices("Lanes", _LANES, self._refresh)
        self.messages = Choices("Layouts", _MESSAGES, self._refresh)
        self.notes = QCheckBox("notes")
        self.people = QCheckBox("names of people, and what they said")
        self.target = TargetLine("File of the trial", "Pack the trial", self._ask_path, self.run)
        self.said = label("", "quiet", wrap=True)
        self.outcome = label("", "quiet", wrap=True)
        self._build()
        for event in (session.opened, session.in_hand.changed, session.clock.view_changed):
            event.connect(self._refresh)
        session.on_opened(self._suggest)
        for box in (self.notes, self.people):
            box.toggled.connect(lambda _on: self._refresh())

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setContentsMargins(18, 12, 18, 8)
        grid.setVerticalSpacing(9)
        grid.setHorizontalSpacing(14)
        grid.setColumnStretch(1, 1)
        left_out = QHBoxLayout()
        left_out.setSpacing(18)
        left_out.addWidget(self.notes)
        left_out.addWidget(self.people)
        left_out.addStretch(1)
        grid.addWidget(self.span, 0, 1)
        grid.addWidget(self.lanes, 1, 1)
        grid.addWidget(self.messages, 2, 1)
        grid.addLayout(left_out, 3, 1)
        grid.addWidget(self.target, 4, 1)
        for row, title in enumerate(("what", "of", "with", "leave out", "to")):
            grid.addWidget(label(title, "quiet"), row, 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(grid)
        column.addWidget(hairline())
        below = QVBoxLayout()
        below.setContentsMargins(18, 12, 18, 12)
        below.setSpacing(10)
        below.addWidget(self.said)
        below.addWidget(self.outcome)
        below.addStretch(1)
        column.addLayout(below, 1)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()

    def _suggest(self) -> None:
        folder = self._session.trial.folder
        self.target.suggest(folder.with_name(f"{folder.name}.ztrial"))
        self.outcome.setText("")

    def _ask_path(self, path: str) -> str:
        name = QFileDialog.getSaveFileName(self, "Pack the trial into", path, "Packed trials (*.ztrial)")[0]
        return name if not name or name.endswith(".ztrial") else f"{name}.ztrial"

    def _lane_in_hand(self) -> str:
        session = self._session
        key = session.capture.kinds.keys[session.in_hand.kind]
        return str(session.capture.lanes[key.lane].name)

    def _missing(self) -> str:
        """Return what has to be chosen first, empty if nothing."""
        session, in_hand = self._session, self._session.in_hand
        of_layout = self.messages.value == "kind"
        # a layout can be in hand without a message, but a lane cannot
        if in_hand.kind is None and (self.lanes.value == "kind" or (of_layout and in_hand.layout is None)):
            return "No message is in hand; choose one in the roster."
        if of_layout and not in_hand.layouts():
            return "Nobody has named the message in hand; choose another in the roster, or all layouts."
        if session.library is None:
            return "There is no library that could go along; open one first."
        return ""

    def _packing(self) -> Any:
        session, clock = self._session, self._session.clock
        messages = None
        if self.messages.value == "kind":
            messages = frozenset(layout.name for layout in session.in_hand.layouts())
        along = leaving.Along(
            session.trial.file.release, messages, not self.notes.isChecked(), not self.people.isChecked()
        )
        first, last = (clock.view_first_ns, clock.view_last_ns) if self.span.value == "view" else (None, None)
        lanes = frozenset([self._lane_in_hand()]) if self.lanes.value == "kind" else None
        return leaving.Packing(first, last, lanes, along)

    def _refresh(self) -> None:
        """Say what somebody gets who opens the file."""
        session = self._session
        if session.capture is None or not self.isVisible():
            return
        missing = self._missing()
        if missing:
            self.said.setText(missing)
            return
        packing = self._packing()
        if packing.is_whole:
            what = f"{counted(len(session.trial.file.sources), 'recording')} with their recipes and references"
        else:
            span = session.clock.view_span_ns if self.span.value == "view" else (
                session.clock.last_ns - session.clock.first_ns
            )  # fmt: skip
            lane = "all lanes" if packing.lanes is None else f"the lane {self._lane_in_hand()}"
            what = f"{span_text(span)} of {lane}, waves cut between two frames"
        state = packing.along.release or "the newest state"
        home = (
            "It is a working copy: what is worked out in it comes home by “Working copy” under the library’s name."
            if packing.along.is_working_copy else
            "The library it is from does not take it back, since it would lose what is left out."
        )  # fmt: skip
        self.said.setText(
            f"Whoever opens it gets {what}; the moments and conditions; and a library with {state}. {home}"
        )

    def run(self) -> None:
        """Pack it on a thread, with progress and cancel in the foot."""
        session = self._session
        if session.capture is None:
            return
        missing = self._missing()
        self.target.say(missing)
        if missing:
            return
        self.target.complete(".ztrial")
        target, packing = self.target.free_target(session.trial.files()), self._packing()
        if target is None:
            return
        trial, library = session.trial, session.library
        brought = leaving.BroughtIn(session.capture, session.outcomes)
        self.outcome.setText("")

        def done(about: Any) -> None:
            inside = f"{counted(len(about.files), 'file')} and {counted(about.messages, 'layout')}"
            lines = [f"{target.path.name} is packed: {inside}.", *(f"Left out: {one}" for one in about.left_out)]
            self.outcome.setText("\n".join(lines))
            session.told.emit("good", lines[0])
            self._handed.add(target.path, f"the trial in one file, {inside}")

        session.jobs.start(
            "pack", f"packing {target.path.name}",
            lambda progress: leaving.pack(trial, brought, library, target, packing, progress), done, self.target.say,
        )  # fmt: skip
