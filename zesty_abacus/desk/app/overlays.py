"""What is laid over the traces: other fields, and what instruments said; and how well that agrees."""

from __future__ import annotations

from typing import Any, NamedTuple
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from .doors import seen
from .jobs import Jobs
from .kind_store import KindStore
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

    def __init__(self, jobs: Jobs, reading: Reading, trials: Trials, store: KindStore, traces: Traces) -> None:
        super().__init__()
        self._jobs, self._reading, self._trials, self._store, self._traces = jobs, reading, trials, store, traces
        self._over: dict[Trace, list[Over]] = {}
        self._fits: dict[Any, Any] = {}
        self._asked: set[Any] = set()
        self._of: Any = None
        self._outcomes: list[Any] = []
        self.references: list[seen.ReferenceColumn] = []
        trials.changed.connect(lambda: self.read(self._outcomes))
        reading.changed.connect(self._forget_fits)

    def begin(self, outcomes: list[Any]) -> None:
        """Begin with another capture."""
        self._over, self._of = {}, None
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
            self.changed.emit()

        if not any(of[1:]):
            self.references = []
            return
        self._jobs.start("references", "reading references", work, finish)

    def over(self, trace: Trace) -> list[Over]:
        """Return what is laid over a trace."""
        return self._over.get(trace, [])

    def toggle(self, trace: Trace, over: Over) -> None:
        """Lay something over a trace, or take it off."""
        known = self.over(trace)
        self._over[trace] = [one for one in known if one != over] if over in known else [*known, over]
        self.changed.emit()

    def reference(self, over: OverReference, unit: str) -> seen.ReferenceColumn | None:
        """Return a column of a reference in the unit of a field, None if it is no more."""
        found = next((one for one in self.references if one.key == (over.source, over.name)), None)
        return found.in_unit(unit) if found is not None else None

    def name(self, over: Over) -> str:
        """Return what something that is laid over is called."""
        if isinstance(over, OverReference):
            return f"{over.name} of {over.source}" if over.source else f"{over.name}, read by hand"
        field = self._traces.field((over.kind, over.field_id))
        return field.name if field is not None else "?"

    def fit(self, trace: Trace, over: OverReference) -> seen.Fit | None:
        """Return how a field compares with a reference, or None and have it worked out."""
        key = trace, over
        if key in self._fits or key in self._asked:
            return self._fits.get(key)
        layout, field = self._reading.layout_with(*trace), self._traces.field(trace)
        found = self._store.curve(trace[0], layout, trace[1]) if layout is not None else None
        column = self.reference(over, field.unit) if field is not None else None
        if found is None or column is None:
            return None
        curve = found[1]
        self._asked.add(key)

        def finish(made: Any) -> None:
            if key in self._asked:
                self._fits[key] = made
                self.changed.emit()

        self._jobs.start(
            f"fit {hash(key)}", "comparing with the reference",
            lambda _progress: seen.fit(curve.time_ns, curve.values, column), finish,
        )  # fmt: skip
        return None

    def fit_words(self, trace: Trace, over: OverReference) -> str:
        """Say how a field compares with a reference; empty until that is known."""
        found, field = self.fit(trace, over), self._traces.field(trace)
        if found is None or field is None:
            known = (trace, over) in self._fits
            return f"{self.name(over)} has no time in common with it." if known else ""
        return found.words(self.name(over), field.unit)

    def add_reading(self, name: str, time_ns: int, value: float, unit: str) -> None:
        """Write down what an instrument said."""
        reading = seen.HandReading(name=name, time_ns=time_ns, value=value, unit=unit)
        self._trials.change(self._trials.trial.file.with_reading(reading), f"reading of {name}")

    def _forget_fits(self) -> None:
        self._fits, self._asked = {}, set()
