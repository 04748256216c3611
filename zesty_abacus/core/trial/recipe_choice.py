"""Which recipes a recording is read by: those that are given, else those that a library keeps."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Sequence
from functools import cached_property
from pathlib import Path

from ..captures.registry import line_formats, read_lines, recognise
from ..recipes.fitting import fitting, recipes_for
from ..recipes.model import Recipe
from .outcome import SourceRequest


class RecipeChoice:
    """Chooses recipes, source by source.

    Parameters
    ----------
    given
        By hand; one alone is meant for every source that it can be for.
    kept
        Gives the recipes of a library, which is asked where none of these fits; None for no library.
    told
        Told in a sentence which recipe of the library reads what.
    """

    def __init__(
        self, given: Sequence[Recipe], kept: Callable[[], Sequence[Recipe]] | None = None,
        told: Callable[[str], None] = lambda _sentence: None,
    ) -> None:  # fmt: skip
        self._given = given
        self._ask_library = kept
        self._told = told

    def requests(self, path: Path) -> list[SourceRequest]:
        """Return the requests that bring a recording in, one a lane that recipes make of it.

        Raises
        ------
        UnclearRecipeError
            If several recipes fit it equally well, and differ.
        """
        chosen = self._chosen(path) if self._given or self._ask_library is not None else []
        return [SourceRequest(path, recipe=recipe) for recipe in chosen] or [SourceRequest(path)]

    def _chosen(self, path: Path) -> list[Recipe]:
        form = recognise(path)
        if len(self._given) == 1 and not fitting(self._given, path.name, form, ()):
            return list(self._given)
        found = self._fitting(self._given, path, form)
        if found or self._ask_library is None:
            return found
        # a recipe that does not say for what it is would read any bus as something else
        kept = [recipe for recipe in self._kept if recipe.source.form == form]
        found = self._fitting(kept, path, form)
        for recipe in found:
            self._told(f"{path} is read by the recipe {recipe.name} of the library")
        return found

    def _fitting(self, recipes: Sequence[Recipe], path: Path, form: str) -> list[Recipe]:
        by_name = fitting(recipes, path.name, form, ())
        # channels cost reading the recording, and tell only where there is a choice
        channels = _channels(path, form) if len(by_name) > 1 else ()
        return recipes_for(by_name, path.name, form, channels)

    @cached_property
    def _kept(self) -> Sequence[Recipe]:
        return self._ask_library() if self._ask_library is not None else ()


def _channels(path: Path, form: str) -> list[str]:
    if form not in {one.name for one in line_formats()}:
        return []
    with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
        recording, _ = read_lines(path, Path(folder), form)
        return [channel.name for channel in recording.channels]
