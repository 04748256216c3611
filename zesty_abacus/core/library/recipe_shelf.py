"""The recipes of a library: kept with every revision, offered where they fit."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID

import sqlalchemy as sa

from ..recipes.json_form import recipe_from_json, recipe_to_json
from ..recipes.model import Recipe
from .errors import StaleParentError, UnknownLayoutError
from .tables import recipe_head, recipe_revision


@dataclass(frozen=True, slots=True)
class RecipeRevision:
    """One change of one recipe; attributes as of a layout's revision."""

    id: int
    recipe_id: UUID
    number: int
    parent_id: int | None
    author: str
    time: datetime
    reason: str
    removed: bool


@dataclass(frozen=True, slots=True)
class RecipeHead:
    """The newest state of a recipe and the revision that made it."""

    recipe: Recipe
    revision: RecipeRevision


class RecipeShelf:
    """The recipes of an open library. Every method is one transaction; it may be used from any thread.

    Parameters
    ----------
    reading, writing
        Give a connection inside a transaction.
    where
        Named in errors.
    """

    def __init__(
        self,
        reading: Callable[[], AbstractContextManager[sa.Connection]],
        writing: Callable[[], AbstractContextManager[sa.Connection]],
        where: str,
    ) -> None:
        self._reading = reading
        self._writing = writing
        self._where = where

    def heads(self) -> list[RecipeHead]:
        """Return the newest state of every recipe, by name."""
        query = (
            sa.select(recipe_revision)
            .join(recipe_head, recipe_head.c.revision_id == recipe_revision.c.id)
            .order_by(recipe_head.c.name, recipe_head.c.recipe_id)
        )
        with self._reading() as connection:
            return [RecipeHead(self._recipe_of(row), _revision_of(row)) for row in connection.execute(query)]

    def head_of(self, recipe_id: UUID) -> RecipeHead | None:
        """Return the newest state of a recipe, None if it is unknown or removed."""
        return next((head for head in self.heads() if head.recipe.id == recipe_id), None)

    def fitting(self, file_name: str, form: str, channels: Sequence[str]) -> list[RecipeHead]:
        """Return recipes made for such a recording, the most particular pattern first."""
        found = [head for head in self.heads() if head.recipe.source.fits(file_name, form, channels)]
        return sorted(found, key=lambda head: (-_particular(head.recipe), head.recipe.name))

    def commit(self, recipe: Recipe, *, parent: int | None, author: str, reason: str = "") -> RecipeRevision:
        """Keep a new state of a recipe.

        Raises
        ------
        StaleParentError
            If the parent is not the newest state. Nothing is written.
        LibraryError
            If the database does not take it. Nothing is written.
        """
        with self._writing() as connection:
            before = self._newest(connection, recipe.id)
            self._check_parent(before, parent, recipe.name)
            words = reason or ("new recipe" if before is None else "changed")
            return self._append(connection, recipe.id, recipe, before, author, words)

    def remove(self, recipe_id: UUID, *, parent: int, author: str, reason: str = "removed") -> RecipeRevision:
        """Remove a recipe; its history stays. Raises as :meth:`commit`."""
        with self._writing() as connection:
            before = self._newest(connection, recipe_id)
            self._check_parent(before, parent, str(recipe_id))
            return self._append(connection, recipe_id, None, before, author, reason)

    def history(self, recipe_id: UUID) -> list[RecipeRevision]:
        """Return all changes of a recipe, newest first."""
        query = (
            sa.select(recipe_revision)
            .where(recipe_revision.c.recipe_id == str(recipe_id))
            .order_by(recipe_revision.c.number.desc())
        )
        with self._reading() as connection:
            return [_revision_of(row) for row in connection.execute(query)]

    def recipe_at(self, revision_id: int) -> Recipe:
        """Return the state that a revision made.

        Raises
        ------
        UnknownLayoutError
            If there is no such revision, or it removed the recipe.
        """
        query = sa.select(recipe_revision).where(recipe_revision.c.id == revision_id)
        with self._reading() as connection:
            row = connection.execute(query).first()
        if row is None or row.document is None:
            raise UnknownLayoutError(f"revision {revision_id} holds no recipe.", where=self._where)
        return self._recipe_of(row)

    def import_recipes(self, recipes: Sequence[Recipe], *, author: str, reason: str) -> int:
        """Commit recipes from a file in one transaction; return how many were new or changed."""
        changed = 0
        with self._writing() as connection:
            for recipe in recipes:
                before = self._newest(connection, recipe.id)
                if before is not None and before.document and self._recipe_of(before) == recipe:
                    continue
                self._append(connection, recipe.id, recipe, before, author, reason)
                changed += 1
        return changed

    def _append(
        self, connection: sa.Connection, recipe_id: UUID, recipe: Recipe | None, before: sa.Row | None,
        author: str, reason: str,
    ) -> RecipeRevision:  # fmt: skip
        values = {
            "recipe_id": str(recipe_id),
            "number": before.number + 1 if before is not None else 1,
            "parent_id": before.id if before is not None else None,
            "author": author,
            "time_us": time.time_ns() // 1000,
            "reason": reason,
            "document": recipe_to_json(recipe).decode() if recipe is not None else None,
        }
        key = connection.execute(sa.insert(recipe_revision).values(values)).inserted_primary_key
        assert key is not None
        connection.execute(sa.delete(recipe_head).where(recipe_head.c.recipe_id == str(recipe_id)))
        if recipe is not None:
            head = {"recipe_id": str(recipe_id), "revision_id": int(key[0]), "name": recipe.name}
            connection.execute(sa.insert(recipe_head).values(head))
        return _revision_of(connection.execute(sa.select(recipe_revision).where(recipe_revision.c.id == key[0])).one())

    def _newest(self, connection: sa.Connection, recipe_id: UUID) -> sa.Row | None:
        query = (
            sa.select(recipe_revision)
            .where(recipe_revision.c.recipe_id == str(recipe_id))
            .order_by(recipe_revision.c.number.desc())
            .limit(1)
        )
        return connection.execute(query).first()

    def _check_parent(self, before: sa.Row | None, parent: int | None, name: str) -> None:
        current = before.id if before is not None else None
        if current != parent and not (before is not None and before.document is None and parent is None):
            raise StaleParentError(
                f"{name} was changed by {before.author if before is not None else 'nobody'} since this edit began.",
                where=self._where,
                hint="Look at the newest state and make the change again.",
            )

    def _recipe_of(self, row: sa.Row) -> Recipe:
        return recipe_from_json(row.document.encode(), where=f"{self._where}, recipe revision {row.id}")


def _particular(recipe: Recipe) -> int:
    """Count the letters of a pattern that are no wildcards, and what else it asks for."""
    source = recipe.source
    return sum(letter not in "*?" for letter in source.file) + 4 * bool(source.form) + len(source.channels)


def _revision_of(row: sa.Row) -> RecipeRevision:
    return RecipeRevision(
        id=row.id,
        recipe_id=UUID(row.recipe_id),
        number=row.number,
        parent_id=row.parent_id,
        author=row.author,
        time=datetime.fromtimestamp(row.time_us / 1_000_000, UTC),
        reason=row.reason,
        removed=row.document is None,
    )
