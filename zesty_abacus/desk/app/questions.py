"""The questions that a person asks of the bits: a known value, a reference, an action, two stretches."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from .clock import Clock
from .doors import found, seen
from .findings import Findings
from .jobs import Jobs
from .reading import Reading
from .trials import Trials

Pair = tuple[int, "found.Finding"]


class Questions(QObject):
    """What is asked, and the answers, as findings.

    Attributes
    ----------
    sightings
        Values that are known, with the times at which they were seen.
    stretches
        The two that are compared, by their names ``A`` and ``B``.
    values, unlike
        The answers: places that have all values, and what tells the stretches apart; None until something is asked.

    Events
    ------
    changed
        Something else is asked, or answered.
    told
        (sentence) what is wrong with a question.
    """

    changed = pyqtSignal()
    told = pyqtSignal(str)

    def __init__(self, jobs: Jobs, reading: Reading, trials: Trials, clock: Clock, findings: Findings) -> None:
        super().__init__()
        self._jobs, self._reading, self._trials, self._clock = jobs, reading, trials, clock
        self._findings = findings
        self.sightings: list[found.Sighting] = []
        self._asked_of: set[int] = set()
        self.stretches: dict[str, tuple[int, int]] = {}
        self.values: list[Pair] | None = None
        self.unlike: list[Pair] | None = None
        # before any view lists them
        findings.changed.connect(self._on_findings)

    def start(self) -> None:
        """Begin with another capture."""
        self.sightings, self.stretches, self._asked_of = [], {}, set()
        self.values = self.unlike = None
        self.changed.emit()

    def _on_findings(self) -> None:
        if self.values:
            # what was kept is no answer any more; what tells two stretches apart may well be a known field
            self.values = [pair for pair in self.values if not self._findings.is_explained(*pair)]

    # a known value

    def add_value(self, text: str, kinds: list[int]) -> None:
        """Say that a value was there at the cursor, and look for places of these kinds that have all of them.

        What was said of another message is forgotten.
        """
        meaning = self._reading.meaning
        if meaning is None or not text.strip():
            return
        of_the_same = set(kinds) <= self._asked_of or self._asked_of <= set(kinds)
        before = self.sightings if of_the_same else []
        sightings = [*before, found.Sighting(self._clock.cursor_ns, text.strip())]

        def work(progress: Progress) -> Any:
            return found.places_of_value(meaning, kinds, sightings, progress)

        def finish(answers: list[Pair]) -> None:
            self.sightings, self.values, self._asked_of = sightings, answers, set(kinds)
            self.changed.emit()

        self._jobs.start("known value", "looking for the value", work, finish, self.told.emit)

    def forget_values(self) -> None:
        """Ask anew."""
        self.sightings, self.values, self._asked_of = [], None, set()
        self.changed.emit()

    # a reference

    def add_reading(self, name: str, value: float, unit: str) -> None:
        """Write down what an instrument said at the cursor."""
        file = self._trials.trial.file
        reading = seen.HandReading(name=name, time_ns=self._clock.cursor_ns, value=value, unit=unit)
        self._trials.change(file.with_reading(reading), f"reading of {name}")

    def following(self, key: tuple[str, str]) -> list[Pair]:
        """Return what follows a column of a reference, the best first."""
        pairs = [
            pair for pair in self._findings.everything()
            if pair[1].kind == "reference" and (pair[1].parameters["file"], pair[1].parameters["column"]) == key
        ]  # fmt: skip
        return sorted(pairs, key=lambda pair: float(pair[1].parameters["error"]))

    # an action

    def answering(self, text: str) -> list[Pair]:
        """Return what answers the moments of a text; an empty text is any of them."""
        pairs = [
            pair for pair in self._findings.everything()
            if pair[1].kind == "reaction" and text in ("", pair[1].parameters["moment"])
        ]  # fmt: skip
        return sorted(pairs, key=lambda pair: (pair[1].parameters["moment"], -pair[1].confidence))

    # two stretches

    def take_stretch(self, name: str, first_ns: int, last_ns: int) -> None:
        """Let one of the two be a time; compare once both are there."""
        self.stretches[name] = (first_ns, last_ns)
        self.unlike = None
        meaning = self._reading.meaning
        if meaning is not None and len(self.stretches) > 1:
            stretches = [found.Stretch(one, *span) for one, span in sorted(self.stretches.items())]

            def finish(answers: list[Pair]) -> None:
                self.unlike = answers
                self.changed.emit()

            self._jobs.start(
                "differences", "comparing two stretches",
                lambda progress: found.differences(meaning, stretches, progress), finish, self.told.emit,
            )  # fmt: skip
        self.changed.emit()
