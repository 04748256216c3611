"""The recordings that a library lists, looked through side by side by processes; reached as ``runs`` by the doors."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ...core.archive.asking import Question, ask
from ...core.archive.catalogue import files_below
from ...core.archive.engine import work_on
from ...core.archive.listing import list_recordings
from ...core.archive.overview import FieldRange, Overview, look_over
from ...core.archive.runs import newest_recordings, tasks_for
from ...core.archive.task import Failed
from ...core.conditions.bind import Known, bind
from ...core.layouts.json_form import layouts_to_file_text
from ...core.layouts.model import Layout
from ...core.library.documents import Recording
from ...core.library.store import Library
from ...core.progress import Progress
from ...core.trial.recipe_choice import RecipeChoice


@dataclass(frozen=True, slots=True)
class Looked:
    """What was found in all recordings.

    Attributes
    ----------
    overviews
        By path.
    failed
        Why one could not be looked at, by path.
    """

    overviews: dict[str, Overview]
    failed: dict[str, str]


@dataclass(frozen=True, slots=True)
class RunHits:
    """The frames of one recording in which a condition holds.

    Attributes
    ----------
    path
    count
    first_ns, lane, words, says
        The first of them: its time, where it was, and what it says.
    """

    path: str
    count: int
    first_ns: int
    lane: str
    words: str
    says: str


@dataclass(frozen=True, slots=True)
class Hits:
    """Frames in all recordings.

    Attributes
    ----------
    runs
        Those of each recording that has any, in order of their first.
    asked
        How many recordings were asked.
    failed
        Why one could not be asked, by path.
    """

    runs: tuple[RunHits, ...]
    asked: int
    failed: dict[str, str]

    @property
    def count(self) -> int:
        """How many frames there are."""
        return sum(one.count for one in self.runs)


def add_folder(library: Library, folder: Path, author: str, progress: Progress) -> tuple[int, dict[str, str]]:
    """List the recordings below a folder; return how many are new, and which could not be read, why."""
    choice = RecipeChoice([], library.recipes.states)
    listed = list_recordings(library, files_below([folder]), choice.requests, author, progress)
    return listed.fresh, listed.failed


def look_through(library: Library, layouts: Sequence[Layout], progress: Progress) -> Looked:
    """Look through all recordings with processes of this machine."""
    found: dict[str, Overview] = {}
    failed = _each(library, layouts, lambda task: task, look_over, lambda one: found.update({one.path: one}), progress)
    return Looked(found, failed)


def find_in_all(library: Library, layouts: Sequence[Layout], condition: str, progress: Progress) -> Hits:
    """Find the frames of all recordings in which a condition holds.

    Raises
    ------
    MisuseError
        If the condition makes no sense; then no recording is read.
    """
    lanes = sorted({lane.name for one in newest_recordings(library) for lane in one.lanes})
    bind(condition, Known(lanes, list(layouts), ()))
    found: list[RunHits] = []
    asked = 0

    def take(answer: Any) -> None:
        nonlocal asked
        asked += 1
        table = answer.table
        if table.num_rows:
            (row,) = table.slice(0, 1).to_pylist()
            found.append(RunHits(answer.path, table.num_rows, row["time_ns"], row["lane"], row["words"],
                                 row["says"] or ""))  # fmt: skip

    failed = _each(library, layouts, lambda task: Question(task, "find", condition), ask, take, progress)
    found.sort(key=lambda one: (one.first_ns, one.path))
    return Hits(tuple(found), asked, failed)


def _each(
    library: Library, layouts: Sequence[Layout], piece: Callable[[Any], Any], work: Callable[[Any], Any],
    take: Callable[[Any], None], progress: Progress,
) -> dict[str, str]:  # fmt: skip
    """Have every recording worked on; return those that could not be, and why."""
    recordings = newest_recordings(library)
    choice = RecipeChoice([], library.recipes.states)
    with tempfile.TemporaryDirectory(prefix="zesty-archive-") as folder:
        path = Path(folder) / "layouts.json"
        path.write_text(layouts_to_file_text(layouts))
        tasks, bad = tasks_for([one for one in recordings if one.lanes], choice.requests, path)
        failed = {one.path: one.reason for one in bad}
        pieces = [piece(task) for task in tasks]
        names = {id(made): task.path for made, task in zip(pieces, tasks, strict=True)}
        answers = work_on(pieces, work, lambda made: names[id(made)], is_stopped=lambda: progress.is_cancelled)
        for done, one in enumerate(answers, start=1):
            progress.step(done / max(len(pieces), 1), f"{done} of {len(pieces)} recordings")
            if isinstance(one, Failed):
                failed[one.path] = one.reason.removeprefix(f"{one.path}: ")
            else:
                take(one)
        progress.check()
    return failed


__all__ = [
    "FieldRange", "Hits", "Looked", "Overview", "Recording", "RunHits", "add_folder", "find_in_all", "look_through",
    "newest_recordings",
]  # fmt: skip
