"""A piece of work on one recording, as it goes to another process, and what comes back."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from ..files.errors import file_errors, file_errors_as
from ..files.reading import read_file
from ..layouts.json_form import layouts_from_text
from ..layouts.model import Layout
from ..reading.meaning import Meaning
from ..recipes.json_form import recipe_from_json
from ..trial.intake import bring_in
from ..trial.outcome import SourceRequest
from .cuts import Piece
from .errors import ArchiveError

_MOST_BYTES = 256 << 20


@dataclass(frozen=True, slots=True)
class Task:
    """A recording, how it is read, and what reads its frames.

    Attributes
    ----------
    path
    digest, size
        Of its content when it was put into the catalogue.
    recipes
        As JSON; none where it holds frames.
    layouts
        A file of layouts; a name that says their state, so that a process reads it once.
    """

    path: str
    digest: str
    size: int
    recipes: tuple[bytes, ...]
    layouts: str

    @property
    def looks_at_frames_together(self) -> bool:
        """Whether a recipe makes its frames of lines or puts them together, which a cut would tear apart."""
        recipes = [recipe_from_json(one) for one in self.recipes]
        return any(one.line is not None or one.framing is not None for one in recipes)


@dataclass(frozen=True, slots=True)
class Failed:
    """A recording that could not be worked on, and why."""

    path: str
    reason: str


@contextlib.contextmanager
def opened(task: Task, piece: Piece | None = None) -> Iterator[Meaning]:
    """Read a recording, or a piece of it, and give what its frames mean; it is gone afterwards.

    Raises
    ------
    ArchiveError
        If it cannot be read, or holds something else than it did.
    """
    path = Path(task.path)
    with file_errors_as(ArchiveError), file_errors(path, "it cannot be read"):
        size = path.stat().st_size
    if size != task.size:
        raise ArchiveError("it is not what was put into the catalogue.", where=task.path, hint="Add it again.")
    with tempfile.TemporaryDirectory(prefix="zesty-archive-") as folder:
        read = path if piece is None else piece.copy(path, Path(folder))
        requests = [SourceRequest(read, recipe=recipe_from_json(one)) for one in task.recipes] or [SourceRequest(read)]
        made = bring_in(requests, Path(folder) / "capture")
        errors = [outcome.error for outcome in made.outcomes if outcome.error]
        if errors and not len(made.capture):
            raise ArchiveError(errors[0])
        if any(outcome.needs_recipe for outcome in made.outcomes):
            raise ArchiveError("no recipe says what it speaks.", where=task.path)
        yield Meaning.of(made.capture, layouts_in(task.layouts))


@lru_cache(2)
def layouts_in(path: str) -> tuple[Layout, ...]:
    """Return the layouts of a file; a process that works on many recordings reads it once."""
    return tuple(layouts_from_text(read_file(Path(path), _MOST_BYTES)))
