"""A part of a library goes along with recordings: a library of its own that knows where it came from.

What goes along is a working copy: its home takes back what was worked out in it, thing by thing. A copy without notes
or without the names of people is none, since its home would lose what was left out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, TypeVar
from uuid import UUID

import msgspec

from ..layouts.model import Carried, Layout, Part
from .shelf import Head, Shelf
from .store import Library
from .sync import remember

_NOBODY = "packed"
_SHELVES = ("recipes", "conditions", "moments", "rehearsals", "claims", "comments")
Thing = TypeVar("Thing")


@dataclass(frozen=True, slots=True)
class Along:
    """What is to go along.

    Attributes
    ----------
    release
        The release whose states are decoded with; empty for the newest ones.
    messages
        Names of the messages; None is all. Claims and comments about others stay.
    notes
        Whether notes go along.
    people
        Whether the names of people do, and what they said about things.
    """

    release: str = ""
    messages: frozenset[str] | None = None
    notes: bool = True
    people: bool = True

    @property
    def is_working_copy(self) -> bool:
        """Whether its home can take it back."""
        return self.notes and self.people


@dataclass(slots=True)
class _Taking:
    """Puts things into the new library and remembers which revision of the home each one is."""

    home: Library
    copy: Library
    along: Along
    met: list[tuple[UUID, int, int]] = field(default_factory=list)

    def author(self, head: Head[Any]) -> str:
        return head.revision.author if self.along.people else _NOBODY

    def commit(self, shelf: Shelf[Any], state: Any, parent: int | None, head: Head[Any]) -> int:
        reason = head.revision.reason if self.along.people else "taken along"
        return shelf.commit(state, parent=parent, author=self.author(head), reason=reason or "taken along").id


def take_along(home: Library, copy: Library, along: Along, check: Callable[[], None] = lambda: None) -> int:
    """Put a part of a library into a new one and return how many messages went along.

    Parameters
    ----------
    copy
        An empty library.
    check
        Called again and again; what it raises ends the work.

    Raises
    ------
    LibraryError
        If there is no such release, or one of the two does not take part.
    """
    taking = _Taking(home, copy, along)
    layouts = _layouts(taking, check)
    for name in _SHELVES:
        if name == "comments" and not along.people:
            continue
        shelf = getattr(home, name)
        for head in shelf.heads():
            check()
            if _goes_along(head.state, name, layouts):
                state = _without_notes(head.state) if not along.notes else head.state
                own = taking.commit(getattr(copy, name), state, None, head)
                taking.met.append((head.state.id, own, head.revision.id))
    if along.is_working_copy:
        remember(copy, home.id, taking.met)
    return len(layouts)


def _layouts(taking: _Taking, check: Callable[[], None]) -> set[UUID]:
    """Put the layouts in: those of the release first, under its name, then what is newer."""
    along, home, copy = taking.along, taking.home, taking.copy
    heads = {head.state.id: head for head in home.layouts.heads()}
    released = {layout.id: layout for layout in home.layouts.of_release(along.release)} if along.release else {}
    wanted = {key for key, state in {**{k: h.state for k, h in heads.items()}, **released}.items()
              if along.messages is None or state.name in along.messages}  # fmt: skip
    wanted |= _carried_by(wanted, [*released.values(), *(head.state for head in heads.values())])
    parents: dict[UUID, int] = {}
    for key in sorted(wanted & set(released)):
        check()
        head = heads.get(key)
        author = taking.author(head) if head is not None else _NOBODY
        state = _told(released[key], along)
        reason = f"release {along.release}"
        parents[key] = copy.layouts.commit(state, parent=None, author=author, reason=reason).id
    if along.release:
        copy.releases.make(along.release, author=_NOBODY, notes=f"from {home.name}")
    for key in sorted(wanted & set(heads)):
        check()
        head = heads[key]
        state = _told(head.state, along)
        if key not in parents or state != _told(released[key], along):
            parents[key] = taking.commit(copy.layouts, state, parents.get(key), head)
        taking.met.append((key, parents[key], head.revision.id))
    return wanted


def _carried_by(wanted: set[UUID], states: Iterable[Layout]) -> set[UUID]:
    """Return the layouts that others carry: they cannot be read without."""
    carries = {state.id: _carried_in(state.parts) for state in states}
    found: set[UUID] = set()
    look = set(wanted)
    while look:
        more = {other for key in look for other in carries.get(key, ())} - found - wanted
        found |= more
        look = more
    return found


def _carried_in(parts: tuple[Part, ...]) -> set[UUID]:
    found = {part.layout for part in parts if isinstance(part, Carried)}

    def look(inner: tuple[Part, ...]) -> tuple[Part, ...]:
        found.update(_carried_in(inner))
        return inner

    for part in parts:
        part.with_parts_inside(look)
    return found


def _goes_along(state: Any, shelf: str, layouts: set[UUID]) -> bool:
    about = getattr(state, "layout", None) if shelf == "claims" else getattr(state, "about", None)
    return shelf not in ("claims", "comments") or about is None or about in layouts


def _told(layout: Layout, along: Along) -> Layout:
    return layout if along.notes else _without_notes(layout)


def _without_notes(thing: Thing) -> Thing:
    """Return a thing with all notes in it empty, those of what it is made of, too."""
    if isinstance(thing, msgspec.Struct):
        told = {name: _without_notes(getattr(thing, name)) for name in thing.__struct_fields__ if name != "note"}
        if "note" in thing.__struct_fields__:
            told["note"] = ""
        return msgspec.structs.replace(thing, **told)
    if isinstance(thing, tuple) and not hasattr(thing, "_fields"):
        return tuple(_without_notes(one) for one in thing)  # type: ignore[return-value]
    return thing
