"""Holds findings against the truth of a made-up bus."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

from zesty_abacus.core.layouts.places import Places, format_places, parse_places
from zesty_abacus.core.unravel.finding import Finding

from .bus import Bus
from .truth import Key, TrueField, TrueMessage

_READINGS = {"number": {"unsigned"}, "signed": {"signed"}, "state": {"names"}, "flag": {"flag"}, "float": {"float"}}


@dataclass(slots=True)
class Score:
    """How many of what there is were found, and how many that were found are there.

    Attributes
    ----------
    right, missed, wrong
        By what it is about.
    sure
        Findings that are true and false, by confidence in tenths.
    """

    right: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    missed: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    wrong: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    sure: dict[int, list[int]] = field(default_factory=lambda: defaultdict(lambda: [0, 0]))
    told: list[str] = field(default_factory=list)

    def f1(self, what: str) -> float:
        """Return the harmonic mean of precision and recall."""
        right = self.right[what]
        return 2 * right / max(2 * right + self.missed[what] + self.wrong[what], 1)

    def recall(self, what: str) -> float:
        """Return the share of what there is that was found."""
        return self.right[what] / max(self.right[what] + self.missed[what], 1)


def score(bus: Bus, findings: Iterable[Finding], into: Score | None = None) -> Score:
    """Add how findings of one bus hold against its truth."""
    made = into or Score()
    by_key: dict[Key, list[Finding]] = defaultdict(list)
    for one in findings:
        by_key[one.lane, one.address, int("extended" in one.flags)].append(one)
    by_place: dict[tuple[Key, str], TrueField] = {}
    for message in bus.messages:
        if len(message.times_s) >= 10:
            _message(message, by_key[message.key], made)
        for one in message.fields:
            if moving := message.moving(one):
                by_place[message.key, format_places(Places(moving))] = one
    _mirrors(by_key, by_place, made)
    return made


def _mirrors(by_key: dict[Key, list[Finding]], by_place: dict[tuple[Key, str], TrueField], made: Score) -> None:
    """Add which fields were found elsewhere, of those that are there more than once."""
    signals = [one.signal for one in by_place.values() if one.signal and one.page is None]
    found: set[tuple[Key, str]] = set()
    for key, findings in by_key.items():
        for one in findings:
            if one.kind != "mirror":
                continue
            of = one.parameters["of"]
            other = (of["lane"], of["address"], int("extended" in of["flags"])), of["places"]
            mine = by_place.get((key, one.places))
            theirs = by_place.get(other)
            if mine is None or theirs is None:
                # what was divided wrongly is counted as such already
                continue
            true = mine.signal == theirs.signal
            made.sure[int(one.confidence * 10)][0 if true else 1] += 1
            (made.right if true else made.wrong)["mirror"] += 1
            found.add((key, one.places))
            if not true:
                made.told.append(f"{key} wrong mirror {one.places} {mine.signal} of {theirs.signal}: {one.reason}")
    for place, one in by_place.items():
        if one.page is None and one.signal and signals.count(one.signal) > 1 and place not in found:
            made.missed["mirror"] += 1


def _page(message: TrueMessage, one: Finding) -> int | None:
    return int(one.when[-1].values) if one.when else None


def _message(message: TrueMessage, findings: list[Finding], made: Score) -> None:
    own = [one for one in findings if not one.instead_of]
    for kind in ("counter", "check", "selector"):
        _exact(message, kind, [one for one in own if one.kind == kind], made)
    truth: dict[tuple[tuple[int, ...], int | None], TrueField] = {}
    for one in message.fields:
        if one.what not in ("counter", "check", "selector") and (moving := message.moving(one)):
            truth[moving, message.page_value(one)] = one
    found = {(parse_places(one.places).bits, _page(message, one)): one for one in own if one.kind == "field"}
    for place, finding in found.items():
        true = place in truth
        made.sure[int(finding.confidence * 10)][0 if true else 1] += 1
        if not true:
            made.wrong["field"] += 1
            made.told.append(
                f"{message.key} wrong {finding.places} {finding.when and finding.when[0].values} {finding.confidence}"
            )
            continue
        made.right["field"] += 1
        reading = str(finding.parameters["reading"])
        fits = reading in _READINGS[truth[place].what]
        (made.right if fits else made.missed)["reading"] += 1
        if not fits and truth[place].what != "signed":
            made.told.append(
                f"{message.key} {finding.places} is {truth[place].what}, read as {reading}: {finding.reason}"
            )
    for place, one in truth.items():
        if place not in found:
            made.missed["field"] += 1
            made.told.append(f"{message.key} missed {one.what} {place[0][0]}..{place[0][-1]}, page {place[1]}")


def _exact(message: TrueMessage, kind: str, findings: list[Finding], made: Score) -> None:
    truth = {message.moving(one) if kind == "selector" else one.bits: one for one in message.fields if one.what == kind}
    if kind == "counter":
        truth = {message.moving(one): one for one in truth.values()}
    found = {parse_places(one.places).bits: one for one in findings}
    for bits, finding in found.items():
        true = bits in truth
        made.sure[int(finding.confidence * 10)][0 if true else 1] += 1
        made.right[kind] += int(true)
        if not true:
            made.wrong[kind] += 1
            made.told.append(f"{message.key} wrong {kind} {finding.places} {finding.parameters}")
        elif kind == "check" and "polynomial" in truth[bits].parameters:
            same = truth[bits].parameters["polynomial"] == finding.parameters.get("polynomial")
            (made.right if same else made.missed)["polynomial"] += 1
    for bits, one in truth.items():
        if bits not in found:
            made.missed[kind] += 1
            made.told.append(f"{message.key} n={len(message.times_s)} missed {kind} {bits[:1]} {one.parameters}")
