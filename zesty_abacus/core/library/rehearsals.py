"""Rehearsals that a team shares: one name is one rehearsal, with every revision."""

from __future__ import annotations

from uuid import uuid4

import msgspec

from ..errors import MisuseError
from .documents import SharedRehearsal
from .history import Revision
from .store import Library


def keep_rehearsal(library: Library, name: str, text: str, *, author: str, note: str = "") -> Revision | None:
    """Keep a rehearsal under its name; another one under it takes its place, with the first in its history.

    Parameters
    ----------
    text
        Its JSON form.

    Returns
    -------
    Revision or None
        The change; None if it was so already.

    Raises
    ------
    MisuseError
        If it has no name.
    StaleParentError
        If somebody changed it at the same moment.
    """
    name = name.strip()
    if not name:
        raise MisuseError("a rehearsal that is kept has a name.")
    head = next((one for one in library.rehearsals.heads() if one.state.name == name), None)
    if head is None:
        made = SharedRehearsal(uuid4(), name, text, note)
        return library.rehearsals.commit(made, parent=None, author=author, reason=f"kept {name}")
    if (head.state.text, head.state.note) == (text, note):
        return None
    changed = msgspec.structs.replace(head.state, text=text, note=note)
    return library.rehearsals.commit(changed, parent=head.revision.id, author=author, reason=f"changed {name}")
