"""Tables of frames or decoded values: what, how much, in which shape, and a preview before it is written."""

from __future__ import annotations

from pathlib import Path
from typing import Any, cast

from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from ....core.durations import duration_ns
from ....core.errors import MisuseError
from ...app.doors import asked, engine
from ...app.session import Session
from ...around.table_file import frame_titles
from ...widgets.parts import hairline, label
from ...widgets.words import counted, span_text
from .choices import Choices
from .handed import HandedOver
from .preview_table import PreviewTable
from .target_line import TargetLine

_PREVIEW_ROWS = 40
_CHOICES = {
    "content": (("long", "values, a row a field"), ("wide", "a row a frame"), ("clock", "rows on one clock"),
                ("frames", "frames, undecoded")),
    "between": (("hold", "the last value"), ("nearest", "the nearest"), ("linear", "on a line")),
    "messages": (("all", "all messages"), ("kind", "the one in hand"), ("lane", "its whole lane")),
    "span": (("whole", "whole capture"), ("view", "the bracket")),
    "form": (("csv", "CSV"),),
    "times": (("ns", "ns since 1970"), ("seconds", "seconds since the start"), ("iso", "ISO 8601")),
}  # fmt: skip
_NAMES = {"content": "What leaves", "between": "Between two frames", "messages": "Messages", "span": "Stretch",
          "form": "Form", "times": "Times"}  # fmt: skip


class TablesPage(QWidget):
    """Writes tables of frames or decoded values.

    Parameters
    ----------
    handed
        The list of what was handed over.

    Attributes
    ----------
    choices
        What is chosen, by name.
    """

    def __init__(self, session: Session, handed: HandedOver) -> None:
        super().__init__()
        self._session = session
        self._handed = handed
        self.choices = {
            name: Choices(_NAMES[name], offered, self._refresh, wraps=name == "form")
            for name, offered in _CHOICES.items()
        }
        self.words = label("", "quiet")
        self.every = QLineEdit("100 ms")
        self.every.setAccessibleName("How far rows are apart")
        self.every.setMaximumWidth(110)
        self.clock = QWidget()
        self.own_times = label("in the form that such recordings have")
        self.target = TargetLine("File", "Write the file", self._ask_path, self.run)
        self.path, self.problem, self.replace = self.target.path, self.target.problem, self.target.replace
        self.preview = PreviewTable()
        self._build()
        self._connect()

    def _build(self) -> None:
        line = QHBoxLayout(self.clock)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(10)
        line.addWidget(label("every", "quiet"))
        line.addWidget(self.every)
        line.addWidget(label("between two frames", "quiet"))
        line.addWidget(self.choices["between"], 1)
        grid = QGridLayout()
        grid.setContentsMargins(18, 12, 18, 6)
        grid.setVerticalSpacing(7)
        grid.setHorizontalSpacing(14)
        grid.setColumnStretch(1, 1)
        grid.addWidget(self.choices["content"], 0, 1)
        grid.addWidget(self.clock, 1, 1)
        grid.addLayout(self._side_by_side("messages", "from", "span"), 2, 1)
        grid.addWidget(self.choices["form"], 3, 1)
        grid.addWidget(self.choices["times"], 4, 1)
        grid.addWidget(self.own_times, 4, 1)
        grid.addWidget(self.target, 5, 1)
        grid.addWidget(self.words, 6, 1)
        for row, title in ((0, "what"), (2, "of"), (3, "as"), (4, "times"), (5, "to")):
            grid.addWidget(label(title, "quiet"), row, 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(grid)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.preview)
        column.addWidget(hairline())
        column.addWidget(scroll, 1)
        self.clock.hide()
        self._has_no_values = False

    def _side_by_side(self, first: str, word: str, second: str) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(14)
        line.addWidget(self.choices[first])
        line.addWidget(label(word, "quiet"))
        line.addWidget(self.choices[second], 1)
        return line

    def _connect(self) -> None:
        session = self._session
        self.every.editingFinished.connect(self._refresh)
        for event in (session.opened, session.layouts_changed, session.in_hand.changed, session.clock.view_changed):
            event.connect(self._refresh)
        session.on_opened(self._suggest_path)
        session.on_opened(self._suggest_content)
        session.layouts_changed.connect(self._suggest_values)

    def _suggest_content(self) -> None:
        """Offer frames where there are no values yet."""
        self._has_no_values = self._reads_nothing()
        self.choices["content"].choose("frames" if self._has_no_values else "long")

    def _reads_nothing(self) -> bool:
        return next(iter(self._session.reading.kinds_read()), None) is None

    def _suggest_values(self) -> None:
        """Offer values once there are some, unless something else was chosen meanwhile."""
        if self._has_no_values and not self._reads_nothing():
            self._has_no_values = False
            if self._chosen("content") == "frames":
                self.choices["content"].choose("long")

    def choose(self, name: str, value: str) -> None:
        """Choose as a click on the button would."""
        self.choices[name].choose(value)

    def _chosen(self, name: str) -> str:
        return self.choices[name].value

    def _suggest_path(self) -> None:
        self.target.suggest(self._session.trial.folder / f"decoded.{self._chosen('form')}")

    def _ask_path(self, path: str) -> str:
        return QFileDialog.getSaveFileName(self, "Write to", path)[0]

    def _export(self) -> engine.Export:
        """Return what is chosen, as a value that a thread can write.

        Raises
        ------
        MisuseError
            If how far rows are apart is no length of time.
        """
        session, clock = self._session, self._session.clock
        times = (clock.view_first_ns, clock.view_last_ns) if self._chosen("span") == "view" else (None, None)
        kinds = self._kinds()
        meaning = session.reading.meaning
        assert meaning is not None, "an export is made only while a trial is open"
        made: engine.Export = engine.Export(
            meaning, self._how(), self._chosen("form"), engine.Span.of(session.capture, *times), kinds,
            cast("engine.TimeForm", self._chosen("times")),
        )  # fmt: skip
        return made

    def _kinds(self) -> frozenset[int] | None:
        """Return the numbers of the kinds that leave; None is all, none where there is no message in hand."""
        session, messages = self._session, self._chosen("messages")
        if messages == "all":
            return None
        if session.in_hand.kind is None:
            return frozenset()
        keys = session.capture.kinds.keys
        lane = keys[session.in_hand.kind].lane
        return frozenset(
            kind for kind, key in enumerate(keys)
            if (kind == session.in_hand.kind if messages == "kind" else key.lane == lane)
        )  # fmt: skip

    def _how(self) -> engine.Shaped | None:
        shape = self._chosen("content")
        if shape == "frames":
            return None
        every = duration_ns(self.every.text()) if shape == "clock" else 1
        made: engine.Shaped = engine.Shaped(
            cast("engine.Shape", shape), every, cast("engine.Between", self._chosen("between"))
        )
        return made

    def _origin_of(self, export: engine.Export) -> engine.Origin | None:
        return self._session.origin() if export.is_decoded else None

    def _missing(self, export: engine.Export) -> str:
        """Return what has to be chosen first, empty if nothing."""
        session = self._session
        if export.kinds is None:
            return ""
        if session.in_hand.kind is None:
            return "No message is in hand; choose one in the roster, or all messages."
        if export.is_decoded and not any(session.reading.readers(kind) for kind in export.kinds):
            return "Nobody has named the message in hand; choose another in the roster, or all messages."
        return ""

    def run(self) -> None:
        """Write the file on a thread, with progress and cancel in the foot."""
        session = self._session
        if session.capture is None:
            return
        try:
            export = self._export()
        except MisuseError as error:
            self.target.say(str(error))
            return
        missing = self._missing(export)
        self.target.say(missing)
        if missing:
            return
        self.target.complete(f".{export.form}")
        target, origin = self.target.free_target(session.trial.files()), self._origin_of(export)
        if target is None:
            return

        def done(left: engine.Exported) -> None:
            rows = counted(left.rows, "frame" if self._is_recording(export.form) else "row")
            session.told.emit("good", f"{target.path.name} is written: {rows}. {left.without}".rstrip())
            self._handed.add(target.path, f"{rows}, {export.form}{_decoded_with(origin)}. {left.without}".rstrip(". "))

        session.jobs.start(
            "export", f"writing {target.path.name}", lambda progress: export.write(target, origin, progress),
            done, self.target.say,
        )  # fmt: skip

    def _is_recording(self, form: str) -> bool:
        return form in asked.recording_forms()

    def _offer_forms(self) -> None:
        """Offer the forms in which what was chosen can leave: only frames make a recording again."""
        forms, titles, recordings = self.choices["form"], frame_titles(), asked.recording_forms()
        forms.offer(titles.items())
        is_of_frames = self._chosen("content") == "frames"
        forms.limit_to([form for form in titles if is_of_frames or form not in recordings])
        is_recording = self._chosen("form") in recordings
        self.choices["times"].setHidden(is_recording)
        self.own_times.setVisible(is_recording)

    def _refresh(self) -> None:
        session = self._session
        if session.capture is not None and self.isVisible():
            self._offer_forms()
        self.clock.setVisible(self._chosen("content") == "clock")
        if Path(self.path.text()).suffix != f".{self._chosen('form')}":
            self.target.end_with(f".{self._chosen('form')}")
        if session.capture is None or not self.isVisible():
            return
        try:
            export = self._export()
        except MisuseError as error:
            self.preview.show_rows([], [], str(error))
            return
        clock = session.clock
        span = clock.view_span_ns if self._chosen("span") == "view" else clock.last_ns - clock.first_ns
        self.words.setText(f"{span_text(span)} of the capture{_decoded_with(self._origin_of(export))}")
        session.jobs.start(
            "preview",
            "making a preview",
            lambda progress: export.preview(_PREVIEW_ROWS, progress),
            lambda answer: self.preview.show_rows(*answer),
            lambda sentence: self.preview.show_rows([], [], sentence),
        )

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()


def _decoded_with(origin: engine.Origin | None) -> str:
    """Say with which library, in which state; frames that are not decoded need none."""
    return f", decoded with {origin.words()}" if origin is not None else ""
