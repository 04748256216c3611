"""Brings two changes of one trial file together: what two windows saved is in it, once."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from typing import Any, TypeVar

import msgspec

from .content import TrialFile

T = TypeVar("T")

_KEYS: dict[str, Callable[[Any], Hashable]] = {
    "sources": lambda entry: entry.path,
    "lanes": lambda entry: entry.name,
    "conditions": lambda entry: entry.name,
    "readings": lambda reading: (reading.name, reading.time_ns),
    "laid_over": lambda entry: entry,
    "limits": lambda limit: limit.key,
    "set_aside": lambda one: one.key,
    "moments": lambda moment: (moment.time_ns, moment.text),
    "references": lambda name: name,
    "ties": lambda tie: (tie.lane, tie.address, tie.flags),
}
"""What makes an entry of a list the same one on both sides."""


def merge_trials(base: TrialFile, ours: TrialFile, theirs: TrialFile) -> TrialFile:
    """Return what others saved with our change since ``base`` put on top.

    Entries of lists are brought together one by one: what one side added, changed or took out is so in the outcome;
    of what both changed, ours holds. So it is with everything else.
    """
    changed: dict[str, Any] = {}
    for name in TrialFile.__struct_fields__:
        was, now, there = (getattr(one, name) for one in (base, ours, theirs))
        if name in _KEYS:
            changed[name] = _merged(was, now, there, _KEYS[name])
        else:
            changed[name] = now if now != was else there
    return msgspec.structs.replace(
        theirs, **changed | {"moments": tuple(sorted(changed["moments"], key=lambda moment: moment.time_ns))}
    )


def _merged(base: Iterable[T], ours: Iterable[T], theirs: Iterable[T], key: Callable[[T], Hashable]) -> tuple[T, ...]:
    was, now, there = (_counted(entries, key) for entries in (base, ours, theirs))
    found: dict[Hashable, T] = {}
    for one, entry in there.items():
        if one in now:
            # ours only where we changed it
            found[one] = now[one] if now[one] != was.get(one) else entry
        elif one not in was or entry != was[one]:
            # new there, or changed there while we took it out: what was worked on stays
            found[one] = entry
    for one, entry in now.items():
        if one not in found and (one not in was or entry != was[one]):
            found[one] = entry
    if set(found) == set(now):
        # nothing but what we have: it stands where we have it, so that what is taken back returns to its place
        return tuple(found[one] for one in now)
    return tuple(found.values())


def _counted(entries: Iterable[T], key: Callable[[T], Hashable]) -> dict[Hashable, T]:
    """Return entries by key; the second of the same key is another one, as a recording that is read twice."""
    found: dict[Hashable, T] = {}
    for entry in entries:
        number = 0
        while (key(entry), number) in found:
            number += 1
        found[key(entry), number] = entry
    return found
