"""Holds findings against the truth of a made-up bus."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

from zesty_abacus.core.layouts.places import parse_places
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
    for message in bus.messages:
        if len(message.times_s) >= 10:
            _message(message, by_key[message.key], made)
    return made


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
            made.told.append(
                f"{message.key} missed {one.what} {place[0][0]}..{place[0][-1]}, page {place[1]}"
            )


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
