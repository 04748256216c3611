"""The ledger of edits against a library that is a dictionary, with answers and news in any order."""

from __future__ import annotations

from datetime import UTC, datetime
from uuid import UUID

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.layouts.merge import Merged, merge_layouts
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.errors import ClashError, UnreachableError
from zesty_abacus.core.library.history import Revision
from zesty_abacus.core.library.ledger import Ledger
from zesty_abacus.core.library.shelf import Head
from zesty_abacus.core.library.steps import Drafted, DraftInHand, Kept, Proposed, Refused, StepState

LAYOUTS = [
    msgspec.structs.replace(new_layout(f"m{n}", Applies(address=n), 8, [new_field("a", at("B0"))]), id=UUID(int=n))
    for n in range(2)
]


def head_of(layout, number, author="mara", reason="changed"):
    return Head(layout, Revision(number, layout.id, number, None, author, datetime.now(UTC), reason, False))


def changed(layout, **values):
    return msgspec.structs.replace(layout, **values)


@pytest.fixture
def ledger():
    return Ledger([head_of(layout, n + 1) for n, layout in enumerate(LAYOUTS)])


def test_an_edit_is_shown_at_once_and_kept_by_its_answer(ledger):
    mine = changed(LAYOUTS[0], note="mine")
    step = ledger.make(mine.id, mine, "note")
    assert ledger.layout(mine.id) == mine and step.state.is_open and step.before == LAYOUTS[0]
    assert ledger.take(step, Kept.of(head_of(mine, 5))) == set(), "nothing is shown otherwise by that"
    assert ledger.kept(mine.id).revision == 5 and not ledger.open_steps() and step.state is StepState.KEPT


def test_an_edit_that_is_refused_goes_without_what_was_made_after_it(ledger):
    """Edit A is refused while B is made on top of it: B stays, is kept, and news are taken all the same."""
    key = LAYOUTS[0].id
    a = ledger.make(key, changed(LAYOUTS[0], note="a"), "a")
    b = ledger.make(key, changed(ledger.layout(key), sender="b"), "b")
    assert ledger.take(a, Refused("no.", Kept.of(head_of(LAYOUTS[0], 1)))) == {key}
    assert ledger.layout(key) == changed(LAYOUTS[0], sender="b") == b.onto(LAYOUTS[0])
    kept = head_of(changed(LAYOUTS[0], sender="b"), 6)
    assert ledger.take(b, Kept.of(kept)) == set()
    news = head_of(changed(kept.state, note="theirs"), 7)
    assert ledger.is_news(news) and ledger.learn([news], {}) == {key} and ledger.layout(key) == news.state


def test_news_come_below_an_edit_on_its_way(ledger):
    key = LAYOUTS[0].id
    step = ledger.make(key, changed(LAYOUTS[0], note="mine"), "mine")
    assert ledger.learn([head_of(changed(LAYOUTS[0], sender="theirs"), 9)], {}) == {key}
    both = changed(LAYOUTS[0], note="mine", sender="theirs")
    assert ledger.layout(key) == both
    assert ledger.take(step, Kept.of(head_of(both, 10))) == set()


def test_an_own_edit_that_is_told_of_before_its_answer_is_no_news(ledger):
    mine = changed(LAYOUTS[0], note="mine")
    step = ledger.make(mine.id, mine, "mine")
    echo = head_of(mine, 8, "me")
    assert not ledger.is_news(echo) and ledger.learn([echo], {}) == set()
    assert ledger.take(step, Kept.of(echo)) == set() and ledger.layout(mine.id) == mine


def test_old_news_change_nothing(ledger):
    newer = head_of(changed(LAYOUTS[0], note="newer"), 9)
    assert ledger.learn([newer], {}) == {newer.state.id}
    assert ledger.learn([head_of(LAYOUTS[0], 3)], {LAYOUTS[0].id: 4}) == set()
    assert ledger.learn([], {LAYOUTS[0].id: 10}) == {LAYOUTS[0].id} and ledger.layout(LAYOUTS[0].id) is None


def test_many_changes_are_told_of_once(ledger):
    heads = [head_of(changed(layout, note="theirs"), 10 + n) for n, layout in enumerate(LAYOUTS)]
    assert ledger.learn(heads, {}) == {layout.id for layout in LAYOUTS}


def test_a_clash_stays_until_somebody_chooses(ledger):
    mine, theirs = changed(LAYOUTS[0], note="mine"), head_of(changed(LAYOUTS[0], note="theirs"), 9)
    step = ledger.make(mine.id, mine, "mine")
    clash = ClashError("both.", merged=merge_layouts(LAYOUTS[0], mine, theirs.state), theirs=theirs, where="here")
    assert ledger.take(step, clash) == set() and ledger.layout(mine.id) == mine
    assert ledger.open_steps(mine.id, StepState.CLASHED) == [step]
    chosen = ledger.choose(changed(mine, note="both"), theirs, "chosen")
    assert ledger.open_steps() == [chosen] and chosen.before == theirs.state
    assert ledger.layout(mine.id).note == "both"


def test_what_waits_is_open_and_shown(ledger):
    mine = changed(LAYOUTS[0], note="mine")
    step = ledger.make(mine.id, mine, "mine")
    assert ledger.take(step, UnreachableError("away.", where="here")) == set()
    assert ledger.open_steps(None, StepState.WAITING) == [step] and ledger.layout(mine.id) == mine
    assert step.as_waiting() == (mine.id, LAYOUTS[0], mine, "mine", False)


def test_a_draft_is_shown_in_the_place_of_what_is_kept(ledger):
    key = LAYOUTS[0].id
    step = ledger.make(key, changed(LAYOUTS[0], note="draft"), "draft")
    assert ledger.take(step, Drafted(DraftInHand(1, LAYOUTS[0]))) == set()
    assert ledger.learn([head_of(changed(LAYOUTS[0], note="theirs"), 9)], {}) == set(), "the draft is in front"
    assert ledger.make(key, changed(ledger.layout(key), sender="b"), "more").is_draft
    ledger.take(ledger.open_steps()[0], Drafted(ledger.drafts[key]))
    assert ledger.end_draft(key) == {key} and ledger.layout(key).note == "theirs" and not ledger.drafts
    assert ledger.begin_draft(key) == DraftInHand(9, ledger.layout(key))


def test_drafts_from_earlier_are_taken_and_told_of_but_not_over_what_is_in_hand(ledger):
    one, other = LAYOUTS
    ledger.make(other.id, changed(other, note="in hand"), "edit")
    found = [
        (changed(one, note="earlier"), DraftInHand(1, one)), (changed(other, note="earlier"), DraftInHand(1, other))
    ]  # fmt: skip
    assert ledger.take_drafts(found) == {one.id}
    assert (ledger.layout(one.id).note, ledger.layout(other.id).note) == ("earlier", "in hand")
    assert ledger.take_drafts(found) == set(), "it is in hand now"


def test_a_proposed_removal_leaves_the_layout_where_it_is(ledger):
    step = ledger.make(LAYOUTS[0].id, None, "gone")
    assert ledger.layout(LAYOUTS[0].id) is None
    assert ledger.take(step, Proposed("m0")) == {LAYOUTS[0].id} and ledger.layout(LAYOUTS[0].id) == LAYOUTS[0]


def test_a_draft_of_a_new_layout_can_be_taken_back(ledger):
    new = new_layout("new", Applies(address=7), 1)
    ledger.take(ledger.make(new.id, new, "new"), Drafted(DraftInHand(None, None)))
    back = ledger.make(new.id, None, "undone")
    assert ledger.take(back, Drafted(None)) == set() and ledger.layout(new.id) is None and not ledger.drafts


class Dictionary:
    """A library as a dictionary: the newest state of each layout, and how many changes there were."""

    def __init__(self):
        self.states = {layout.id: layout for layout in LAYOUTS}
        self.numbers = {layout.id: n + 1 for n, layout in enumerate(LAYOUTS)}
        self.count = len(LAYOUTS)

    def put(self, layout):
        self.count += 1
        self.states[layout.id], self.numbers[layout.id] = layout, self.count
        return head_of(layout, self.count)

    def head(self, key):
        return head_of(self.states[key], self.numbers[key])


ATTRIBUTES = ("name", "sender", "note")
ACTING = st.lists(
    st.tuples(
        st.sampled_from(["edit", "answer", "refuse", "theirs", "news"]), st.integers(0, 1), st.sampled_from(ATTRIBUTES),
        st.text("xyz", min_size=1, max_size=2),
    ),
    max_size=30,
)  # fmt: skip


@given(ACTING)
def test_whatever_comes_in_whatever_order_the_end_is_what_the_library_holds(actions):
    library, ledger = Dictionary(), Ledger([head_of(layout, n + 1) for n, layout in enumerate(LAYOUTS)])
    on_their_way = []

    def answer(step, *, refused=False):
        newest = library.head(step.layout_id)
        if refused:
            ledger.take(step, Refused("no.", Kept.of(newest)))
            return
        merged: Merged = merge_layouts(step.before, step.after, newest.state)
        if merged.clashes:
            ledger.take(step, ClashError("both.", merged=merged, theirs=newest, where="here"))
            on_their_way.append(ledger.choose(merged.layout, newest, "chosen"))
            return
        ledger.take(step, Kept.of(library.put(merged.layout)))

    for what, number, attribute, text in actions:
        key = LAYOUTS[number].id
        if what == "edit":
            after = changed(ledger.layout(key), **{attribute: text})
            if after != ledger.layout(key):
                on_their_way.append(ledger.make(key, after, "mine"))
                assert ledger.layout(key) == after, "an edit is shown as it was made"
        elif what in ("answer", "refuse") and on_their_way:
            step = on_their_way.pop(0)
            if step in ledger.open_steps():
                answer(step, refused=what == "refuse")
        elif what == "theirs":
            library.put(changed(library.states[key], **{attribute: text}))
        elif what == "news":
            ledger.learn([library.head(key)], {})
        # what is shown follows from the records, whatever came before
        for one in LAYOUTS:
            kept = ledger.kept(one.id).layout
            for step in ledger.open_steps(one.id):
                kept = step.onto(kept)
            assert ledger.layout(one.id) == kept
    while on_their_way:
        step = on_their_way.pop(0)
        if step in ledger.open_steps():
            answer(step)
    ledger.learn([library.head(layout.id) for layout in LAYOUTS], {})
    assert not ledger.open_steps()
    assert {layout.id: layout for layout in ledger.layouts()} == library.states
