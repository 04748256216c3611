"""The recipes of a library: kept with every revision, offered where they fit."""

from __future__ import annotations

from collections.abc import Sequence

from ..recipes.fitting import fitting
from ..recipes.json_form import recipe_from_json, recipe_to_json
from ..recipes.model import Recipe
from .access import Access
from .gates.base import DocumentIndex
from .history import History
from .shelf import Head, Shelf
from .tables import recipe_head, recipe_revision


class RecipeShelf(Shelf[Recipe]):
    """The recipes of an open library."""

    def __init__(self, access: Access) -> None:
        history = History[Recipe](
            recipe_revision, "recipe_id", recipe_to_json, lambda data, where: recipe_from_json(data, where=where),
            what="recipe", where=access.where, damage=access.damage,
        )  # fmt: skip
        super().__init__(
            access,
            history,
            recipe_head,
            "recipe_id",
            access.gate.keep_recipe,
            lambda recipe: DocumentIndex(recipe.name),
        )

    def fitting(self, file_name: str, form: str, channels: Sequence[str]) -> list[Head[Recipe]]:
        """Return recipes made for such a recording, the most particular pattern first."""
        heads = {head.state.id: head for head in self.heads()}
        states = fitting((head.state for head in heads.values()), file_name, form, channels)
        return [heads[state.id] for state in states]
