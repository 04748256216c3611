"""Findings kept beside a trial, so that they are there at once the next time; used only while nothing changed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from ..errors import AbacusError
from ..files.reading import read_file
from ..files.writing import keep_file
from ..reading.kept import means_in_words
from ..reading.meaning import Meaning
from .finding import Finding

_FORM = 3
"""Counts with what questions find: findings of an older program are looked for again."""

_MOST_BYTES = 1 << 28


class _Kind(msgspec.Struct, frozen=True):
    """The findings of a kind, and by which layouts they hold."""

    lane: str
    address: int
    flags: int
    layouts: str
    findings: tuple[Finding, ...]


class _File(msgspec.Struct, frozen=True):
    form: int
    state: str
    kinds: tuple[_Kind, ...]


def store(path: Path, meaning: Meaning, state: str, findings: Mapping[int, Sequence[Finding]]) -> None:
    """Write findings.

    Parameters
    ----------
    state
        Of the recordings, and of what they were looked for with, such as references and moments: a text that is another
        one whenever any of those are.
    """
    kinds = tuple(_kind(meaning, kind, found) for kind, found in sorted(findings.items()))
    made = _File(_FORM, state, kinds)
    keep_file(path, msgspec.json.encode(made))


def stored(path: Path, meaning: Meaning, state: str) -> dict[int, tuple[Finding, ...]] | None:
    """Return the findings that still hold, by number of the kind; None if any has to be looked for again."""
    try:
        file = msgspec.json.decode(read_file(path, _MOST_BYTES), type=_File)
    except (OSError, AbacusError, msgspec.DecodeError):
        # whatever is wrong with it: it is made again
        return None
    if (file.form, file.state) != (_FORM, state):
        return None
    numbers = {
        (meaning.capture.lanes[key.lane].name, key.address, key.flags): kind
        for kind, key in enumerate(meaning.capture.kinds.keys)
    }
    found: dict[int, tuple[Finding, ...]] = {}
    for one in file.kinds:
        kind = numbers.get((one.lane, one.address, one.flags))
        if kind is None or one.layouts != means_in_words(meaning, kind):
            return None
        found[kind] = one.findings
    return found


def _kind(meaning: Meaning, kind: int, findings: Sequence[Finding]) -> _Kind:
    key = meaning.capture.kinds.keys[kind]
    lane = meaning.capture.lanes[key.lane].name
    return _Kind(lane, key.address, key.flags, means_in_words(meaning, kind), tuple(findings))
