"""The recordings of a catalogue as work for processes: the newest of each place, and how each is read."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from ..errors import AbacusError
from ..library.documents import Recording
from ..library.store import Library
from ..recipes.json_form import recipe_to_json
from ..trial.outcome import SourceRequest
from .task import Failed, Task


def newest_recordings(library: Library) -> list[Recording]:
    """Return the recordings of a catalogue in order of time; of a file that was changed and added again the newest."""
    newest = {head.state.path: head.state for head in sorted(library.recordings.heads(), key=lambda it: it.revision.id)}
    return sorted(newest.values(), key=lambda one: (one.first_ns, one.path))


def tasks_for(
    recordings: Sequence[Recording], requests: Callable[[Path], Sequence[SourceRequest]], layouts: Path
) -> tuple[list[Task], list[Failed]]:
    """Return what is to be worked on, and what cannot be: gone, or read by no recipe alone.

    Parameters
    ----------
    requests
        By which recipes a file is read.
    layouts
        A file of the layouts.
    """
    tasks, failed = [], []
    for one in recordings:
        try:
            found = requests(Path(one.path))
        except AbacusError as error:
            failed.append(Failed(one.path, str(error)))
            continue
        recipes = tuple(recipe_to_json(request.recipe) for request in found if request.recipe is not None)
        tasks.append(Task(one.path, one.sha256, one.size, recipes, str(layouts.absolute())))
    return tasks, failed
