"""Messages whose meaning another one sets: what was last written there rules until it is written again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..layouts.places import Places, format_places
from ..progress import Progress
from .across.question import KindView
from .finding import InMessage, Said, When
from .judge import judged_on
from .questions.selectors import MOST_PAGES, Paged, paged_by
from .words import grouped

_LEAST_SETTINGS = 8
_LEAST_CHANGES = 0.3
"""Of the settings that many at least differ from the one before: a state that rarely changes sets nothing."""
_LEAST_UNDER = 4
_EXACT = frozenset({"check", "complement", "counter", "length", "count"})
"""Kinds of findings that hold whatever a setting is."""


@dataclass(frozen=True, slots=True, eq=False)
class _Setting:
    """A message that says one of a few things.

    Attributes
    ----------
    bits
        That tell what it says, most significant first.
    raw : int64 (n,)
        Of each of its frames.
    """

    view: KindView
    bits: tuple[int, ...]
    raw: NDArray[np.int64]

    def at(self, time_ns: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return what was set last at some times, -1 before anything was; int64 (n,)."""
        last = np.searchsorted(self.view.thin.time_ns, time_ns, "left") - 1
        return np.where(last >= 0, self.raw[np.maximum(last, 0)], -1)


def with_held(views: Mapping[int, KindView], progress: Progress) -> dict[int, KindView]:
    """Return the views in which messages that others set are divided by what was set, and these say that they do."""
    made = dict(views)
    settings = [one for view in views.values() if (one := _setting(view)) is not None]
    for kind, view in views.items():
        progress.check()
        if not _may_be_set(view):
            continue
        choices = [(one, paged) for one in settings if one.view.lane == view.lane and one.view is not view
                   and (paged := _paged(view, one)) is not None]  # fmt: skip
        if choices:
            setting, paged = min(choices, key=lambda choice: choice[1].within / max(choice[1].flips, 1))
            made[kind] = replace(view, said=_said_under(view, setting, paged))
            made[setting.view.kind] = replace(made[setting.view.kind], said=_said_of(made, setting, paged))
    return made


def _setting(view: KindView) -> _Setting | None:
    seen = view.thin
    # of what is thinned nobody knows what was set last
    if not _LEAST_SETTINGS <= len(seen) == len(view.time_ns) or not 1 <= (moving := seen.moves).sum() <= 16:
        return None
    low, high = int(np.flatnonzero(moving)[0]), int(np.flatnonzero(moving)[-1])
    same_byte = low // 8 == high // 8
    bits = tuple(range(high, low - 1, -1)) if same_byte else tuple(np.flatnonzero(moving)[::-1].tolist())
    raw = seen.raw(bits)
    changes = np.count_nonzero(raw[1:] != raw[:-1])
    if not 2 <= len(np.unique(raw)) <= MOST_PAGES or changes < _LEAST_CHANGES * (len(raw) - 1):
        return None
    return _Setting(view, bits, raw)


def _may_be_set(view: KindView) -> bool:
    is_divided = any(one.kind == "selector" or one.takes for one in view.said)
    return not is_divided and len(view.thin) >= 12 and int((view.thin.moves & _free(view)).sum()) >= _LEAST_UNDER


def _paged(view: KindView, setting: _Setting) -> Paged | None:
    raw = setting.at(view.thin.time_ns)
    values, counts = np.unique(raw, return_counts=True)
    if len(values) < 2 or counts.min() < 2:
        return None
    return paged_by(view.thin, _free(view), raw, setting.bits)


def _free(view: KindView) -> NDArray[np.bool_]:
    """Return the bits of which something is said that may be otherwise under a setting: none that layouts explain."""
    free = np.zeros(view.thin.size * 8, np.bool_)
    for one in view.said:
        if one.kind not in _EXACT:
            free[[bit for bit in one.bits if bit < len(free)]] = True
    return free


def _said_under(view: KindView, setting: _Setting, paged: Paged) -> tuple[Said, ...]:
    raw = setting.at(view.thin.time_ns)
    by = InMessage(setting.view.lane, setting.view.address, setting.view.flags)
    places = format_places(Places(setting.bits))
    pages = [(raw == value, When(places, str(value), by)) for value in np.unique(raw).tolist() if value >= 0]
    kept = [one for one in view.said if one.kind in _EXACT]
    return (*kept, *judged_on(view.thin, _free(view), paged.under, pages))


def _said_of(views: Mapping[int, KindView], setting: _Setting, paged: Paged) -> tuple[Said, ...]:
    before = views[setting.view.kind].said
    is_open = {bit for one in before if one.kind != "selector" for bit in one.bits}.issuperset(setting.bits)
    if not is_open:
        # it is said already, or a layout explains what is set
        return before
    others = [one for one in before if not set(one.bits) & set(setting.bits)]
    share = paged.within / max(paged.flips, 1)
    reason = (
        f"What it says last sets another message, of which {grouped(int(paged.under.sum()))} bits flip "
        f"{grouped(paged.flips)} times from frame to frame, but only {grouped(paged.within)} times between frames that "
        f"come after the same setting."
    )
    values = np.unique(setting.raw).tolist()
    return (
        Said(kind="selector", bits=setting.bits, parameters={"values": values, "holds": True}, reason=reason,
             frames=len(setting.raw), confidence=float(np.clip(1.0 - share / 2, 0.5, 0.95))),
        *others,
    )  # fmt: skip
