"""What may be asked of a made-up bus: instruments that saw its signals, some that saw others, and its moments."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from zesty_abacus.core.layouts.places import Places, format_places
from zesty_abacus.core.unravel.across.question import Action
from zesty_abacus.core.unravel.finding import Finding
from zesty_abacus.core.values.reference import ReferenceColumn

from .bus import BEGIN_S, Bus
from .score import Score
from .signals import quantity
from .truth import Key, TrueField, TrueMessage

_GAIN, _OFFSET = 1.8, 32.0
_NOISES, _LAGS = (0.0, 0.01, 0.03), (0.0, 0.2, 0.6, 1.5)
_REFERENCES, _DECOYS = 8, 4
_LAG_WITHIN_S = 0.25


@dataclass(frozen=True, slots=True)
class TrueReference:
    """How an instrument saw a signal.

    Attributes
    ----------
    lag_s
        By how much it was earlier than the signal.
    noise
        As a share of its range.
    """

    lag_s: float
    noise: float


def actions_of(bus: Bus) -> list[Action]:
    """Return what was done when."""
    return [Action(BEGIN_S * 1_000_000_000 + round(at * 1e9), text) for at, text in bus.moments]


def references_of(bus: Bus, seed: int) -> tuple[list[ReferenceColumn], dict[str, TrueReference]]:
    """Return columns of a table, some of which nothing on the bus follows, and how the others came about."""
    random = np.random.default_rng(seed)
    times = np.arange(0.5, bus.seconds - 0.5, 0.1)
    columns, truth = [], {}
    for number, name in enumerate(sorted(_carried(bus))[:_REFERENCES]):
        how = TrueReference(_LAGS[number % len(_LAGS)], _NOISES[number % len(_NOISES)])
        values = bus.signals[name].at(times, random) * _GAIN + _OFFSET
        values += random.normal(0, 1, len(times)) * how.noise * np.ptp(values)
        columns.append(_column(name, times - how.lag_s, values))
        truth[name] = how
    for number in range(_DECOYS):
        decoy = quantity(f"decoy {number}", bus.seconds, random)
        columns.append(_column(decoy.name, times, decoy.at(times, random)))
    return columns, truth


def _column(name: str, times_s: np.ndarray, values: np.ndarray) -> ReferenceColumn:
    times = BEGIN_S * 1_000_000_000 + np.round(times_s * 1e9).astype(np.int64)
    return ReferenceColumn("bridge.csv", name, "", times, values)


def _carried(bus: Bus) -> dict[str, list[tuple[TrueMessage, TrueField]]]:
    """Return the fields that carry each quantity in every frame."""
    found: dict[str, list[tuple[TrueMessage, TrueField]]] = defaultdict(list)
    for message in bus.messages:
        for one in message.fields:
            if one.signal.startswith("quantity") and one.page is None and message.moving(one):
                found[one.signal].append((message, one))
    return found


def _place(message: TrueMessage, one: TrueField) -> str:
    return format_places(Places(message.moving(one)))


def _by_key(findings: Iterable[Finding], kind: str) -> list[tuple[Key, Finding]]:
    return [((one.lane, one.address, int("extended" in one.flags)), one) for one in findings if one.kind == kind]


def score_reactions(bus: Bus, findings: Iterable[Finding], made: Score) -> None:
    """Add which switches were found to answer their moments, as ``reaction``."""
    truth = {
        (message.key, _place(message, one)): one.signal.removeprefix("switch ")
        for message in bus.messages for one in message.fields
        if one.signal.startswith("switch") and one.page is None and message.moving(one)
    }  # fmt: skip
    found = {(key, one.places): one for key, one in _by_key(findings, "reaction")}
    for place, one in found.items():
        true = truth.get(place) == one.parameters["moment"]
        made.sure[int(one.confidence * 10)][0 if true else 1] += 1
        (made.right if true else made.wrong)["reaction"] += 1
    for place, text in truth.items():
        if place not in found:
            made.missed["reaction"] += 1
            made.told.append(f"{place} missed reaction to {text}")


def score_references(bus: Bus, truth: dict[str, TrueReference], findings: Iterable[Finding], made: Score) -> None:
    """Add which fields were found to follow which instrument, with their scale and lag, as ``reference``.

    A scale is right within 1 %, or 5 % of a noisy instrument; a lag within a quarter of a second. What is said to
    follow an instrument that saw nothing of this bus counts as ``decoy``.
    """
    carried = [
        (message, one) for message in bus.messages for one in message.fields
        if one.signal.startswith("quantity") and message.moving(one)
    ]  # fmt: skip
    places = {
        (message.key, _place(message, one), message.page_value(one)): (message, one) for message, one in carried
    }  # fmt: skip
    found = set()
    for key, one in _by_key(findings, "reference"):
        page = int(one.when[-1].values) if one.when else None
        name, place = str(one.parameters["column"]), (key, one.places, page)
        message, field = places.get(place, (None, None))
        true = name in truth and message is not None and field is not None and field.signal == name
        made.sure[int(one.confidence * 10)][0 if true else 1] += 1
        if not true or message is None or field is None:
            made.wrong["decoy" if name not in truth else "reference"] += 1
            made.told.append(f"{place} wrong reference {name}: {one.reason}")
            continue
        found.add((place, name))
        gain, lag = _GAIN / field.scale, truth[name].lag_s + message.lag_s
        within = abs(gain) * (0.05 if truth[name].noise else 0.01)
        fits = abs(one.parameters["gain"] - gain) <= within and abs(one.parameters["lag_s"] - lag) <= _LAG_WITHIN_S
        made.right["reference"] += 1
        (made.right if fits else made.missed)["scale and lag"] += 1
    for place, (_message, field) in places.items():
        # of what is on pages only what was found is counted: some pages come too seldom to follow anything
        if field.page is None and field.signal in truth and (place, field.signal) not in found:
            made.missed["reference"] += 1
            made.told.append(f"{place} missed reference {field.signal}")
