"""Checks that several messages of a lane have, each with a key of its own: told of each that they belong together."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from msgspec.structs import replace as changed

from .across.question import KindView
from .finding import Said
from .words import count_of

_KEYS = ("key_before", "key_after")
_MOST_NAMED = 4
_SURER = 0.3
"""By how much of what is left several messages with one check make each of them surer."""


def with_common_checks(views: Mapping[int, KindView]) -> dict[int, KindView]:
    """Return the views in which checks with keys say where else the same check holds, and with which keys."""
    alike: dict[tuple[str, str], list[tuple[int, Said]]] = defaultdict(list)
    for kind, view in views.items():
        for one in view.said:
            if one.kind == "check" and _key_of(one):
                alike[view.lane, _form_of(one)].append((kind, one))
    made = dict(views)
    for together in alike.values():
        for kind, one in together if len(together) > 1 else ():
            others = [(views[other], said) for other, said in together if other != kind]
            told = changed(one, reason=one.reason + _words(one, others), confidence=_surer(one))
            made[kind] = replace(made[kind], said=tuple(told if said is one else said for said in made[kind].said))
    return made


def _coverage_of(one: Said) -> dict[str, Any]:
    return dict(one.parameters.get("coverage", {}))


def _key_of(one: Said) -> str:
    coverage = _coverage_of(one)
    return next((str(coverage[name]) for name in _KEYS if coverage.get(name)), "")


def _form_of(one: Said) -> str:
    """Return all that a check is but its key, and how far it reaches: messages differ in length."""
    coverage = _coverage_of(one)
    where = next(name for name in _KEYS if coverage.get(name))
    return json.dumps({**one.parameters, "coverage": where}, sort_keys=True)


def _words(one: Said, others: Sequence[tuple[KindView, Said]]) -> str:
    if all(_key_of(said) == _key_of(one) for _, said in others):
        return f" The same check with the same key holds in {count_of(len(others), 'other message')} of this lane."
    named = [f"0x{view.address:X} with {_key_of(said)}" for view, said in others[:_MOST_NAMED]]
    if len(others) > _MOST_NAMED:
        named.append(f"{len(others) - _MOST_NAMED} more")
    return f" The same check holds in other messages of this lane, each with a key of its own: {', '.join(named)}."


def _surer(one: Said) -> float:
    return one.confidence + _SURER * (1 - one.confidence)
