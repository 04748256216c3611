"""Shelves, proposals and followers against simple models of them, under random use."""

from __future__ import annotations

import tempfile
from pathlib import Path
from uuid import uuid4

import msgspec
import pytest
import sqlalchemy as sa
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.library.test_shared import with_unit
from tests.library.test_store import pod
from zesty_abacus.core.layouts.json_form import layout_to_json
from zesty_abacus.core.library.documents import Comment
from zesty_abacus.core.library.errors import ClashError, LibraryError, StaleParentError
from zesty_abacus.core.library.follow import Follower
from zesty_abacus.core.library.proposals import Rules, Step
from zesty_abacus.core.library.store import Library

ABOUT = uuid4()
NAMES = [uuid4() for _ in range(3)]
DOCUMENT_STEPS = st.lists(
    st.tuples(st.sampled_from(["commit", "stale", "remove"]), st.integers(0, 2), st.text(max_size=5)), max_size=14
)


@settings(max_examples=25)
@given(DOCUMENT_STEPS)
def test_a_shelf_keeps_what_a_dictionary_with_lists_would(steps):
    with tempfile.TemporaryDirectory() as folder:
        library = Library.create(Path(folder) / "library.sqlite")
        shelf = library.comments
        newest, states, parents = {}, {key: [] for key in NAMES}, {}
        for what, number, text in steps:
            key = NAMES[number]
            comment = Comment(key, ABOUT, text)
            if what == "remove":
                if key in newest:
                    parents[key] = shelf.remove(key, parent=parents[key], author="a").id
                    states[key].append(None)
                    del newest[key]
            elif what == "stale" and key in newest:
                with pytest.raises(StaleParentError):
                    shelf.commit(comment, parent=parents[key] + 1000, author="a")
            else:
                parents[key] = shelf.commit(comment, parent=parents.get(key), author="a").id
                states[key].append(comment)
                newest[key] = comment
        assert {head.state.id: head.state for head in shelf.heads()} == newest
        assert {head.state.id for head in shelf.about(ABOUT)} == set(newest)
        for key, expected in states.items():
            history = shelf.history(key)[::-1]
            assert [one.removed for one in history] == [state is None for state in expected]
            assert [None if one.removed else shelf.state_at(one.id) for one in history] == expected
            assert [one.parent_id for one in history] == [None, *(one.id for one in history)][: len(history)]
        library.close()


PEOPLE = ("mara", "jo", "ada")
TALK_STEPS = st.lists(
    st.tuples(
        st.sampled_from(["agree", "reply", "send_back", "withdraw", "propose_again", "rules"]),
        st.sampled_from(PEOPLE), st.integers(0, 2),
    ),
    max_size=14,
)  # fmt: skip


class Talk:
    """What a proposal of mara is expected to do, in a few lines."""

    def __init__(self):
        self.standing, self.agreed, self.needed, self.number = Step.PROPOSED, set(), 0, 0

    @property
    def is_open(self):
        return self.standing in (Step.PROPOSED, Step.SENT_BACK)

    def may(self, what, who):
        if what == "rules":
            return True
        own = {"agree": who != "mara", "withdraw": who == "mara", "propose_again": who == "mara"}.get(what, True)
        return self.is_open and own and not (what == "agree" and self.standing is Step.SENT_BACK)

    def take(self, what, who, number):
        if what == "rules":
            self.needed = number
        elif what == "agree":
            self.agreed.add(who)
            if len(self.agreed) >= max(self.needed, 1):
                self.standing = Step.KEPT
        elif what == "send_back":
            self.standing = Step.SENT_BACK
        elif what == "withdraw":
            self.standing = Step.WITHDRAWN
        elif what == "propose_again":
            self.standing, self.number = Step.PROPOSED, number
            self.agreed.clear()


@settings(max_examples=40)
@given(TALK_STEPS)
def test_a_proposal_does_what_a_few_lines_say(steps):
    with tempfile.TemporaryDirectory() as folder:
        library = Library.create(Path(folder) / "library.sqlite")
        shelf, first, talk = library.proposals, pod(), Talk()
        parent = library.layouts.commit(first, parent=None, author="mara").id
        units = ["rad", "gon", "turn"]
        key = shelf.propose(first.id, with_unit(first, units[0]), parent=parent, author="mara", reason="r")
        for what, who, number in steps:
            changed = with_unit(first, units[number])
            calls = {
                "rules": lambda number=number, who=who: shelf.set_rules(Rules(number), author=who),
                "propose_again": lambda changed=changed, who=who: shelf.propose_again(
                    key, changed, parent=parent, author=who, reason="r"
                ),
            }
            call = calls.get(what, lambda what=what, who=who: getattr(shelf, what)(key, author=who, text="words"))
            if talk.may(what, who):
                call()
                talk.take(what, who, number)
            else:
                with pytest.raises(LibraryError):
                    call()
            found = shelf.get(key)
            assert (found.standing, found.is_open) == (talk.standing, talk.is_open)
            if talk.is_open:
                assert set(found.agreed) == talk.agreed and found in shelf.open()
        expected = units[talk.number] if talk.standing is Step.KEPT else "deg"
        assert library.layouts.states()[0].field_named("angle").unit == expected
        assert len(library.layouts.history(first.id)) == 1 + (talk.standing is Step.KEPT)
        library.close()


FOLLOWED = st.lists(
    st.tuples(st.sampled_from(["commit", "remove", "look"]), st.integers(0, 3), st.integers(0, 9)), max_size=20
)


@settings(max_examples=25)
@given(FOLLOWED)
def test_a_follower_knows_what_the_library_holds_after_each_look(steps):
    layouts = [msgspec.structs.replace(pod(f"m{n}", n), id=NAMES[n % 3] if n < 3 else ABOUT) for n in range(4)]
    with tempfile.TemporaryDirectory() as folder:
        library = Library.create(Path(folder) / "library.sqlite")
        follower, known = Follower(library, 0), {}
        for what, number, note in [*steps, ("look", 0, 0)]:
            layout = msgspec.structs.replace(layouts[number], note=str(note))
            head = library.layouts.head_of(layout.id)
            if what == "commit":
                library.layouts.commit(layout, parent=head.revision.id if head else None, author="a")
            elif what == "remove" and head is not None:
                library.layouts.remove(layout.id, parent=head.revision.id, author="a")
            elif what == "look":
                seen = follower.look()
                known |= {one.state.id: one.state for one in seen.heads}
                known = {key: one for key, one in known.items() if key not in seen.removed}
                assert known == {one.id: one for one in library.layouts.states()}
                assert follower.look().heads == [], "nothing is told twice"
        library.close()


def test_a_change_that_was_begun_earlier_and_is_seen_later_is_told(library, cluster):
    """Numbers are given when a change begins; on a server another may be done first."""
    if library.address.url is None:
        pytest.skip("a file takes one change after another")
    slow, quick = pod("slow", 1), pod("quick", 2)
    quick = msgspec.structs.replace(quick, id=uuid4())
    parent = library.layouts.commit(slow, parent=None, author="a").id
    follower = Follower(library, parent)
    follower.look()
    insert = sa.text(
        "INSERT INTO revision (layout_id, number, parent_id, author, time_us, reason, document) "
        "VALUES (:layout, 2, :parent, 'slow', 1, 'x', :document) RETURNING id"
    )
    late = msgspec.structs.replace(slow, note="late")
    values = {"layout": str(slow.id), "parent": parent, "document": layout_to_json(late).decode()}
    with library.engine.connect() as connection:
        number = connection.execute(insert, values).scalar()
        connection.execute(sa.text("UPDATE head SET revision_id = :id WHERE layout_id = :key"),
                           {"id": number, "key": str(slow.id)})  # fmt: skip
        other = Library.open(library.address)
        assert other.layouts.commit(quick, parent=None, author="quick").id > number
        other.close()
        assert [head.state.name for head in follower.look().heads] == ["quick"]
        connection.commit()
    assert [head.state.note for head in follower.look().heads] == ["late"]
    assert follower.look().heads == []


def test_a_clash_leaves_a_proposal_open_for_another_try(team):
    first, units = pod(), team.mara.proposals
    parent = team.mara.layouts.commit(first, parent=None, author="mara").id
    key = units.propose(first.id, with_unit(first, "rad"), parent=parent, author="mara", reason="r")
    now = team.jo.layouts.commit(with_unit(first, "gon"), parent=parent, author="jo")
    with pytest.raises(ClashError):
        team.jo.proposals.agree(key, author="jo")
    units.propose_again(key, with_unit(first, "rad"), parent=now.id, author="mara", reason="all the same")
    assert team.jo.proposals.agree(key, author="jo")
    assert team.ada.layouts.states()[0].field_named("angle").unit == "rad"
