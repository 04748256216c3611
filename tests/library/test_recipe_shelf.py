"""Recipes in the library: revisions, refusals, removal and offers."""

import msgspec
import pytest
import sqlalchemy as sa

from tests.library.test_engine import make_old
from tests.library.test_store import pod
from zesty_abacus.core.layouts.json_form import layout_to_json
from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.errors import StaleParentError, UnknownLayoutError
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.recipes.model import SourcePattern, new_recipe

RECIPE = new_recipe("winch", line=UartLine(line="rx"), source=SourcePattern(file="winch*"))


def test_every_state_is_kept(library):
    shelf = library.recipes
    first = shelf.commit(RECIPE, parent=None, author="a")
    changed = msgspec.structs.replace(RECIPE, lane="winch")
    second = shelf.commit(changed, parent=first.id, author="b", reason="named the lane")
    assert shelf.head_of(RECIPE.id).state == changed and shelf.state_at(first.id) == RECIPE
    assert [(r.number, r.author, r.reason) for r in shelf.history(RECIPE.id)] == [
        (2, "b", "named the lane"), (1, "a", "new recipe"),
    ]  # fmt: skip
    with pytest.raises(StaleParentError, match="changed by b"):
        shelf.commit(RECIPE, parent=first.id, author="c")
    shelf.remove(RECIPE.id, parent=second.id, author="a")
    assert shelf.heads() == [] and shelf.head_of(RECIPE.id) is None
    with pytest.raises(UnknownLayoutError):
        shelf.state_at(shelf.history(RECIPE.id)[0].id)
    assert shelf.commit(RECIPE, parent=None, author="a").number == 4, "a removed recipe may come back"


def test_importing_again_changes_instead_of_doubling(library):
    shelf = library.recipes
    assert shelf.import_all([RECIPE], author="a", reason="x") == 1
    assert shelf.import_all([RECIPE], author="a", reason="x") == 0
    assert shelf.import_all([msgspec.structs.replace(RECIPE, note="n")], author="a", reason="x") == 1
    assert len(shelf.heads()) == 1


def test_the_most_particular_recipe_is_offered_first(library):
    anything = new_recipe("anything", source=SourcePattern(file="*"))
    this = new_recipe("this", source=SourcePattern(file="winch-load*", form="VCD"))
    other = new_recipe("other", source=SourcePattern(file="deck*"))
    library.recipes.import_all([anything, RECIPE, other, this], author="a", reason="x")
    names = [head.state.name for head in library.recipes.fitting("winch-load.vcd", "VCD", ())]
    assert names == ["this", "winch", "anything"]


def test_a_library_of_before_recipes_is_migrated_with_what_it_holds(address):
    make_old(address)
    layout = pod()
    document = layout_to_json(layout).decode()
    where = library_address(address)
    engine = sa.create_engine(where.url if where.url is not None else f"sqlite:///{where.path}")
    values = {"layout": str(layout.id), "document": document}
    with engine.begin() as connection:
        connection.execute(
            sa.text(
                "INSERT INTO revision (layout_id, number, author, time_us, reason, document) "
                "VALUES (:layout, 1, 'pod team', 5, 'first', :document)"
            ),
            values,
        )
        connection.execute(
            sa.text("INSERT INTO head VALUES (:layout, 1, 'Azimuth feedback', 'azimuth feedback', 'can', 417, false)"),
            values,
        )
    engine.dispose()
    path = address
    again = Library.open(path)
    assert again.layouts.states() == [layout] and again.recipes.heads() == []
    assert again.layouts.history(layout.id)[0].author == "pod team"
    again.recipes.commit(RECIPE, parent=None, author="a")
    again.close()
