"""The recipes of a library: kept with every revision, offered where they fit."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from uuid import UUID

import sqlalchemy as sa

from ..recipes.json_form import recipe_from_json, recipe_to_json
from ..recipes.model import Recipe
from .history import History, Revision
from .tables import recipe_head, recipe_revision


@dataclass(frozen=True, slots=True)
class RecipeHead:
    """The newest state of a recipe and the revision that made it."""

    recipe: Recipe
    revision: Revision


class RecipeShelf:
    """The recipes of an open library. Every method is one transaction; it may be used from any thread.

    Parameters
    ----------
    reading
        Gives a connection inside a transaction that looks.
    writing
        Gives one that changes some things, alone until it ends.
    where
        Named in errors.
    """

    def __init__(
        self,
        reading: Callable[[], AbstractContextManager[sa.Connection]],
        writing: Callable[..., AbstractContextManager[sa.Connection]],
        where: str,
    ) -> None:
        self._reading = reading
        self._writing = writing
        self._history = History[Recipe](
            recipe_revision, "recipe_id", recipe_to_json, lambda data, where: recipe_from_json(data, where=where),
            what="recipe", where=where,
        )  # fmt: skip

    def heads(self) -> list[RecipeHead]:
        """Return the newest state of every recipe, by name."""
        query = (
            sa.select(recipe_revision)
            .join(recipe_head, recipe_head.c.revision_id == recipe_revision.c.id)
            .order_by(recipe_head.c.name, recipe_head.c.recipe_id)
        )
        history = self._history
        with self._reading() as connection:
            return [RecipeHead(history.state_of(row), history.revision_of(row)) for row in connection.execute(query)]

    def head_of(self, recipe_id: UUID) -> RecipeHead | None:
        """Return the newest state of a recipe, None if it is unknown or removed."""
        return next((head for head in self.heads() if head.recipe.id == recipe_id), None)

    def fitting(self, file_name: str, form: str, channels: Sequence[str]) -> list[RecipeHead]:
        """Return recipes made for such a recording, the most particular pattern first."""
        found = [head for head in self.heads() if head.recipe.source.fits(file_name, form, channels)]
        return sorted(found, key=lambda head: (-_particular(head.recipe), head.recipe.name))

    def commit(self, recipe: Recipe, *, parent: int | None, author: str, reason: str = "") -> Revision:
        """Keep a new state of a recipe.

        Raises
        ------
        StaleParentError
            If the parent is not the newest state. Nothing is written.
        LibraryError
            If the database does not take it. Nothing is written.
        """
        with self._writing(recipe.id) as connection:
            before = self._history.newest(connection, recipe.id)
            self._history.check_parent(before, parent, recipe.name)
            words = reason or ("new recipe" if before is None else "changed")
            return self._append(connection, recipe.id, recipe, before, author, words)

    def remove(self, recipe_id: UUID, *, parent: int, author: str, reason: str = "removed") -> Revision:
        """Remove a recipe; its history stays. Raises as :meth:`commit`."""
        with self._writing(recipe_id) as connection:
            before = self._history.newest(connection, recipe_id)
            self._history.check_parent(before, parent, str(recipe_id))
            return self._append(connection, recipe_id, None, before, author, reason)

    def history(self, recipe_id: UUID) -> list[Revision]:
        """Return all changes of a recipe, newest first."""
        with self._reading() as connection:
            return self._history.of(connection, recipe_id)

    def recipe_at(self, revision_id: int) -> Recipe:
        """Return the state that a revision made; raises :class:`UnknownLayoutError` if it made none."""
        with self._reading() as connection:
            return self._history.state_at(connection, revision_id)

    def import_recipes(self, recipes: Sequence[Recipe], *, author: str, reason: str) -> int:
        """Commit recipes from a file in one transaction; return how many were new or changed."""
        changed = 0
        with self._writing(*(recipe.id for recipe in recipes)) as connection:
            for recipe in recipes:
                before = self._history.newest(connection, recipe.id)
                if not self._history.is_same(before, recipe):
                    self._append(connection, recipe.id, recipe, before, author, reason)
                    changed += 1
        return changed

    def _append(
        self, connection: sa.Connection, recipe_id: UUID, recipe: Recipe | None, before: sa.Row | None,
        author: str, reason: str,
    ) -> Revision:  # fmt: skip
        made = self._history.append(connection, recipe_id, recipe, before, author, reason)
        connection.execute(sa.delete(recipe_head).where(recipe_head.c.recipe_id == str(recipe_id)))
        if recipe is not None:
            head = {"recipe_id": str(recipe_id), "revision_id": made.id, "name": recipe.name}
            connection.execute(sa.insert(recipe_head).values(head))
        return made


def _particular(recipe: Recipe) -> int:
    """Count the letters of a pattern that are no wildcards, and what else it asks for."""
    source = recipe.source
    return sum(letter not in "*?" for letter in source.file) + 4 * bool(source.form) + len(source.channels)
