"""What is laid over the traces: other fields, and what instruments said; and how well that agrees."""

from __future__ import annotations

from typing import Any, NamedTuple
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from .doors import engine, seen
from .jobs import Jobs
from .reading import Reading
from .traces import Trace, Traces
from .trials import Trials


class OverField(NamedTuple):
    """Another field laid over a trace."""

    kind: int
    field_id: UUID


class OverReference(NamedTuple):
    """A column of a reference laid over a trace: its file, empty for readings typed in, and its name."""

    source: str
    name: str


Over = OverField | OverReference


class Overlays(QObject):
    """The references of the open trial, and what is laid over which trace.

    Attributes
    ----------
    references
        All columns, on the capture's clock.

    Events
    ------
    changed
        Something else is laid over, references are another, or a fit is known.
    told
        (sentence) a reference cannot be read.
    """

    changed = pyqtSignal()
    told = pyqtSignal(str)

    def __init__(self, jobs: Jobs, reading: Reading, trials: Trials, traces: Traces) -> None:
        super().__init__()
        self._jobs, self._reading, self._trials, self._traces = jobs, reading, trials, traces
        self._fields: dict[Trace, list[Over]] = {}
        self._fits: dict[Any, Any] = {}
        self._asked: set[Any] = set()
        self._of: Any = None
        self._outcomes: list[Any] = []
        self.references: list[seen.ReferenceColumn] = []
        trials.changed.connect(self._on_trial)
        reading.changed.connect(self._on_meaning)

    def begin(self, outcomes: list[Any]) -> None:
        """Begin with another capture."""
        self._fields, self._of = {}, None
        self._forget_fits()
        self.read(outcomes)

    def read(self, outcomes: list[Any]) -> None:
        """Read the references of the trial, if they are not the same as before."""
        self._outcomes = outcomes
        file = self._trials.trial.file
        of = (
            self._trials.trial.folder, file.references, file.readings,
            tuple((one.path, one.zero_ns) for one in outcomes if one.holds == "reference"),
        )  # fmt: skip
        if of == self._of:
            return
        self._of, trial = of, self._trials.trial

        def work(progress: Progress) -> Any:
            return seen.references_of(trial, outcomes, progress)

        def finish(found: Any) -> None:
            self.references, wrong = found
            for sentence in wrong:
                self.told.emit(sentence)
            self._forget_fits()
            self._fit_all()
            self.changed.emit()

        if not any(of[1:]):
            self.references = []
            return
        self._jobs.start("references", "reading references", work, finish)

    def over(self, trace: Trace) -> list[Over]:
        """Return what is laid over a trace: references, which the trial keeps, and other fields."""
        kept = self._trials.trial.file.laid_over if self._trials.trial is not None else ()
        references = [OverReference(one.source, one.name) for one in kept if one.field == trace[1]]
        return [*references, *self._fields.get(trace, [])]

    def toggle(self, trace: Trace, over: Over) -> None:
        """Lay something over a trace, or take it off."""
        if isinstance(over, OverReference):
            entry = seen.LaidOver(field=trace[1], source=over.source, name=over.name)
            self._trials.change(self._trials.trial.file.with_laid_over(entry), f"{self.name(over)} laid over")
        else:
            known = self._fields.get(trace, [])
            self._fields[trace] = [one for one in known if one != over] if over in known else [*known, over]
        self.changed.emit()

    def reference(self, over: OverReference, unit: str) -> seen.ReferenceColumn | None:
        """Return a column of a reference in the unit of a field, None if it is no more."""
        found = next((one for one in self.references if one.key == (over.source, over.name)), None)
        return found.in_unit(unit) if found is not None else None

    def followed_by(self, finding: Any) -> tuple[Any, Any, str] | None:
        """Return the times of the reference that a finding follows, its values as raw numbers, and its name.

        They are where and what the number would be if it followed the reference exactly; None for other findings.
        """
        if finding.kind != "reference":
            return None
        parameters = finding.parameters
        key = parameters["file"], parameters["column"]
        column = next((one for one in self.references if one.key == key), None)
        if column is None or not parameters["gain"]:
            return None
        raw = (column.values - parameters["offset"]) / parameters["gain"]
        return column.time_ns + round(parameters["lag_s"] * 1e9), raw, column.name

    def name(self, over: Over) -> str:
        """Return what something that is laid over is called."""
        if isinstance(over, OverReference):
            return f"{over.name} of {over.source}" if over.source else f"{over.name}, read by hand"
        field = self._traces.field((over.kind, over.field_id))
        return field.name if field is not None else "?"

    def fit(self, trace: Trace, over: OverReference) -> seen.Fit | None:
        """Return how a field compares with a reference, or None and have it worked out."""
        key = trace, over
        meaning = self._reading.meaning
        if key in self._fits or key in self._asked or meaning is None:
            return self._fits.get(key)
        field = self._traces.field(trace)
        column = self.reference(over, field.unit) if field is not None else None
        if column is None:
            return None
        self._asked.add(key)

        def work(_progress: Progress) -> Any:
            frames, values = engine.field_column(meaning, *trace)
            return seen.fit(frames.time_ns, values.plot_values(), column)

        def finish(made: Any) -> None:
            if key in self._asked:
                self._fits[key] = made
                self._bear_out()
                self.changed.emit()

        self._jobs.start(f"fit {hash(key)}", "comparing with the reference", work, finish)
        return None

    def _fit_all(self) -> None:
        """Compare all fields with the references that the trial lays over them, also those nobody looks at."""
        file = self._trials.trial.file if self._trials.trial is not None else None
        meaning = self._reading.meaning
        if file is None or meaning is None or not self.references or not file.laid_over:
            return
        wanted = {one.field for one in file.laid_over}
        for kind, means in enumerate(meaning.kinds):
            for reader in means.readers:
                for field in reader.shown.once_a_frame() if wanted else ():
                    if field.id in wanted:
                        for over in self.over((kind, field.id)):
                            if isinstance(over, OverReference):
                                self.fit((kind, field.id), over)

    def _bear_out(self) -> None:
        """Let fields that agree with their reference count as proved."""
        held = {trace[1] for (trace, _over), made in self._fits.items() if made is not None and made.holds}
        self._reading.counts.bear_out(frozenset(held))

    def fit_words(self, trace: Trace, over: OverReference) -> str:
        """Say how a field compares with a reference; empty until that is known."""
        found, field = self.fit(trace, over), self._traces.field(trace)
        if found is None or field is None:
            known = (trace, over) in self._fits
            return f"{self.name(over)} has no time in common with it." if known else ""
        return found.words(self.name(over), field.unit)

    def add_reading(self, trace: Trace, time_ns: int, value: float) -> None:
        """Write down what an instrument said of a field, and lay it over."""
        field = self._traces.field(trace)
        if field is None:
            return
        file = self._trials.trial.file
        made = file.with_reading(seen.HandReading(name=field.name, time_ns=time_ns, value=value, unit=field.unit))
        if OverReference("", field.name) not in self.over(trace):
            made = made.with_laid_over(seen.LaidOver(field=trace[1], source="", name=field.name))
        self._trials.change(made, f"reading of {field.name}")

    def _on_trial(self) -> None:
        self.read(self._outcomes)
        kept = {(one.field, one.source, one.name) for one in self._trials.trial.file.laid_over}
        self._fits = {key: made for key, made in self._fits.items() if (key[0][1], *key[1]) in kept}
        self._asked &= self._fits.keys()
        self._fit_all()
        self._bear_out()
        self.changed.emit()

    def _on_meaning(self) -> None:
        self._forget_fits()
        self._fit_all()

    def _forget_fits(self) -> None:
        self._fits, self._asked = {}, set()
