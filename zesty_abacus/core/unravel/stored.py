"""Findings kept beside a trial, so that they are there at once the next time; used only while nothing changed."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from ..errors import AbacusError
from ..files.reading import read_file
from ..files.writing import keep_file
from ..frames.capture import Capture
from ..layouts.json_form import layout_to_json
from ..reading.meaning import Meaning
from .finding import Finding

_FORM = 1
"""Counts with what questions find: findings of an older program are looked for again."""

_MOST_BYTES = 1 << 28
_COMPARED = 16
"""Frames of each kind, at both ends, by which a recording is known again."""


class _Kind(msgspec.Struct, frozen=True):
    """The findings of a kind, and by which layouts they hold."""

    lane: str
    address: int
    flags: int
    layouts: str
    findings: tuple[Finding, ...]


class _File(msgspec.Struct, frozen=True):
    form: int
    capture: str
    asked: str
    kinds: tuple[_Kind, ...]


def store(path: Path, meaning: Meaning, asked: str, findings: Mapping[int, Sequence[Finding]]) -> None:
    """Write findings.

    Parameters
    ----------
    asked
        What they were looked for with, such as references and moments, as a text that is another one if those are.
    """
    kinds = tuple(_kind(meaning, kind, found) for kind, found in sorted(findings.items()))
    made = _File(_FORM, _fingerprint(meaning.capture), asked, kinds)
    keep_file(path, msgspec.json.encode(made))


def stored(path: Path, meaning: Meaning, asked: str) -> dict[int, tuple[Finding, ...]] | None:
    """Return the findings that still hold, by number of the kind; None if any has to be looked for again."""
    try:
        file = msgspec.json.decode(read_file(path, _MOST_BYTES), type=_File)
    except (OSError, AbacusError, msgspec.DecodeError):
        # whatever is wrong with it: it is made again
        return None
    if (file.form, file.capture, file.asked) != (_FORM, _fingerprint(meaning.capture), asked):
        return None
    numbers = {
        (meaning.capture.lanes[key.lane].name, key.address, key.flags): kind
        for kind, key in enumerate(meaning.capture.kinds.keys)
    }
    found: dict[int, tuple[Finding, ...]] = {}
    for one in file.kinds:
        kind = numbers.get((one.lane, one.address, one.flags))
        if kind is None or one.layouts != _layouts(meaning, kind):
            return None
        found[kind] = one.findings
    return found


def _kind(meaning: Meaning, kind: int, findings: Sequence[Finding]) -> _Kind:
    key = meaning.capture.kinds.keys[kind]
    lane = meaning.capture.lanes[key.lane].name
    return _Kind(lane, key.address, key.flags, _layouts(meaning, kind), tuple(findings))


def _fingerprint(capture: Capture) -> str:
    """Return a text that is another one for other frames: counts, and the frames at both ends of each kind."""
    made = hashlib.sha256()
    for lane in capture.lanes:
        made.update(f"{lane.name} {lane.protocol}\n".encode())
    for kind, key in enumerate(capture.kinds.keys):
        count = capture.kinds.count(kind)
        made.update(f"{key.lane} {key.address} {key.flags} {count}\n".encode())
        for first in (0, max(count - _COMPARED, 0)):
            frames = capture.frames.gather(capture.kinds.rows(kind, first, min(first + _COMPARED, count)))
            made.update(frames.time_ns.tobytes())
            made.update(frames.matrix.tobytes())
    made.update(f"{capture.origin_ns} {capture.end_ns} {len(capture)}".encode())
    return made.hexdigest()


def _layouts(meaning: Meaning, kind: int) -> str:
    made = hashlib.sha256()
    for reader in meaning.kinds[kind].readers:
        made.update(layout_to_json(reader.shown))
    return made.hexdigest() if meaning.kinds[kind].readers else ""
