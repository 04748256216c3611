"""Edits, undo and redo against a simple model: two stacks of states."""

import tempfile
from pathlib import Path

import msgspec
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.desk.test_jobs import live
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.errors import LibraryError, UnreachableError
from zesty_abacus.core.library.proposals import Rules
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.unsent import WaitingEdit
from zesty_abacus.desk.app import laid
from zesty_abacus.desk.app.edits import Edits
from zesty_abacus.desk.app.jobs import Jobs
from zesty_abacus.desk.app.undo import Undo
from zesty_abacus.desk.launch import make_application


class Bench:
    """Edits over a real library in a folder of its own."""

    def __init__(self):
        make_application()
        self._folder = tempfile.TemporaryDirectory()
        self.library = Library.create(Path(self._folder.name) / "library.sqlite")
        self.jobs = Jobs()
        self.undo = Undo()
        self.edits = Edits(self.jobs, self.undo)
        self.edits.line.author = "bench"
        self.edits.start(self.library, self.library.layouts.heads())
        self.refusals = []
        self.edits.refused.connect(self.refusals.append)

    def settle(self):
        live(self.jobs, self.jobs.is_idle)

    def close(self):
        self.jobs.close()
        self.library.close()
        self._folder.cleanup()


@pytest.fixture
def bench():
    made = Bench()
    yield made
    made.close()


LAYOUTS = [new_layout(f"m{n}", Applies(address=n), 8, [new_field("a", at("B0"))]) for n in range(3)]
ACTIONS = st.lists(
    st.one_of(
        st.tuples(st.just("change"), st.integers(0, 2), st.integers(0, 4)),
        st.tuples(st.just("undo"), st.just(0), st.just(0)),
        st.tuples(st.just("redo"), st.just(0), st.just(0)),
    ),
    max_size=14,
)


@settings(max_examples=25, suppress_health_check=[HealthCheck.too_slow])
@given(ACTIONS)
def test_undo_inverts_do_and_redo_inverts_undo(actions):
    bench = Bench()
    try:
        states, undone = [{}], []
        for action, number, note in actions:
            if action == "change":
                layout = msgspec.structs.replace(LAYOUTS[number], note=str(note))
                if bench.edits.change(layout):
                    states.append({**states[-1], layout.id: layout})
                    undone.clear()
            elif action == "undo":
                assert bool(bench.undo.undo()) == (len(states) > 1)
                if len(states) > 1:
                    undone.append(states.pop())
            else:
                assert bool(bench.undo.redo()) == bool(undone)
                if undone:
                    states.append(undone.pop())
            assert {layout.id: layout for layout in bench.edits.layouts()} == states[-1]
            assert bench.undo.can_undo() == (len(states) > 1) and bench.undo.can_redo() == bool(undone)
        bench.settle()
        assert {layout.id: layout for layout in bench.library.layouts.states()} == states[-1], "the library follows"
        assert bench.refusals == []
    finally:
        bench.close()


def test_an_equal_layout_is_no_edit(bench):
    assert bench.edits.change(LAYOUTS[0])
    assert not bench.edits.change(LAYOUTS[0])
    bench.settle()
    assert len(bench.library.layouts.history(LAYOUTS[0].id)) == 1


def test_reasons_are_put_into_words_unless_given(bench):
    bench.edits.change(LAYOUTS[0])
    bench.edits.change(msgspec.structs.replace(LAYOUTS[0], name="other"))
    bench.edits.change(msgspec.structs.replace(LAYOUTS[0], name="third"), "because")
    bench.undo.undo()
    bench.settle()
    reasons = [item.reason for item in bench.library.layouts.history(LAYOUTS[0].id)][::-1]
    assert reasons == ["layout began with 1 field", "renamed to other, was m0", "because", "undone: because"]
    assert {item.author for item in bench.library.layouts.history(LAYOUTS[0].id)} == {"bench"}


def test_another_change_of_another_thing_is_merged_and_undo_leaves_it(bench):
    told = []
    bench.edits.told.connect(told.append)
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    head = bench.library.layouts.head_of(LAYOUTS[0].id)
    bench.library.layouts.commit(
        msgspec.structs.replace(LAYOUTS[0], sender="theirs"), parent=head.revision.id, author="mara"
    )
    bench.edits.change(msgspec.structs.replace(LAYOUTS[0], note="mine"))
    bench.settle()
    both = msgspec.structs.replace(LAYOUTS[0], note="mine", sender="theirs")
    assert bench.library.layouts.states() == bench.edits.layouts() == [both]
    assert "merged with the change by mara" in told[0]
    bench.undo.undo()
    bench.settle()
    assert bench.library.layouts.states() == [msgspec.structs.replace(LAYOUTS[0], sender="theirs")]


def test_edits_made_faster_than_the_answers_never_drop_what_was_merged_in(bench):
    """Three edits are on their way before the first answer, which brings somebody's change with it."""
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    head = bench.library.layouts.head_of(LAYOUTS[0].id)
    bench.library.layouts.commit(
        msgspec.structs.replace(LAYOUTS[0], sender="theirs"), parent=head.revision.id, author="mara"
    )
    layout = LAYOUTS[0]
    for number in range(3):
        layout = msgspec.structs.replace(layout, note=str(number))
        bench.edits.change(layout)
    bench.settle()
    assert bench.library.layouts.states() == bench.edits.layouts() == [msgspec.structs.replace(layout, sender="theirs")]


def test_an_edit_that_waited_is_put_on_top_of_what_others_kept_meanwhile(bench):
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    mine = msgspec.structs.replace(LAYOUTS[0], note="made at sea")
    gone = laid.waiting_edits(bench.library)
    gone.keep([WaitingEdit(mine.id, LAYOUTS[0], mine, "note rewritten")])
    gone.close()
    head = bench.library.layouts.head_of(mine.id)
    bench.library.layouts.commit(
        msgspec.structs.replace(LAYOUTS[0], sender="theirs"), parent=head.revision.id, author="mara"
    )
    bench.edits.start(bench.library, bench.library.layouts.heads())
    bench.edits.line.retry.setInterval(0)
    bench.edits.line.retry.start()
    live(bench.jobs, lambda: bench.library.layouts.states()[0].note == "made at sea")
    bench.settle()
    assert bench.library.layouts.states() == [msgspec.structs.replace(mine, sender="theirs")]
    assert laid.waiting_edits(bench.library).take_over() == []


def test_the_same_thing_changed_by_both_is_asked_and_nothing_is_lost(bench):
    clashes = []
    bench.edits.clashed.connect(clashes.append)
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    head = bench.library.layouts.head_of(LAYOUTS[0].id)
    theirs = msgspec.structs.replace(LAYOUTS[0], note="theirs")
    bench.library.layouts.commit(theirs, parent=head.revision.id, author="another")
    mine = msgspec.structs.replace(LAYOUTS[0], note="mine")
    bench.edits.change(mine)
    bench.settle()
    assert bench.library.layouts.states() == [theirs] and bench.edits.layouts() == [mine], "shown until it is chosen"
    (clash,) = clashes
    bench.edits.choose(clash.merged.layout, clash.theirs)
    bench.settle()
    assert bench.library.layouts.states() == [mine]
    assert bench.library.layouts.history(mine.id)[0].reason.startswith("chosen after a clash: note rewritten")


def test_an_edit_the_library_does_not_take_shows_the_librarys_state_again(bench):
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    head = bench.library.layouts.head_of(LAYOUTS[0].id)
    theirs = msgspec.structs.replace(LAYOUTS[0], note="theirs")
    bench.library.layouts.commit(theirs, parent=head.revision.id, author="another")
    bench.undo.undo()
    bench.settle()
    live(bench.jobs, lambda: bench.edits.layouts() == [theirs])
    assert "changed by another" in bench.refusals[0] and not bench.undo.can_undo()
    assert bench.edits.change(msgspec.structs.replace(theirs, note="after")), "edits go on from there"
    bench.settle()
    assert bench.library.layouts.states()[0].note == "after" and len(bench.refusals) == 1


def test_news_never_turn_back_what_is_newer_here(bench):
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    old = bench.library.layouts.heads()
    bench.edits.change(msgspec.structs.replace(LAYOUTS[0], note="newer"))
    bench.edits.change(LAYOUTS[1])
    bench.settle()
    bench.edits.take_news(old, {})
    assert {layout.note for layout in bench.edits.layouts()} == {"newer", ""} and len(bench.edits.layouts()) == 2
    head = bench.library.layouts.head_of(LAYOUTS[1].id)
    gone = bench.library.layouts.remove(LAYOUTS[1].id, parent=head.revision.id, author="mara")
    bench.edits.take_news([], {LAYOUTS[1].id: gone.id})
    assert [layout.id for layout in bench.edits.layouts()] == [LAYOUTS[0].id]


def test_many_edits_of_one_layout_follow_one_another(bench):
    for number in range(30):
        bench.edits.change(msgspec.structs.replace(LAYOUTS[0], note=str(number)))
    bench.settle()
    history = bench.library.layouts.history(LAYOUTS[0].id)
    assert len(history) == 30 and [item.parent_id for item in history[:-1]] == [item.id for item in history[1:]]


def test_news_that_come_before_the_answer_to_an_own_edit_are_not_lost(bench):
    """Somebody's change is kept after ours and is told of before our answer is."""
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    bench.edits.change(msgspec.structs.replace(LAYOUTS[0], note="mine"))
    # ours is in the library, and its answer not yet here
    bench.jobs._line.submit(lambda: None).result()
    head = bench.library.layouts.head_of(LAYOUTS[0].id)
    assert head.state.note == "mine"
    theirs = msgspec.structs.replace(head.state, sender="theirs")
    bench.library.layouts.commit(theirs, parent=head.revision.id, author="mara")
    bench.edits.take_news(bench.library.layouts.heads(), {})
    assert bench.edits.layouts() == [theirs], "both are shown at once"
    bench.settle()
    assert bench.edits.layouts() == [theirs]


def test_a_step_back_over_a_new_layout_that_others_must_agree_to(bench):
    """It never was in the library, so it is gone without a proposal; done again, it is a draft again."""
    bench.library.proposals.set_rules(Rules(needed=1), author="ada")
    assert bench.edits.change(LAYOUTS[0])
    bench.settle()
    assert bench.edits.drafts.of(LAYOUTS[0].id) is not None and bench.library.layouts.states() == []
    bench.undo.undo()
    bench.settle()
    assert bench.edits.drafts.of(LAYOUTS[0].id) is None and bench.edits.layouts() == []
    bench.undo.redo()
    bench.settle()
    assert [draft.layout for draft in bench.library.drafts.of("bench")] == [LAYOUTS[0]]
    bench.edits.drafts.propose(LAYOUTS[0].id, "")
    bench.settle()
    (waiting,) = bench.library.proposals.open()
    assert waiting.before is None and waiting.reason == "layout began with 1 field"
    assert bench.edits.layouts() == [] and bench.library.drafts.of("bench") == []


def test_removing_what_others_must_agree_to_is_proposed(bench):
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    bench.library.proposals.set_rules(Rules(needed=1), author="ada")
    bench.undo.undo()
    bench.settle()
    (waiting,) = bench.library.proposals.open()
    assert waiting.after is None and waiting.before == LAYOUTS[0]
    assert bench.edits.layouts() == [LAYOUTS[0]], "it is there until they agree"
    bench.library.proposals.agree(waiting.id, author="mara")
    gone = bench.library.layouts.history(LAYOUTS[0].id)[0]
    bench.edits.take_news([], {LAYOUTS[0].id: gone.id})
    assert bench.edits.layouts() == []


def test_a_second_proposal_of_one_author_goes_on_in_the_same_talk(bench):
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    bench.library.proposals.set_rules(Rules(needed=1), author="ada")
    for note in ("first", "second"):
        bench.edits.change(msgspec.structs.replace(LAYOUTS[0], note=note))
        bench.settle()
        bench.edits.drafts.propose(LAYOUTS[0].id, note)
        bench.settle()
    (waiting,) = bench.library.proposals.open()
    assert waiting.after.note == "second" and [event.text for event in waiting.events] == ["first", "second"]


def reopened(bench):
    """Close as a window does, and begin again with the same library."""
    bench.edits.line.close()
    bench.jobs.close()
    bench.edits.line.keep_unheard()
    bench.jobs, bench.undo = Jobs(), Undo()
    bench.edits = Edits(bench.jobs, bench.undo)
    bench.edits.line.author = "bench"
    bench.clashes = []
    bench.edits.clashed.connect(bench.clashes.append)
    bench.edits.start(bench.library, bench.library.layouts.heads())
    bench.edits.line.retry.setInterval(0)
    bench.edits.line.retry.start()
    return bench


def test_a_clash_that_comes_while_the_window_closes_comes_up_the_next_time(bench):
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    head = bench.library.layouts.head_of(LAYOUTS[0].id)
    theirs = msgspec.structs.replace(LAYOUTS[0], note="theirs")
    bench.library.layouts.commit(theirs, parent=head.revision.id, author="another")
    mine = msgspec.structs.replace(LAYOUTS[0], note="mine")
    bench.edits.change(mine)
    # closed before the answer is there
    reopened(bench)
    live(bench.jobs, lambda: bench.clashes)
    (clash,) = bench.clashes
    assert clash.merged.layout == mine and bench.library.layouts.states() == [theirs]
    # and closed again without having chosen
    reopened(bench)
    live(bench.jobs, lambda: bench.clashes)
    bench.edits.choose(bench.clashes[0].merged.layout, bench.clashes[0].theirs)
    bench.settle()
    assert bench.library.layouts.states() == [mine]
    reopened(bench)
    bench.settle()
    assert bench.clashes == [] and bench.library.layouts.states() == [mine]


def test_a_refusal_while_the_window_closes_is_not_lost(bench, monkeypatch):
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    refused = LibraryError("the disk is full.", where="library.sqlite")
    mine = msgspec.structs.replace(LAYOUTS[0], note="mine")
    with monkeypatch.context() as patched:
        patched.setattr(bench.library.layouts, "commit_merged", lambda *_, **__: (_ for _ in ()).throw(refused))
        bench.edits.change(mine)
        bench.edits.line.close()
        bench.jobs.close()
    bench.edits.line.keep_unheard()
    reopened(bench)
    live(bench.jobs, lambda: bench.library.layouts.states() == [mine])


def test_a_disk_that_takes_no_waiting_edit_is_told(bench, monkeypatch):
    def away(*_, **__):
        raise UnreachableError("the server of the library does not answer.", where="here")

    def full(_number):
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(bench.library.layouts, "commit_merged", away)
        patched.setattr("os.fsync", full)
        bench.edits.change(LAYOUTS[0])
        live(bench.jobs, lambda: bench.refusals)
    assert "No space left" in bench.refusals[0] and "Make room" in bench.refusals[0]
    bench.edits.line.retry.setInterval(0)
    bench.edits.line.retry.start()
    live(bench.jobs, lambda: bench.library.layouts.states() == [LAYOUTS[0]])


def test_an_edit_that_is_refused_while_the_next_is_made_takes_nothing_with_it(bench, monkeypatch):
    """A is refused while B is on its way: the library has B alone, the window shows it, and news are taken."""
    bench.edits.change(LAYOUTS[0])
    bench.settle()
    real, calls = bench.library.layouts.commit_merged, []

    def first_refused(layout, **how):
        calls.append(layout)
        if len(calls) == 1:
            raise LibraryError("the disk is full.", where="library.sqlite")
        return real(layout, **how)

    monkeypatch.setattr(bench.library.layouts, "commit_merged", first_refused)
    bench.edits.change(msgspec.structs.replace(LAYOUTS[0], note="a"))
    bench.edits.change(msgspec.structs.replace(LAYOUTS[0], note="a", sender="b"))
    bench.settle()
    only_b = msgspec.structs.replace(LAYOUTS[0], sender="b")
    assert bench.library.layouts.states() == bench.edits.layouts() == [only_b] and len(bench.refusals) == 1
    head = bench.library.layouts.head_of(LAYOUTS[0].id)
    theirs = msgspec.structs.replace(only_b, note="theirs")
    bench.library.layouts.commit(theirs, parent=head.revision.id, author="mara")
    bench.edits.take_news(bench.library.layouts.heads(), {})
    assert bench.edits.layouts() == [theirs]


def test_many_changes_by_others_are_told_once(bench):
    for layout in LAYOUTS:
        bench.edits.change(layout)
    bench.settle()
    changes, told = [], []
    bench.edits.changed.connect(changes.append)
    bench.edits.told.connect(told.append)
    for layout in LAYOUTS:
        head = bench.library.layouts.head_of(layout.id)
        theirs = msgspec.structs.replace(layout, note="theirs")
        bench.library.layouts.commit(theirs, parent=head.revision.id, author="mara")
    extra = [new_layout(f"x{n}", Applies(address=50 + n), 1) for n in range(3)]
    bench.library.layouts.import_all(extra, author="jo", reason="file")
    bench.edits.take_news(bench.library.layouts.heads(), {})
    assert changes == [{one.id for one in (*LAYOUTS, *extra)}]
    assert told == ["6 layouts were changed by mara, jo."]


def test_layouts_that_are_brought_in_together_are_taken_back_together(bench):
    assert bench.edits.change_all(LAYOUTS, "brought in") == 3
    bench.settle()
    assert bench.undo.undo() == "3 layouts changed"
    bench.settle()
    assert bench.edits.layouts() == bench.library.layouts.states() == [] and not bench.undo.can_undo()
    bench.undo.redo()
    bench.settle()
    assert len(bench.library.layouts.states()) == 3
