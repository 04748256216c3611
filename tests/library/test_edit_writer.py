"""Edits on their way into a library: kept, merged, drafted, proposed, refused, or waiting until it answers."""

from __future__ import annotations

import msgspec
import pytest

from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.edit_writer import EditWriter, Request
from zesty_abacus.core.library.errors import ClashError, UnreachableError
from zesty_abacus.core.library.proposals import Rules
from zesty_abacus.core.library.steps import Drafted, EditStep, Kept, Proposed, Refused
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.unsent import WaitingEdits

POD = new_layout("Pod", Applies(address=0x1A1), 8, [new_field("rate", at("B0")), new_field("angle", at("B1"))])


def with_unit(layout, unit, name="rate"):
    field = next(one for one in layout.fields if one.name == name)
    return layout.with_field(msgspec.structs.replace(field, unit=unit))


@pytest.fixture
def library(tmp_path):
    made = Library.create(tmp_path / "l.sqlite")
    yield made
    made.close()


@pytest.fixture
def writer(library, tmp_path):
    return EditWriter(library, WaitingEdits(tmp_path / "waiting", library))


@pytest.fixture
def kept(library):
    library.layouts.commit(POD, parent=None, author="ada", reason="began")
    return Kept.of(library.layouts.head_of(POD.id))


def step(before, after, **more):
    return EditStep((after or before).id, before, after, "because", **more)


def newest(library):
    head = library.layouts.head_of(POD.id)
    return head.state if head is not None else None


def test_a_new_layout_is_kept_under_its_author_and_reason(library, writer):
    answer = writer.write(Request(step(None, POD), None, None), "mara")
    assert isinstance(answer, Kept) and answer.layout == POD == newest(library)
    (change,) = library.layouts.history(POD.id)
    assert (change.author, change.reason, change.id) == ("mara", "because", answer.revision)


def test_an_edit_made_before_the_answer_to_the_one_before_goes_on_top_of_it(library, writer, kept):
    first, second = with_unit(POD, "rad"), with_unit(with_unit(POD, "rad"), "deg", "angle")
    writer.write(Request(step(POD, first), kept, None), "mara")
    answer = writer.write(Request(step(first, second), kept, None), "mara")
    assert answer.layout == second == newest(library) and len(library.layouts.history(POD.id)) == 3


def test_what_others_kept_is_merged_and_a_clash_is_an_answer(library, writer, kept):
    library.layouts.commit(with_unit(POD, "m", "angle"), parent=kept.revision, author="ada", reason="theirs")
    answer = writer.write(Request(step(POD, with_unit(POD, "rad")), kept, None), "mara")
    assert answer.layout == with_unit(with_unit(POD, "m", "angle"), "rad")
    other = EditWriter(library, writer._waiting).write(Request(step(POD, with_unit(POD, "deg")), kept, None), "jo")
    assert isinstance(other, ClashError) and newest(library) == answer.layout


def test_a_layout_is_removed_and_one_that_was_never_there_is_refused(library, writer, kept):
    answer = writer.write(Request(step(POD, None), kept, None), "mara")
    assert isinstance(answer, Kept) and answer.head is None and newest(library) is None
    stranger = new_layout("other", Applies(address=1), 1)
    refused = writer.write(Request(step(stranger, None), None, None), "mara")
    assert isinstance(refused, Refused) and refused.newest is None and "never had" in refused.sentence


def test_where_others_have_to_agree_an_edit_is_a_draft_and_a_removal_a_proposal(library, writer, kept):
    library.proposals.set_rules(Rules(needed=1), author="ada")
    changed = with_unit(POD, "rad")
    answer = writer.write(Request(step(POD, changed), kept, None), "mara")
    assert isinstance(answer, Drafted) and answer.draft.parent == kept.revision and answer.draft.base == POD
    assert newest(library) == POD and writer.read_drafts("mara") == [(changed, answer.draft)]
    assert writer.read_drafts("ada") == [], "they are one's own"
    # back to what it began from: nothing is left in the draft
    assert writer.write(Request(step(changed, POD, is_draft=True), kept, answer.draft), "mara") == answer
    assert writer.read_drafts("mara") == []
    proposed = EditWriter(library, writer._waiting).write(Request(step(POD, None), kept, None), "mara")
    assert proposed == Proposed("Pod") and newest(library) == POD
    assert [one.author for one in library.proposals.of_layout(POD.id) if one.is_open] == ["mara"]


def test_a_draft_of_a_new_layout_goes_without_a_trace_when_it_is_taken_back(library, writer):
    drafted = writer.write(Request(step(None, POD, is_draft=True), None, None), "mara")
    assert drafted.draft.parent is None and newest(library) is None
    assert writer.write(Request(step(POD, None, is_draft=True), None, drafted.draft), "mara") == Drafted(None)
    assert writer.read_drafts("mara") == []


def test_a_draft_is_proposed_kept_at_once_or_thrown_away(library, writer, kept):
    changed = with_unit(POD, "rad")
    draft = writer.write(Request(step(POD, changed, is_draft=True), kept, None), "mara").draft
    assert writer.propose(POD.id, changed, draft, "mara", "why") == Proposed("Pod")
    assert writer.read_drafts("mara") == []
    writer.propose(POD.id, with_unit(POD, "deg"), draft, "mara", "better")
    assert len(library.proposals.of_layout(POD.id)) == 1, "in the talk that is open already"
    draft = writer.write(Request(step(POD, changed, is_draft=True), kept, None), "mara").draft
    answer = writer.keep_draft(changed, draft, "mara", "at once")
    assert answer.layout == changed == newest(library) and writer.read_drafts("mara") == []
    late = writer.keep_draft(with_unit(POD, "deg"), draft, "mara", "too late")
    assert isinstance(late, ClashError) and newest(library) == changed


def test_edits_wait_behind_one_that_was_not_answered_until_it_is_tried_again(library, writer, kept, monkeypatch):
    away = UnreachableError("the library does not answer.", where="here")

    def silent(*_arguments, **_how):
        raise away

    first, second = step(POD, with_unit(POD, "rad")), step(POD, with_unit(POD, "deg", "angle"))
    with monkeypatch.context() as patched:
        patched.setattr(type(library.layouts), "commit_merged", silent)
        request = Request(first, kept, None, behind=(second.as_waiting(),))
        assert writer.write(request, "mara") is away is request.answer
        assert writer._waiting.path.exists(), "it is written down, with what waits behind it"
    waiting = msgspec.json.decode(writer._waiting.path.read_bytes())
    assert "rad" in str(waiting) and "deg" in str(waiting)
    assert isinstance(writer.write(Request(second, kept, None), "mara"), UnreachableError), "not before the first"
    assert newest(library) == POD
    assert writer.write(Request(first, kept, None), "mara", again=True).layout == with_unit(POD, "rad")
    assert writer.write(Request(second, kept, None), "mara").layout == with_unit(with_unit(POD, "rad"), "deg", "angle")
