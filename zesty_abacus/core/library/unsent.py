"""Edits that wait on this machine for a library that does not answer."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Sequence
from pathlib import Path
from uuid import UUID

import msgspec

from ..errors import AbacusError
from ..layouts.json_form import from_plain, to_plain
from ..layouts.model import Layout


class WaitingEdit(msgspec.Struct, frozen=True):
    """One edit: a layout before and after, as JSON, None where it did not exist; whether it is for a draft."""

    layout_id: UUID
    before: object
    after: object
    reason: str
    draft: bool = False


Waiting = tuple[UUID, Layout | None, Layout | None, str, bool]
"""Layout, before, after, reason, whether for a draft."""


def unsent_path(folder: Path, library: str) -> Path:
    """Return where edits of a library wait; a library's address may hold anything."""
    return folder / f"{hashlib.sha256(library.encode()).hexdigest()[:24]}.json"


def keep_waiting(path: Path, edits: Sequence[Waiting]) -> None:
    """Write what waits, whole or not at all; a folder that cannot be written leaves it in memory only."""
    with contextlib.suppress(OSError):
        if not edits:
            path.unlink(missing_ok=True)
            return
        plain = [WaitingEdit(key, _plain(before), _plain(after), reason, draft)
                 for key, before, after, reason, draft in edits]  # fmt: skip
        path.parent.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(".part")
        part.write_bytes(msgspec.json.encode(plain))
        part.replace(path)


def read_waiting(path: Path) -> list[Waiting]:
    """Return what waits; a missing or damaged file holds nothing."""
    try:
        known = msgspec.json.decode(path.read_bytes(), type=list[WaitingEdit])
        return [(one.layout_id, _layout(one.before), _layout(one.after), one.reason, one.draft) for one in known]
    except (OSError, msgspec.DecodeError, AbacusError):
        return []


def _plain(layout: Layout | None) -> object:
    return None if layout is None else to_plain(layout)


def _layout(plain: object) -> Layout | None:
    return None if plain is None else from_plain(plain, Layout)
