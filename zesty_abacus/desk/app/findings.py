"""What the bits of the open capture are, as the program finds out."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from ..widgets.parts import one_shot
from .doors import engine, found
from .jobs import Jobs
from .overlays import Overlays
from .reading import Reading
from .trials import Trials

_SETTLED_MS = 600
"""Edits come one after another; what they make of other messages can wait for the last of them."""
_TOLD_MS = 150
_FILE = "findings.json"


class Findings(QObject):
    """The findings of the open capture, of every message as soon as they are known.

    They are looked for from the first time on that somebody wants them, and again, for what it touches, whenever a
    layout, a reference or a moment changes; they are kept beside the trial for the next time.

    Attributes
    ----------
    in_hand
        The kind and the finding that is looked at, None if none is.
    lit
        Bits of the kind in hand that a finding under the pointer speaks of.
    is_looking
        Whether some are being looked for.

    Events
    ------
    changed
        Others are known.
    hand_changed, lit_changed
        Another one is looked at, or pointed at.
    told
        (tone, sentence) what became of keeping one.
    """

    changed = pyqtSignal()
    hand_changed = pyqtSignal()
    lit_changed = pyqtSignal()
    told = pyqtSignal(str, str)
    _early = pyqtSignal(object, object)

    def __init__(
        self, jobs: Jobs, reading: Reading, trials: Trials, overlays: Overlays, first: Callable[[], int | None]
    ) -> None:
        """Wait until somebody wants findings; ``first`` says which kind is looked at."""
        super().__init__()
        self._jobs, self._reading, self._trials = jobs, reading, trials
        self._overlays, self._first = overlays, first
        self._by_kind: dict[int, tuple[found.Finding, ...]] = {}
        self._last: found.Unravelled | None = None
        self._asked: Any = None
        self._is_wanted = False
        self._looks = 0
        self._looked_at = 0
        self._is_growing = False
        self._meant: dict[int, Any] = {}
        self._beside: Any = {}
        self._beside_of: Any = None
        self.in_hand: tuple[int, found.Finding] | None = None
        self.lit: frozenset[int] = frozenset()
        self.is_looking = False
        self._soon = one_shot(self, _SETTLED_MS, self._look)
        self._told_soon = one_shot(self, _TOLD_MS, self._tell)
        self._early.connect(self._on_early)
        reading.changed.connect(self._on_meaning)
        overlays.changed.connect(self._look_if_asked_otherwise)
        trials.changed.connect(self._look_if_asked_otherwise)

    def start(self) -> None:
        """Begin with another capture."""
        self._by_kind, self._last, self._asked = {}, None, None
        self._is_growing = False
        self.take(None)
        self.changed.emit()
        if self._is_wanted:
            self._soon.start()

    def grow(self) -> None:
        """Look again once twice as much has come: sooner than that it is known hardly better."""
        meaning, self._is_growing = self._reading.meaning, True
        is_busy = self.is_looking or self._soon.isActive()
        if self._is_wanted and not is_busy and meaning is not None and len(meaning.capture) >= 2 * self._looked_at:
            self._soon.start()

    def stop(self) -> None:
        """Look for nothing any more."""
        self._soon.stop()
        self._told_soon.stop()

    def want(self) -> None:
        """Say that somebody looks at them, now and from now on."""
        if not self._is_wanted:
            self._is_wanted = True
            self._look()

    # looking for them

    def _on_meaning(self) -> None:
        # what was kept leaves the list at once; what that makes of the rest comes when edits have settled
        self._drop_explained()
        if self._is_wanted:
            self._soon.start()

    def _look_if_asked_otherwise(self) -> None:
        if self._is_wanted and self._asked is not None and self._wishes() != self._asked:
            self._soon.start()

    def _wishes(self) -> tuple[int, Any]:
        """Return what they are looked for with, quickly compared: references read anew are another list."""
        return id(self._overlays.references), self._trials.trial.file.moments

    def _look(self) -> None:
        meaning = self._reading.meaning
        if meaning is None or self._trials.trial is None:
            return
        self._asked, trial = self._wishes(), self._trials.trial
        references, actions, before = self._overlays.references, _actions(self._trials.trial), self._last
        self._meant = dict(enumerate(meaning.kinds))
        self._looks += 1
        self._looked_at = len(meaning.capture)
        # what is recorded now is no recording of the trial yet: nothing that is kept beside it tells of that
        number, is_kept = self._looks, not self._is_growing
        # an edit may come before all kinds are looked at: those that are need not be looked at again then
        gathered: dict[int, Any] = {}
        self._last = found.Unravelled(meaning, (), gathered)

        def work(progress: Progress) -> Any:
            path, state = trial.folder / _FILE, _state(trial, references, actions)
            is_first = is_kept and (before is None or not before.views)
            if is_first and (kept := found.stored(path, meaning, state)) is not None:
                return kept
            made = found.unravel(
                meaning, None, references, actions, progress,
                lambda kind: self._early.emit(number, kind), self._first, before, gathered,
            )  # fmt: skip
            by_kind = {one.kind: one.findings for one in made.kinds}
            if is_kept:
                _store(path, meaning, state, by_kind)
            return by_kind

        def finish(by_kind: dict[int, tuple[found.Finding, ...]]) -> None:
            self.is_looking = False
            if self._reading.meaning is not None and self._reading.meaning.has_grown_from(meaning):
                self._by_kind = by_kind
            self._tell()

        def end() -> None:
            self.is_looking = False
            self.changed.emit()

        def fail(sentence: str) -> None:
            end()
            self.told.emit("wrong", sentence)

        self.is_looking = True
        self._jobs.start("findings", "unravelling", work, finish, fail, cancelled=end)
        self.changed.emit()

    def _on_early(self, number: int, of: found.KindFindings) -> None:
        if number == self._looks and self.is_looking:
            # what goes across messages comes at the end; until then what is known of that from before stays
            before = [one for one in self._by_kind.get(of.kind, ()) if one.kind in _ACROSS]
            self._by_kind[of.kind] = (*of.findings, *before)
            if not self._told_soon.isActive():
                # hundreds of kinds come one after another: lists are made anew a few times a second, not for each
                self._told_soon.start()

    def _tell(self) -> None:
        self._find_hand_again()
        self.changed.emit()

    def _drop_explained(self) -> None:
        meaning = self._reading.meaning
        if meaning is None:
            return
        for kind, findings in self._by_kind.items():
            # only of kinds that mean something else now
            if kind < len(meaning.kinds) and findings and self._meant.get(kind) is not meaning.kinds[kind]:
                known = found.known_of_kind(meaning, kind, meaning.capture.kind_size(kind))
                self._by_kind[kind] = tuple(one for one in findings if not found.is_explained(known, one))
        self._meant = dict(enumerate(meaning.kinds))
        self._tell()

    # what is known

    def of(self, kind: int | None) -> tuple[found.Finding, ...]:
        """Return the findings of a kind, best first, what never moves last.

        Registers that another exchange of the device carries more often are said of that; they stand here, too.
        """
        meaning = self._reading.meaning
        if kind is None or meaning is None:
            return ()
        if self._beside_of is not meaning.capture.kinds:
            self._beside_of, self._beside = meaning.capture.kinds, found.exchanges_beside(meaning.capture)
        more = found.said_beside(meaning.capture, kind, self._beside, self._by_kind) if kind in self._beside else []
        return tuple(sorted((*self._by_kind.get(kind, ()), *more), key=_rank))

    def everything(self) -> list[tuple[int, found.Finding]]:
        """Return all with the kinds they are of, those that are most worth keeping first."""
        pairs = [(kind, one) for kind, findings in self._by_kind.items() for one in findings]
        return sorted(pairs, key=lambda pair: _rank(pair[1]))

    def reward(self, kind: int) -> float:
        """Return how many moving bits of a kind would be explained by keeping what is found, as likely as that is."""
        return sum(
            len(found.bits_of(one)) * one.confidence
            for one in self.of(kind) if one.kind in found.KEPT and not one.instead_of
        )  # fmt: skip

    # looking at one

    def take(self, kind: int | None, finding: found.Finding | None = None) -> None:
        """Look at a finding of a kind."""
        self.in_hand = (kind, finding) if kind is not None and finding is not None else None
        self.hand_changed.emit()

    def light(self, bits: Iterable[int]) -> None:
        """Let some bits of the kind in hand light up."""
        lit = frozenset(bits)
        if lit != self.lit:
            self.lit = lit
            self.lit_changed.emit()

    def _find_hand_again(self) -> None:
        if self.in_hand is None:
            return
        kind, finding = self.in_hand
        if finding.kind in _ASKED_FOR:
            # it is an answer to a question, and never in this list
            return
        same = next((one for one in self.of(kind) if _alike(one, finding)), None)
        if same is not finding:
            self.take(kind if same is not None else None, same)

    def is_explained(self, kind: int, finding: found.Finding) -> bool:
        """Return whether layouts explain all bits of a finding by now."""
        meaning = self._reading.meaning
        if meaning is None or kind >= len(meaning.kinds):
            return True
        known = found.known_of_kind(meaning, kind, meaning.capture.kind_size(kind))
        return found.is_explained(known, finding)

    def witness(self, done: Callable[[found.Witness], None]) -> None:
        """Find the frames that speak for the one in hand and against it; ``done`` is told."""
        meaning = self._reading.meaning
        if meaning is None or self.in_hand is None:
            return
        (kind, finding), actions = self.in_hand, _actions(self._trials.trial)
        self._jobs.start(
            "witness", "looking for the frame", lambda _progress: found.witness(meaning, kind, finding, actions), done
        )


_ASKED_FOR = frozenset({"order", "text", "difference"})
_ACROSS = frozenset({"mirror", "period", "reaction", "reference", "pair"})


def _rank(finding: found.Finding) -> tuple[bool, bool, float]:
    return finding.kind == "constant", finding.instead_of, -finding.confidence


def _alike(one: found.Finding, other: found.Finding) -> bool:
    names = ("kind", "places", "when")
    return all(getattr(one, name) == getattr(other, name) for name in names) and found.title(one) == found.title(other)


def _state(trial: Any, references: Any, actions: Any) -> str:
    """Return a text that is another one whenever findings may be."""
    curves = [(one.source, one.name, len(one.values), float(one.values.sum())) for one in references]
    return f"{found.recorded_state(trial)}\n{curves}\n{actions}"


def _store(path: Any, meaning: Any, state: str, by_kind: Any) -> None:
    try:
        found.store(path, meaning, state, by_kind)
    except (OSError, engine.AbacusError):
        # a trial on a disk that cannot be written is looked through each time
        return


def _actions(trial: Any) -> list[found.Action]:
    """Return what was done when, as the moments of a trial say."""
    return [found.Action(one.time_ns, one.text) for one in trial.file.moments]
