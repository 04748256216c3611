"""What commands share that ask a condition: the layouts it may name, the moments, and the condition itself."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..core.conditions.bind import Known, bind
from ..core.conditions.hits import find
from ..core.conditions.term import Term
from ..core.errors import MisuseError
from ..core.layouts.model import Layout
from ..core.origin import Origin
from ..core.reading.meaning import Meaning
from ..core.trial.moments import moments_from_file
from .output import OpenedSources


def layouts_of(where: str, release: str, sources: tuple[Path, ...]) -> tuple[list[Layout], Origin | None]:
    """Return the layouts of a library, none without one, and where what they decode comes from."""
    if not where:
        if release:
            raise MisuseError("a release is of a library.", hint="Say which by --library.")
        return [], None
    from .libraries import open_library, release_of_trial  # a library's database is loaded only where there is one

    library = open_library(where)
    release = release or release_of_trial(where)
    layouts = library.layouts.of_release(release) if release else library.layouts.states()
    origin = library.origin(release, sources)
    library.close()
    return list(layouts), origin


def condition_of(written: str, kept: str, where: str, opened: OpenedSources) -> str:
    """Return what is asked: as it is written, or what is kept under a name in the trial or else in the library.

    Raises
    ------
    MisuseError
        If both are given, or nothing is kept under the name.
    """
    if not kept:
        return written
    if written:
        raise MisuseError("a condition is written or kept.", hint="Leave out --where or --kept.")
    known = {one.name: one.text for one in opened.said.conditions}
    if where and kept not in known:
        from .libraries import open_library

        library = open_library(where)
        known |= {one.name: one.text for one in library.conditions.states()}
        library.close()
    if kept not in known:
        names = ", ".join(sorted(known)) or "nothing"
        raise MisuseError(f"no condition is kept as “{kept}”.", hint=f"What is kept: {names}.")
    return known[kept]


def bound(condition: str, opened: OpenedSources, layouts: list[Layout], moments: Path | None) -> Term:
    """Return a condition that makes sense for what was opened.

    Raises
    ------
    MisuseError
        If it makes none.
    """
    known = [*opened.said.moments, *(moments_from_file(moments) if moments is not None else ())]
    return bind(condition, Known([lane.name for lane in opened.capture.lanes], layouts, known))


def rows_where(condition: str, opened: OpenedSources, meaning: Meaning, moments: Path | None) -> NDArray[np.uint32]:
    """Return the frames in which a condition holds, in order of time; raises as :func:`bound`."""
    return find(meaning, bound(condition, opened, list(meaning.layouts.values()), moments)).rows
