"""The recipe in hand changed one setting at a time, and kept under a name."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import msgspec

from ...app.doors import lines

if TYPE_CHECKING:
    from ....core.progress import Progress
    from .bench import Bench


class RecipeChanges:
    """What the forms of the recipe call; without a recipe nothing happens."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench

    def line(self, **changes: Any) -> None:
        """Change settings of the line code."""
        if self._bench.recipe is not None and self._bench.recipe.line is not None:
            line = msgspec.structs.replace(self._bench.recipe.line, **changes)
            self._bench.take(msgspec.structs.replace(self._bench.recipe, line=line))

    def framing(self, **changes: Any) -> None:
        """Change settings of the framing."""
        recipe = self._bench.recipe
        framing = lines.framing_in_use(recipe) if recipe is not None else None
        if recipe is not None and framing is not None:
            changed = msgspec.structs.replace(framing, **changes)
            self._bench.take(msgspec.structs.replace(recipe, framing=changed))

    def level(self, channel: str, **changes: Any) -> None:
        """Change how a channel becomes edges."""
        if self._bench.recipe is not None:
            setting = msgspec.structs.replace(self._bench.recipe.level(channel), **changes)
            self._bench.take(self._bench.recipe.with_level(setting))

    def rest(self, **changes: Any) -> None:
        """Change anything else of the recipe."""
        if self._bench.recipe is not None:
            self._bench.take(msgspec.structs.replace(self._bench.recipe, **changes))

    def keep(self, name: str) -> None:
        """Keep the recipe in the library under a name."""
        session = self._bench.session
        if self._bench.recipe is None or session.library is None:
            return
        recipe = msgspec.structs.replace(self._bench.recipe, name=name)
        self._bench.recipe = recipe
        shelf, author = session.library.recipes, session.edits.line.author

        def work(progress: Progress) -> str:
            progress.step(0.1, "keeping the recipe")
            head = shelf.head_of(recipe.id)
            if head is not None and head.state == recipe:
                return f"{name} is in the library as it stands."
            parent = head.revision.id if head is not None else None
            shelf.commit(recipe, parent=parent, author=author, reason=f"tried on {session.trial.file.name}")
            return f"Recipe {name} is kept in the library."

        session.jobs.start("recipe kept", "keeping the recipe", work, lambda words: session.told.emit("good", words))
        self._bench.recipe_changed.emit()
