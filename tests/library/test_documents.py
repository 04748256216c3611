"""Comments, claims, moments and recordings in the library; the list of layouts; who is there; news at once."""

from __future__ import annotations

import threading
import time
from uuid import uuid4

import msgspec
import numpy as np
import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st

from tests.library.test_shared import with_unit
from tests.library.test_store import NASTY, pod
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.layouts.model import new_layout
from zesty_abacus.core.library import documents
from zesty_abacus.core.library import presence as presence_module
from zesty_abacus.core.library.documents import (
    CLAIM,
    COMMENT,
    MOMENTS,
    RECORDING,
    Claim,
    ClaimStanding,
    Comment,
    MomentsCatalogue,
    NamedMoment,
    RecordedLane,
    Recording,
)
from zesty_abacus.core.library.errors import LibraryError, RefusedError, StaleParentError
from zesty_abacus.core.library.search import Standing
from zesty_abacus.core.library.seen_curve import SeenCurve, curve_seen
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync
from zesty_abacus.core.library.tables import document_revision
from zesty_abacus.core.library.watch import watch

TALK = Comment(uuid4(), uuid4(), "seen on run 14\nand on run 15")
DOCUMENTS = {
    "comments": TALK,
    "claims": Claim(uuid4(), "B3 counts up", "thruster", 0x1A0, "B3", ClaimStanding.LIKELY, ("in 400 frames",)),
    "moments": MomentsCatalogue(uuid4(), "towing", (NamedMoment("hook released", "the line is off"),)),
    "recordings": Recording(
        uuid4(), "run14.log", "/data/run14.log", 12, "ab" * 32, 1, 2, (RecordedLane("thruster", "can", 400, 3),)
    ),
}


@pytest.mark.parametrize("shelf", list(DOCUMENTS))
def test_a_document_is_kept_with_its_history(library, shelf):
    place, document = getattr(library, shelf), DOCUMENTS[shelf]
    made = place.commit(document, parent=None, author="mara", reason="")
    assert place.head_of(document.id).state == document and made.number == 1
    with pytest.raises(StaleParentError):
        place.commit(document, parent=None, author="jo")
    place.remove(document.id, parent=made.id, author="jo")
    assert place.heads() == [] and [one.author for one in place.history(document.id)] == ["jo", "mara"]
    assert place.state_at(made.id) == document
    for other in DOCUMENTS:
        assert getattr(library, other).heads() == [], "each sort is on a shelf of its own"


ENDS = st.lists(st.none() | st.floats(allow_nan=False, allow_infinity=False), max_size=4).map(tuple)
# what is kept of a curve is finite or nothing
st.register_type_strategy(SeenCurve, st.builds(SeenCurve, lows=ENDS, highs=ENDS, over=ENDS))


@pytest.mark.parametrize("kind", [COMMENT, CLAIM, MOMENTS, RECORDING])
@given(data=st.data())
def test_documents_survive_their_json(kind, data):
    document = data.draw(st.from_type(kind.type))
    assert msgspec.json.decode(msgspec.json.encode(document), type=kind.type) == document
    assert kind.text(document) is not None and isinstance(document.name, str)


def test_history_of_documents_is_never_rewritten(library):
    library.comments.commit(TALK, parent=None, author="mara")
    for change in ("UPDATE document_revision SET author = 'x'", "DELETE FROM document_revision"):
        with pytest.raises(sa.exc.DBAPIError, match="never rewritten"), library.engine.begin() as connection:
            connection.execute(sa.text(change))


def test_a_damaged_document_says_where_and_hides_no_other(library):
    library.comments.commit(TALK, parent=None, author="mara")
    other = Comment(uuid4(), TALK.about, "another")
    library.comments.commit(other, parent=None, author="mara")
    with library.engine.begin() as connection:
        connection.execute(sa.text(
            "INSERT INTO document_revision (document_id, kind, number, author, time_us, reason, document) "
            "VALUES (:id, 'comment', 2, 'x', 1, 'x', '{\"no\": 1}')"
        ), {"id": str(TALK.id)})  # fmt: skip
        connection.execute(sa.text(
            "UPDATE document_head SET revision_id = (SELECT max(id) FROM document_revision) WHERE document_id = :id"
        ), {"id": str(TALK.id)})  # fmt: skip
    assert [head.state for head in library.comments.heads()] == [other]
    (told,) = library.damage
    assert "comment revision 3" in told and "this is no comment" in told
    with pytest.raises(LibraryError, match="this is no comment"):
        library.comments.state_at(3)


def test_comments_are_about_something_and_are_found_by_what_they_say(library):
    layout = pod()
    library.layouts.commit(layout, parent=None, author="mara")
    for text in ("The sign is WRONG after 12 o'clock", NASTY):
        library.comments.commit(Comment(uuid4(), layout.id, text), parent=None, author="jo")
    library.comments.commit(Comment(uuid4(), uuid4(), "about another"), parent=None, author="jo")
    assert [head.state.text for head in library.comments.about(layout.id)][1] == NASTY
    (hit,) = library.layouts.search("sign is wrong")
    assert (hit.layout_id, hit.matched) == (layout.id, "comment")
    assert library.layouts.search("about another") == []
    (found,) = library.layouts.find("12 o'clock")
    assert found.comments == 2


def test_the_list_tells_how_each_layout_stands(library):
    first, second, third = pod(), new_layout("Winch", pod().applies, 8), new_layout("Hook", pod().applies, 8)
    for layout in (first, second):
        library.layouts.commit(layout, parent=None, author="mara")
    library.releases.make("run 14", author="ada")
    head = library.layouts.head_of(first.id)
    library.layouts.commit(with_unit(first, "rad"), parent=head.revision.id, author="jo")
    library.layouts.commit(third, parent=None, author="jo")
    standing = {found.name: found.standing for found in library.layouts.find()}
    assert standing == {
        "Azimuth feedback": Standing.CHANGED, "Winch": Standing.RELEASED, "Hook": Standing.NEW,
    }  # fmt: skip
    library.proposals.propose(second.id, None, parent=None, author="mara", reason="x")
    (winch,) = library.layouts.find("winch")
    assert (winch.standing, winch.author, winch.changes, winch.matched) == (Standing.PROPOSED, "mara", 1, "name")
    assert winch.lanes == tuple(second.applies.lanes) and winch.address == second.applies.address
    library.releases.make("run 15", author="ada")
    assert {found.name: found.standing for found in library.layouts.find()}["Hook"] is Standing.RELEASED


def test_recipes_and_documents_sail_too(library, tmp_path):
    copy = Library.create(tmp_path / "sea.sqlite")
    made = library.moments.commit(DOCUMENTS["moments"], parent=None, author="ada")
    copy.comments.commit(TALK, parent=None, author="mara")
    report = sync(copy, library, author="mara")
    assert (report.taken, report.given) == (["moments towing"], ["comment seen on run 14"])
    longer = msgspec.structs.replace(DOCUMENTS["moments"], name="towing and hook")
    library.moments.commit(longer, parent=made.id, author="ada")
    here = copy.moments.heads()[0]
    copy.moments.commit(
        msgspec.structs.replace(here.state, name="tow"), parent=here.revision.id, author="mara"
    )  # fmt: skip
    report = sync(copy, library, author="mara")
    assert report.clashed == ["moments tow: ada changed it too."] and not report.taken and not report.given
    talk = library.comments.heads()[0]
    library.comments.remove(TALK.id, parent=talk.revision.id, author="jo")
    assert sync(copy, library, author="mara").taken == ["comment seen on run 14, removed"]
    assert copy.comments.heads() == []
    copy.close()


# who is there


def names_of(people):
    return [one.author for one in people]


def test_windows_see_each_other(team):
    mine, yours = uuid4(), uuid4()
    layout = pod()
    team.mara.presence.say(mine, "mara", layout.id)
    team.jo.presence.say(yours, "jo", None)
    (other,) = team.jo.presence.others(yours)
    assert (other.author, other.layout_id) == ("mara", layout.id)
    team.mara.presence.say(mine, "mara", None)
    assert team.jo.presence.others(yours)[0].layout_id is None
    team.mara.presence.leave(mine)
    assert team.jo.presence.others(yours) == [] and names_of(team.mara.presence.others(mine)) == ["jo"]


def test_a_window_that_says_nothing_is_gone(library, monkeypatch):
    library.presence.say(uuid4(), "mara", None)
    monkeypatch.setattr(presence_module, "GONE_AFTER_S", -1)
    assert library.presence.others(uuid4()) == []


def test_nobody_speaks_for_another_on_a_server(team):
    if team.library.address.url is None:
        pytest.skip("in a file nobody logs in")
    window = uuid4()
    team.mara.presence.say(window, "mara", None)
    team.jo.presence.leave(window)
    assert names_of(team.jo.presence.others(uuid4())) == ["mara"]
    team.rick.presence.say(uuid4(), "rick", None)
    assert names_of(team.jo.presence.others(uuid4())) == ["mara", "rick"], "who only looks is seen too"
    with pytest.raises(RefusedError):
        team.rick.comments.commit(TALK, parent=None, author="rick")


# news


def test_a_watch_hears_of_every_sort_of_change(team):
    layout = pod()
    window = uuid4()
    parents = {}

    def commit():
        parents["layout"] = team.mara.layouts.commit(layout, parent=None, author="mara").id

    changes = [
        commit,
        lambda: team.mara.comments.commit(TALK, parent=None, author="mara"),
        lambda: team.mara.proposals.propose(layout.id, None, parent=None, author="mara", reason="x"),
        lambda: team.ada.releases.make("run 14", author="ada"),
        lambda: team.mara.presence.say(window, "mara", None),
    ]
    _ = team.mara, team.ada
    listening = watch(team.jo)
    assert listening.wait(0.3) == frozenset()
    before = team.jo.marks()
    for change in changes:
        other = threading.Timer(0.1, change)
        other.start()
        began = time.monotonic()
        assert listening.wait(10)
        assert time.monotonic() - began < 5
        other.join()
        while listening.wait(0.1):
            pass
    after = team.jo.marks()
    assert after.layouts > before.layouts and after.documents > before.documents
    assert after.proposals > before.proposals and after.releases > before.releases
    assert after.recipes == before.recipes
    listening.close()


def test_a_window_that_is_only_still_there_is_no_news_on_a_server(team):
    if team.library.address.url is None:
        pytest.skip("a file tells of every commit")
    window = uuid4()
    team.mara.presence.say(window, "mara", None)
    listening = watch(team.jo)
    team.mara.presence.say(window, "mara", None)
    assert listening.wait(0.5) == frozenset()
    team.mara.comments.commit(TALK, parent=None, author="mara")
    assert listening.wait(10) == {"document_revision"}
    listening.close()


def test_a_document_of_a_newer_version_is_shown_as_such_and_hides_no_other(library, monkeypatch):
    known, newer = (Claim(uuid4(), f"B{n} counts", "thruster") for n in range(2))
    library.claims.commit(known, parent=None, author="mara")
    with monkeypatch.context() as later:
        # as a program would write it that knows more of claims
        later.setattr(documents, "_encoded", lambda kind, state: msgspec.json.encode(
            {"version": kind.version + 1, **msgspec.to_builtins(state), "strength": 0.9}))  # fmt: skip
        later_library = Library.open(library.address)
        later_library.claims.commit(newer, parent=None, author="ada")
        later_library.close()
    assert [head.state for head in library.claims.heads()] == [known]
    (said,) = library.damage
    assert "'B1 counts' is a claim by a newer version of this program, and is kept as it is" in said
    with library._reading() as connection:
        kept = connection.execute(sa.select(document_revision.c.document)).scalars().all()
    assert any("strength" in str(one) for one in kept), "nothing of it is lost"


def test_a_claim_says_the_version_that_it_needs():
    """A program that knows no curves goes on reading the claims that have none."""
    plain = Claim(uuid4(), "B0 counts", "thruster")
    seen = curve_seen("B0", Curve.build(np.arange(4) * 10, np.array([1.0, 2, np.nan, 4])), (0, 40))
    curved = msgspec.structs.replace(plain, curves=(seen,))
    said = [msgspec.json.decode(documents._encoded(CLAIM, one)) for one in (plain, curved)]
    assert [one["version"] for one in said] == [1, 2] and "curves" not in said[0]
    assert documents._decoded(CLAIM, documents._encoded(CLAIM, curved), "here") == curved


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=400), st.integers(0, 100))
def test_a_curve_that_is_kept_loses_no_spike(values, lead):
    times = np.arange(len(values)) * 1_000
    curve, over = Curve.build(times, np.array(values)), Curve.build(times, times)
    seen = curve_seen("B0", curve, (0, len(values) * 1_000), over, "own")
    low, high = seen.band()
    assert np.nanmin(low) == pytest.approx(min(values), rel=1e-5, abs=1e-5)
    assert np.nanmax(high) == pytest.approx(max(values), rel=1e-5, abs=1e-5)
    assert len(seen.over) == len(seen.lows) and seen.over_name == "own"
    nothing = curve_seen("B0", curve, (-1_000_000 - lead, -1_000_000))
    assert nothing.value_range() == (0.0, 1.0) and not nothing.over


def test_documents_without_a_version_are_those_of_the_first(library):
    claim = Claim(uuid4(), "B0 counts", "thruster")
    assert documents._decoded(CLAIM, msgspec.json.encode(claim), "here") == claim
    assert documents._decoded(CLAIM, documents._encoded(CLAIM, claim), "here") == claim
