"""Recipes in the library: revisions, refusals, removal and offers."""

import msgspec
import pytest
import sqlalchemy as sa

from tests.library.test_store import pod
from zesty_abacus.core.library.errors import StaleParentError, UnknownLayoutError
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.recipes.model import SourcePattern, new_recipe


@pytest.fixture
def library(tmp_path):
    made = Library.create(tmp_path / "library.sqlite")
    yield made
    made.close()


RECIPE = new_recipe("winch", line=UartLine(line="rx"), source=SourcePattern(file="winch*"))


def test_every_state_is_kept(library):
    shelf = library.recipes
    first = shelf.commit(RECIPE, parent=None, author="a")
    changed = msgspec.structs.replace(RECIPE, lane="winch")
    second = shelf.commit(changed, parent=first.id, author="b", reason="named the lane")
    assert shelf.head_of(RECIPE.id).recipe == changed and shelf.recipe_at(first.id) == RECIPE
    assert [(r.number, r.author, r.reason) for r in shelf.history(RECIPE.id)] == [
        (2, "b", "named the lane"), (1, "a", "new recipe"),
    ]  # fmt: skip
    with pytest.raises(StaleParentError, match="changed by b"):
        shelf.commit(RECIPE, parent=first.id, author="c")
    shelf.remove(RECIPE.id, parent=second.id, author="a")
    assert shelf.heads() == [] and shelf.head_of(RECIPE.id) is None
    with pytest.raises(UnknownLayoutError):
        shelf.recipe_at(shelf.history(RECIPE.id)[0].id)
    assert shelf.commit(RECIPE, parent=None, author="a").number == 4, "a removed recipe may come back"


def test_importing_again_changes_instead_of_doubling(library):
    shelf = library.recipes
    assert shelf.import_recipes([RECIPE], author="a", reason="x") == 1
    assert shelf.import_recipes([RECIPE], author="a", reason="x") == 0
    assert shelf.import_recipes([msgspec.structs.replace(RECIPE, note="n")], author="a", reason="x") == 1
    assert len(shelf.heads()) == 1


def test_the_most_particular_recipe_is_offered_first(library):
    anything = new_recipe("anything", source=SourcePattern(file="*"))
    this = new_recipe("this", source=SourcePattern(file="winch-load*", form="VCD"))
    other = new_recipe("other", source=SourcePattern(file="deck*"))
    library.recipes.import_recipes([anything, RECIPE, other, this], author="a", reason="x")
    names = [head.recipe.name for head in library.recipes.fitting("winch-load.vcd", "VCD", ())]
    assert names == ["this", "winch", "anything"]


def test_a_library_of_before_recipes_is_migrated(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    library.commit(pod(), parent=None, author="a")
    library.close()
    engine = sa.create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        connection.exec_driver_sql("DROP TABLE recipe_head")
        connection.exec_driver_sql("DROP TABLE recipe_revision")
        connection.exec_driver_sql("UPDATE alembic_version SET version_num = '0001'")
    engine.dispose()
    again = Library.open(path)
    assert len(again.layouts()) == 1 and again.recipes.heads() == []
    again.recipes.commit(RECIPE, parent=None, author="a")
    again.close()
