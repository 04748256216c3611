"""A rehearsal while it is edited: its steps as they are now, and which of them is in hand."""

from __future__ import annotations

from typing import Any

import msgspec

from ...app.doors import going

Path = tuple[int, ...]
"""Where a step stands: its place, and its place inside what repeats it."""


class Draft:
    """What is being edited.

    Attributes
    ----------
    rehearsal
        None while nothing is.
    path
        Of the step in hand; empty for none.
    """

    def __init__(self) -> None:
        self.rehearsal: Any = None
        self.path: Path = ()

    def take(self, rehearsal: Any) -> None:
        """Edit another rehearsal, None for none."""
        self.rehearsal, self.path = rehearsal, ()

    def pick(self, path: Path) -> None:
        """Take a step in hand; the one that is in hand is put down."""
        self.path = () if path == self.path else path

    def put_down(self) -> None:
        """Have no step in hand."""
        self.path = ()

    @property
    def step(self) -> Any:
        """The step in hand, None for none."""
        return going.step_at(self.rehearsal, self.path) if self.path else None

    def steps(self) -> list[tuple[str, str, Path]]:
        """Return number, words and path of each step."""
        found = going.paths_of(self.rehearsal) if self.rehearsal is not None else ()
        return [(".".join(str(place + 1) for place in path), step.words(), path) for path, step in found]

    def change(self, step: Any) -> None:
        """Put another step in the place of the one in hand."""
        self.rehearsal = going.with_step(self.rehearsal, self.path, step)

    def rename(self, name: str) -> bool:
        """Give another name; return whether it is another one."""
        is_other = self.rehearsal is not None and bool(name) and name != self.rehearsal.name
        if is_other:
            self.rehearsal = msgspec.structs.replace(self.rehearsal, name=name)
        return is_other

    def add(self, step: Any) -> None:
        """Add a step behind the one in hand."""
        if self.rehearsal is not None:
            self.rehearsal, self.path = going.with_added(self.rehearsal, self.path, step)

    def move(self, by: int) -> None:
        """Move the step in hand up (negative) or down."""
        if self.path:
            self.rehearsal, self.path = going.moved(self.rehearsal, self.path, by)

    def take_out(self) -> None:
        """Take the step in hand out."""
        if self.path:
            self.rehearsal, self.path = going.without(self.rehearsal, self.path), ()
