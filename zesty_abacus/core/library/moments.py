"""Catalogues of moments: the words a team has agreed on, so that a search finds them in every recording."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import uuid4

import msgspec

from .documents import MomentsCatalogue, NamedMoment
from .history import Revision
from .store import Library

USUAL = "moments"
"""Name of the catalogue that is used where none is named."""


def add_moments(library: Library, fresh: Iterable[NamedMoment], *, author: str, name: str = USUAL) -> Revision | None:
    """Put words into a catalogue, which is made if there is none; a meaning takes the place of an earlier one.

    Returns
    -------
    Revision or None
        The change; None if all was there already.

    Raises
    ------
    StaleParentError
        If somebody changed the catalogue at the same moment.
    """
    head = next((one for one in library.moments.heads() if one.state.name == name), None)
    known = {one.text: one for one in head.state.moments} if head is not None else {}
    new = [one for one in fresh if one.text and known.get(one.text) != one and (one.meaning or one.text not in known)]
    if not new:
        return None
    state = head.state if head is not None else MomentsCatalogue(uuid4(), name)
    moments = tuple((known | {one.text: one for one in new}).values())
    reason = f"added {', '.join(one.text for one in new)}"
    parent = head.revision.id if head is not None else None
    return library.moments.commit(
        msgspec.structs.replace(state, moments=moments), parent=parent, author=author, reason=reason
    )


def parse_moment(text: str) -> NamedMoment:
    """Read ``words`` or ``words = meaning``."""
    words, _, meaning = text.partition("=")
    return NamedMoment(words.strip(), meaning.strip())
