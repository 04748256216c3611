"""A rehearsal changed step by step; steps are known by their path.

``(2,)`` is the third step, ``(2, 0)`` the first within it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from .steps import AnyStep, Rehearsal, Repeat

Path = tuple[int, ...]
_Steps = tuple[AnyStep, ...]


def paths_of(rehearsal: Rehearsal) -> Iterator[tuple[Path, AnyStep]]:
    """Yield every step with its path, in the order in which they are read."""
    yield from _paths(rehearsal.steps, ())


def _paths(steps: _Steps, before: Path) -> Iterator[tuple[Path, AnyStep]]:
    for place, step in enumerate(steps):
        yield (*before, place), step
        if isinstance(step, Repeat):
            yield from _paths(step.steps, (*before, place))


def step_at(rehearsal: Rehearsal, path: Path) -> AnyStep:
    """Return the step at a path; raises IndexError if there is none."""
    steps, found = rehearsal.steps, None
    for place in path:
        found = steps[place]
        steps = found.steps if isinstance(found, Repeat) else ()
    if found is None:
        raise IndexError(path)
    return found


def with_step(rehearsal: Rehearsal, path: Path, step: AnyStep) -> Rehearsal:
    """Return the rehearsal with another step at a path."""
    return _changed(rehearsal, path, lambda steps, place: (*steps[:place], step, *steps[place + 1 :]))


def with_added(rehearsal: Rehearsal, path: Path, step: AnyStep) -> tuple[Rehearsal, Path]:
    """Return the rehearsal with one step more, and its path.

    It stands behind the one at a path, within it if that is an empty repetition, or last of all.
    """
    if not path:
        made = msgspec.structs.replace(rehearsal, steps=(*rehearsal.steps, step))
        return made, (len(rehearsal.steps),)
    before = step_at(rehearsal, path)
    if isinstance(before, Repeat) and not before.steps:
        filled = msgspec.structs.replace(before, steps=(step,))
        return with_step(rehearsal, path, filled), (*path, 0)
    made = _changed(rehearsal, path, lambda steps, place: (*steps[: place + 1], step, *steps[place + 1 :]))
    return made, (*path[:-1], path[-1] + 1)


def without(rehearsal: Rehearsal, path: Path) -> Rehearsal:
    """Return the rehearsal without the step at a path."""
    return _changed(rehearsal, path, lambda steps, place: (*steps[:place], *steps[place + 1 :]))


def moved(rehearsal: Rehearsal, path: Path, by: int) -> tuple[Rehearsal, Path]:
    """Return the rehearsal with a step further up or down among its neighbours, and its path then."""

    def change(steps: _Steps, place: int) -> _Steps:
        others = (*steps[:place], *steps[place + 1 :])
        there = min(max(place + by, 0), len(others))
        return (*others[:there], steps[place], *others[there:])

    neighbours = step_at(rehearsal, path[:-1]) if len(path) > 1 else rehearsal
    count = len(neighbours.steps) if isinstance(neighbours, Repeat | Rehearsal) else 0
    return _changed(rehearsal, path, change), (*path[:-1], min(max(path[-1] + by, 0), count - 1))


def _changed(rehearsal: Rehearsal, path: Path, change: Callable[[_Steps, int], _Steps]) -> Rehearsal:
    return msgspec.structs.replace(rehearsal, steps=_inside(rehearsal.steps, path, change))


def _inside(steps: _Steps, path: Path, change: Callable[[_Steps, int], _Steps]) -> _Steps:
    place = path[0]
    if len(path) == 1:
        return change(steps, place)
    step = steps[place]
    if not isinstance(step, Repeat):
        raise IndexError(path)
    filled = msgspec.structs.replace(step, steps=_inside(step.steps, path[1:], change))
    return (*steps[:place], filled, *steps[place + 1 :])
