"""A program that does anything with a library, says what it was told as kept, and goes on until it is killed."""

from __future__ import annotations

import random
import resource
import signal
import sys
import time
from pathlib import Path
from uuid import uuid4

import msgspec

from tests.library.test_store import pod
from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.layouts.model import new_field
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.library.documents import Comment
from zesty_abacus.core.library.errors import UnreachableError
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync
from zesty_abacus.core.recipes.model import new_recipe


class Program:
    """One of many that share a library; everything it was told as kept goes to standard output."""

    def __init__(self, where: str, name: str, folder: Path, chance: random.Random) -> None:
        self._where, self._name, self._folder = where, name, folder
        self._chance = chance
        self._number = 0

    def run(self) -> None:
        """Open the library as often as it goes away, and do one thing after another."""
        while True:
            try:
                library = Library.open(self._where)
                while True:
                    self._one(library)
            except UnreachableError:
                time.sleep(0.05)
            except AbacusError:
                # a clash, a full disk, somebody quicker: told, and nothing of it is kept
                continue

    def _one(self, library: Library) -> None:
        what = self._chance.choice((self.new, self.new, self.change, self.change, self.share, self.say, self.sail,
                                    self.recipe, self.release))  # fmt: skip
        what(library)

    def _told(self, table: str, revision: int, thing: object) -> None:
        sys.stdout.write(f"{table} {revision} {thing} {self._name}\n")
        sys.stdout.flush()

    def new(self, library: Library) -> None:
        """Keep a new layout."""
        self._number += 1
        layout = pod(f"{self._name} {self._number}", self._chance.randrange(0x700))
        made = library.layouts.commit(layout, parent=None, author=self._name)
        self._told("revision", made.id, layout.id)

    def change(self, library: Library) -> None:
        """Change any layout in a place of its own, so that it merges with what others do."""
        heads = library.layouts.heads()
        if heads:
            head = self._chance.choice(heads)
            bit = self._chance.randrange(32)
            field = new_field(
                f"{self._name} {self._chance.randrange(10**9)}", parse_places(f"B{4 + bit // 8}[{bit % 8}]")
            )
            made = library.layouts.commit_merged(
                head.state.with_field(field), parent=head.revision.id, author=self._name
            )
            self._told("revision", made.revision.id, head.state.id)

    def share(self, library: Library) -> None:
        """Change what everybody changes: a clash, or not."""
        heads = library.layouts.heads()
        if heads:
            head = heads[0]
            after = msgspec.structs.replace(head.state, note=f"{self._name} {self._chance.random()}")
            made = library.layouts.commit_merged(after, parent=head.revision.id, author=self._name)
            self._told("revision", made.revision.id, head.state.id)

    def say(self, library: Library) -> None:
        """Say something about a layout."""
        heads = library.layouts.heads()
        if heads:
            comment = Comment(uuid4(), heads[-1].state.id, f"{self._name}: {self._chance.random()}")
            made = library.comments.commit(comment, parent=None, author=self._name)
            self._told("document_revision", made.id, comment.id)

    def recipe(self, library: Library) -> None:
        """Keep a recipe."""
        recipe = new_recipe(f"{self._name} {self._chance.random()}")
        self._told("recipe_revision", library.recipes.commit(recipe, parent=None, author=self._name).id, recipe.id)

    def release(self, library: Library) -> None:
        """Make a release."""
        if self._chance.random() < 0.05:
            library.releases.make(f"{self._name} {self._chance.random()}", author=self._name)

    def sail(self, library: Library) -> None:
        """Bring a working copy of its own and the library together."""
        if self._chance.random() < 0.1:
            path = self._folder / f"{self._name.split()[0]}.sqlite"
            copy = Library.open(path) if path.exists() else Library.create(path)
            try:
                sync(copy, library, author=self._name)
            finally:
                copy.close()


def main() -> None:
    """Run: library, name, folder of working copies, seed, and how far files may grow (0 for as far as they like)."""
    where, name, folder, seed, limit = sys.argv[1:6]
    if int(limit):
        # what a full disk does, without one
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        # compiled modules would be cut off as well, and found by the next program
        sys.dont_write_bytecode = True
        resource.setrlimit(resource.RLIMIT_FSIZE, (int(limit), int(limit)))
    Program(where, name, Path(folder), random.Random(seed)).run()


if __name__ == "__main__":
    main()
