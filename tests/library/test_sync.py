"""Working copies: out, changed on both sides, and back, on both engines; a random voyage against a model."""

from __future__ import annotations

import random

import msgspec
import pytest

from tests.cli.program import run
from tests.library.test_store import pod
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync


@pytest.fixture
def copy(tmp_path):
    made = Library.create(tmp_path / "copy.sqlite")
    yield made
    made.close()


def edit(library, name, **settings):
    head = next(one for one in library.layouts.heads() if one.state.name == name)
    layout = msgspec.structs.replace(head.state, **settings)
    library.layouts.commit(layout, parent=head.revision.id, author=f"on {library.name}")


def states(library):
    return {layout.id: layout for layout in library.layouts.states()}


def test_a_copy_takes_all_and_then_nothing(library, copy):
    library.layouts.import_all([pod("One", 1), pod("Two", 2)], author="a", reason="x")
    assert sorted(sync(copy, library, author="s").taken) == ["One", "Two"]
    assert states(copy) == states(library)
    again = sync(copy, library, author="s")
    assert (again.taken, again.given, again.merged, again.clashed) == ([], [], [], [])


def test_changes_of_both_sides_meet(library, copy):
    library.layouts.import_all([pod("One", 1), pod("Two", 2), pod("Three", 3), pod("Four", 4)], author="a", reason="x")
    sync(copy, library, author="s")
    edit(copy, "One", note="at sea")
    edit(library, "Two", note="at home")
    edit(copy, "Three", note="at sea")
    edit(library, "Three", sender="at home")
    copy.layouts.commit(pod("New at sea", 9), parent=None, author="mara")
    report = sync(copy, library, author="s")
    assert (sorted(report.given), report.taken, report.merged) == (["New at sea", "One"], ["Two"], ["Three"])
    assert states(copy) == states(library)
    three = next(one for one in library.layouts.states() if one.name == "Three")
    assert (three.note, three.sender) == ("at sea", "at home")
    assert any(head.revision.author == "on copy" for head in library.layouts.heads() if head.state.name == "One")


def test_a_clash_is_left_on_both_sides_until_somebody_chose(library, copy):
    library.layouts.import_all([pod("One", 1)], author="a", reason="x")
    sync(copy, library, author="s")
    edit(copy, "One", note="at sea")
    edit(library, "One", note="at home")
    for _ in range(2):
        (told,) = sync(copy, library, author="s").clashed
        assert "One" in told
        assert copy.layouts.states()[0].note == "at sea" and library.layouts.states()[0].note == "at home"
    edit(copy, "One", note="at home")
    assert sync(copy, library, author="s").clashed == [] and states(copy) == states(library)


def test_removals_travel_and_what_was_changed_stays(library, copy):
    library.layouts.import_all([pod("One", 1), pod("Two", 2), pod("Three", 3)], author="a", reason="x")
    sync(copy, library, author="s")
    for side, name in ((copy, "One"), (library, "Two"), (copy, "Three")):
        head = next(one for one in side.layouts.heads() if one.state.name == name)
        side.layouts.remove(head.state.id, parent=head.revision.id, author="a")
    edit(library, "Three", note="still of use")
    sync(copy, library, author="s")
    assert [layout.name for layout in library.layouts.states()] == ["Three"] and states(copy) == states(library)


def test_a_random_voyage_ends_with_all_changes_on_both_sides(library, copy):
    """Each side changes fields of its own; whatever the order of changes and meetings, nothing is lost."""
    dice = random.Random(9)
    layouts = [
        new_layout(f"m{n}", Applies(address=n), 8, [new_field("sea", at("B0")), new_field("home", at("B1"))])
        for n in range(4)
    ]
    library.layouts.import_all(layouts, author="a", reason="x")
    sync(copy, library, author="s")
    wanted = {}
    for turn in range(40):
        side, name = dice.choice([(copy, "sea"), (library, "home")])
        head = dice.choice(side.layouts.heads())
        field = msgspec.structs.replace(head.state.field_named(name), note=str(turn))
        side.layouts.commit(head.state.with_field(field), parent=head.revision.id, author=name)
        wanted[head.state.id, name] = str(turn)
        if dice.random() < 0.2:
            assert sync(copy, library, author="s").clashed == []
    sync(copy, library, author="s")
    assert states(copy) == states(library)
    for (key, name), note in wanted.items():
        assert states(copy)[key].field_named(name).note == note


def test_the_command_line_makes_and_brings_back_a_copy(library, tmp_path):
    library.layouts.import_all([pod("One", 1)], author="a", reason="x")
    address = str(library.address.path or library.address.url.set(drivername="postgresql").render_as_string())
    copy = tmp_path / "sea.sqlite"
    code, out, _ = run("library", "sync", copy, address)
    assert code == 0 and "taken: One" in out
    own = Library.open(copy)
    edit(own, "One", note="at sea")
    own.close()
    edit(library, "One", note="at home")
    code, _, err = run("library", "sync", copy, address)
    assert code == 1 and "clash: One" in err
