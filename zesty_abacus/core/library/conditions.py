"""Conditions that a team shares: one name is one condition."""

from __future__ import annotations

from uuid import uuid4

import msgspec

from ..errors import MisuseError
from .documents import SharedCondition
from .history import Revision
from .store import Library


def share_condition(library: Library, name: str, text: str, *, author: str, note: str = "") -> Revision | None:
    """Keep a condition under a name; another one under it takes its place, with the first in its history.

    Returns
    -------
    Revision or None
        The change; None if it was so already.

    Raises
    ------
    MisuseError
        If name or condition is empty.
    StaleParentError
        If somebody changed it at the same moment.
    """
    name, text = name.strip(), text.strip()
    if not name or not text:
        raise MisuseError("a condition to share has a name and says something.", hint="Write NAME=CONDITION.")
    head = next((one for one in library.conditions.heads() if one.state.name == name), None)
    if head is None:
        made = SharedCondition(uuid4(), name, text, note)
        return library.conditions.commit(made, parent=None, author=author, reason=f"shared {name}")
    if (head.state.text, note or head.state.note) == (text, head.state.note):
        return None
    changed = msgspec.structs.replace(head.state, text=text, note=note or head.state.note)
    return library.conditions.commit(changed, parent=head.revision.id, author=author, reason=f"changed {name}")
