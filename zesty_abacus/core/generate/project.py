"""What code is made of: messages of a library in one state, and the names that go with them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from uuid import UUID

from ..layouts.model import Layout
from ..nearest import nearest
from ..origin import Origin
from .errors import GenerateError
from .naming import identifier
from .node import Link, Sources

MADE_BY = "by Zesty Abacus. Made anew whenever layouts change."
"""In the head of every file: one that says so may be replaced by a newer one."""


@dataclass(frozen=True, slots=True, eq=False)
class Project:
    """What is asked for.

    Attributes
    ----------
    layouts
        Those that code is made of.
    others
        All of the library by id, since layouts carry each other.
    origin
        Library and state, for the heads of files.
    prefix
        In front of every symbol that others see, where a language has no modules.
    link
        Where a program sends that is made, too; None for no program.
    sources
        What its fields are fed with, as far as it is given.
    """

    layouts: tuple[Layout, ...]
    others: dict[UUID, Layout]
    origin: Origin
    prefix: str
    link: Link | None = None
    sources: Sources = field(default_factory=dict)

    @classmethod
    def of(
        cls, states: Iterable[Layout], origin: Origin, *, messages: Iterable[str] = (), prefix: str = "",
        link: Link | None = None, sources: Sources | None = None,
    ) -> Project:  # fmt: skip
        """Return a project of some messages by name, or of all.

        Raises
        ------
        GenerateError
            If a message is not in the library, a prefix is no identifier, or there is nothing to make.
        """
        listed = list(states)
        others = {layout.id: layout for layout in listed}
        wanted = list(dict.fromkeys(messages))
        known = {layout.name for layout in listed}
        if missing := [name for name in wanted if name not in known]:
            raise GenerateError(f"there is no message {missing[0]!r}.", where=origin.library,
                                hint=nearest(missing[0], known))  # fmt: skip
        chosen = tuple(layout for layout in listed if not wanted or layout.name in wanted)
        if not chosen:
            raise GenerateError("the library has no messages to make code of.", where=origin.library)
        if prefix and identifier(prefix) != prefix:
            raise GenerateError(f"{prefix!r} is no prefix.",
                                hint=f"Small letters, digits and underscores: {identifier(prefix)}.")  # fmt: skip
        return cls(chosen, others, origin, prefix or identifier(origin.library), link, sources or {})

    @property
    def head(self) -> str:
        """What the head of every file says."""
        return f"From {self.origin.words()}, {MADE_BY}"
