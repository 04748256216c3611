"""What a source is: its file, its time, and its lanes with their names and offsets."""

from __future__ import annotations

from datetime import UTC, datetime
from fractions import Fraction
from functools import partial

import msgspec
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import clear_layout, label
from ...widgets.theme import text_font
from ...widgets.words import counted, grouped, home_short, span_text


class SourceFacts(QWidget):
    """File, format, time covered; a name, a note and an offset for each lane."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._number = 0
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(18, 12, 18, 10)
        self.body.setSpacing(8)
        self.problem = label("", "wrong", wrap=True)

    def show_source(self, number: int) -> None:
        """Show a source."""
        self._number = number
        clear_layout(self.body)
        outcome = self._session.outcomes[number]
        self._show_facts(outcome)
        self._show_lanes(outcome)
        self.problem = label("", "wrong", wrap=True)
        self.problem.hide()
        self.body.addWidget(self.problem)

    def _say(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.show()

    def _show_facts(self, outcome: engine.SourceOutcome) -> None:
        report = outcome.report
        facts = [
            ("file", home_short(outcome.path)),
            ("format", report.format_name),
            *((name, words) for name, words in outcome.facts[:4]),
            ("frames", grouped(report.frames)),
            ("time covered", span_text(outcome.last_ns - outcome.first_ns) if report.frames else "none"),
            ("began", _date_text(outcome.first_ns) if report.frames else "–"),
            ("clock", outcome.clock or "–"),
            ("left out", counted(report.problem_count, "piece") if report.problem_count else "nothing"),
        ]
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(1, 1)
        for row, (name, value) in enumerate(facts):
            grid.addWidget(label(name, "quiet"), row, 0)
            shown = label(value, wrap=name in ("file", "clock"), selectable=True)
            grid.addWidget(shown, row, 1)
        holder = QWidget()
        holder.setLayout(grid)
        self.body.addWidget(holder)

    def _show_lanes(self, outcome: engine.SourceOutcome) -> None:
        self.body.addSpacing(6)
        heading = label("Lanes of this source")
        heading.setFont(text_font(bold=True))
        self.body.addWidget(heading)
        self.body.addWidget(
            label("A lane's offset is added to all its times, to put several clocks on one. Enter keeps an entry.",
                  "quiet", wrap=True)
        )  # fmt: skip
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        for column, name in enumerate(("in the file", "lane", "note", "offset ms")):
            grid.addWidget(label(name, "section"), 0, column)
        interfaces = outcome.interfaces or outcome.report.lanes or [""]
        for row, (interface, lane) in enumerate(zip(interfaces, outcome.lanes, strict=False), 1):
            entry = self._session.trial.file.lane_entry(lane)
            grid.addWidget(label(interface or "(no name)"), row, 0)
            edits = (
                ("lane", lane, partial(self._rename, interface, lane)),
                ("note", entry.note, partial(self._set_note, lane)),
                ("offset", engine.format_exact(Fraction(entry.offset_ns, 1_000_000)), partial(self._set_offset, lane)),
            )
            for column, (name, text, take) in enumerate(edits, 1):
                line = QLineEdit(text)
                line.setAccessibleName(f"{name} of {lane}")
                line.returnPressed.connect(lambda line=line, take=take: take(line.text().strip()))
                grid.addWidget(line, row, column)
        holder = QWidget()
        holder.setLayout(grid)
        self.body.addWidget(holder)

    def _rename(self, interface: str, lane: str, text: str) -> None:
        if not text:
            self._say("A lane needs a name.")
            return
        file = self._session.trial.file
        source = file.sources[self._number]
        changed = msgspec.structs.replace(source, lanes={**source.lanes, interface or "": text})
        sources = tuple(changed if n == self._number else item for n, item in enumerate(file.sources))
        entry = msgspec.structs.replace(file.lane_entry(lane), name=text)
        lanes = tuple(item for item in file.lanes if item.name not in (lane, text))
        changed = msgspec.structs.replace(file, sources=sources, lanes=(*lanes, entry))
        self._session.trials.change(changed, f"{lane} renamed to {text}")

    def _set_note(self, lane: str, text: str) -> None:
        file = self._session.trial.file
        self._session.trials.change(
            file.with_lane(msgspec.structs.replace(file.lane_entry(lane), note=text)), f"note of {lane}"
        )

    def _set_offset(self, lane: str, text: str) -> None:
        file = self._session.trial.file
        try:
            offset = round(engine.parse_exact(text or "0") * 1_000_000)
        except engine.AbacusError as error:
            self._say(str(error))
            return
        self._session.trials.change(
            file.with_lane(msgspec.structs.replace(file.lane_entry(lane), offset_ns=offset)), f"offset of {lane}"
        )


def _date_text(time_ns: int) -> str:
    return f"{datetime.fromtimestamp(time_ns / 1e9, UTC):%Y-%m-%d %H:%M:%S} UTC"
