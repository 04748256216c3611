"""Changes that others agree to: proposals, rules, drafts; and what the database refuses whoever asks."""

from __future__ import annotations

import threading

import msgspec
import pytest
import sqlalchemy as sa

from tests.library.test_shared import with_unit
from tests.library.test_store import NASTY, pod
from zesty_abacus.core.layouts.model import new_field
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.errors import (
    AgreementNeededError,
    ClashError,
    LibraryError,
    RefusedError,
    UnknownLayoutError,
)
from zesty_abacus.core.library.proposals import Rules, Step
from zesty_abacus.core.library.renewing import propose_on_newest
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync


@pytest.fixture
def first(team):
    """A layout of the library, and the revision that made it."""
    layout = pod()
    return layout, team.mara.layouts.commit(layout, parent=None, author="mara").id


def propose(team, first, unit="rad", reason="radians everywhere"):
    layout, parent = first
    return team.mara.proposals.propose(layout.id, with_unit(layout, unit), parent=parent, author="mara", reason=reason)


def unit_of(library):
    return library.layouts.states()[0].field_named("angle").unit


def test_a_proposal_is_kept_when_a_second_person_agrees(team, first):
    key = propose(team, first)
    (waiting,) = team.jo.proposals.open()
    assert (waiting.id, waiting.author, waiting.name, waiting.reason) == (
        key,
        "mara",
        "Azimuth feedback",
        "radians everywhere",
    )
    assert waiting.before == first[0] and waiting.after.field_named("angle").unit == "rad"
    assert unit_of(team.jo) == "deg", "nothing changed yet"
    assert team.jo.proposals.agree(key, author="jo", text="as in the drawing") is True
    assert unit_of(team.mara) == "rad" and team.mara.proposals.open() == []
    kept = team.mara.layouts.history(first[0].id)[0]
    assert (kept.author, kept.reason) == ("mara", "radians everywhere (agreed by jo)")
    ended = team.mara.proposals.get(key)
    assert ended.standing is Step.KEPT and [event.step for event in ended.events] == [
        Step.PROPOSED, Step.AGREED, Step.KEPT
    ]  # fmt: skip


def test_nobody_agrees_to_a_change_of_their_own(team, first):
    key = propose(team, first)
    with pytest.raises(RefusedError, match="nobody agrees to a change of their own"):
        team.mara.proposals.agree(key, author="mara")
    assert team.mara.proposals.get(key).agreed == () and unit_of(team.mara) == "deg"


def test_another_name_does_not_help_on_a_server(team, first):
    """There it is the login that counts."""
    if team.library.address.url is None:
        pytest.skip("in a file nobody logs in")
    key = propose(team, first)
    with pytest.raises(RefusedError, match="jo and mara are one login here, and nobody agrees"):
        team.mara.proposals.agree(key, author="jo")


def test_a_proposal_sent_back_is_proposed_again_and_agreed_anew(team, first):
    layout, parent = first
    key = propose(team, first, unit="gon")
    team.ada.proposals.set_rules(Rules(needed=2), author="ada")
    assert team.ada.proposals.agree(key, author="ada") is False, "one of two"
    team.jo.proposals.send_back(key, author="jo", text="nobody reads gon")
    with pytest.raises(LibraryError, match="sent back"):
        team.ada.proposals.agree(key, author="ada")
    team.mara.proposals.propose_again(key, with_unit(layout, "rad"), parent=parent, author="mara", reason="rad then")
    assert team.jo.proposals.get(key).agreed == (), "what is new is agreed anew"
    assert team.jo.proposals.agree(key, author="jo") is False
    assert team.ada.proposals.agree(key, author="ada") is True
    assert unit_of(team.jo) == "rad"
    assert team.mara.layouts.history(layout.id)[0].reason == "rad then (agreed by ada, jo)"


def test_agreeing_twice_is_one_agreement(team, first):
    team.ada.proposals.set_rules(Rules(needed=2), author="ada")
    key = propose(team, first)
    assert team.jo.proposals.agree(key, author="jo") is False
    assert team.jo.proposals.agree(key, author="jo") is False
    assert unit_of(team.mara) == "deg"


def test_what_others_kept_since_is_merged_into_what_is_agreed(team, first):
    layout, parent = first
    key = propose(team, first)
    team.jo.layouts.commit(layout.with_field(new_field("rate", at("B3 B2"))), parent=parent, author="jo")
    assert team.jo.proposals.agree(key, author="jo")
    now = team.mara.layouts.states()[0]
    assert now.field_named("angle").unit == "rad" and now.field_named("rate") is not None


def test_a_clash_at_the_agreement_writes_nothing(team, first):
    layout, parent = first
    key = propose(team, first)
    team.jo.layouts.commit(with_unit(layout, "gon"), parent=parent, author="jo")
    with pytest.raises(ClashError, match="jo changed the same: angle"):
        team.jo.proposals.agree(key, author="jo")
    assert team.mara.proposals.get(key).agreed == () and unit_of(team.mara) == "gon"


def test_a_new_layout_and_a_removal_are_proposed_as_well(team):
    layout = pod()
    key = team.mara.proposals.propose(layout.id, layout, parent=None, author="mara", reason="found it")
    assert team.jo.proposals.agree(key, author="jo") and team.jo.layouts.states() == [layout]
    parent = team.jo.layouts.history(layout.id)[0].id
    key = team.jo.proposals.propose(layout.id, None, parent=parent, author="jo", reason="it is gone")
    assert team.jo.proposals.get(key).name == "Azimuth feedback" and team.mara.proposals.agree(key, author="mara")
    assert team.mara.layouts.states() == []


def test_replies_withdrawal_and_ends(team, first):
    key = propose(team, first)
    team.jo.proposals.reply(key, author="jo", text=NASTY)
    with pytest.raises(LibraryError, match="nothing in the reply"):
        team.jo.proposals.reply(key, author="jo", text="  ")
    with pytest.raises(LibraryError, match="say what is to be changed"):
        team.jo.proposals.send_back(key, author="jo", text="")
    with pytest.raises(LibraryError, match="a proposal of mara"):
        team.jo.proposals.withdraw(key, author="jo")
    team.mara.proposals.withdraw(key, author="mara", text="not needed")
    for late in (team.jo.proposals.agree, team.mara.proposals.withdraw):
        with pytest.raises(LibraryError, match="withdrawn already"):
            late(key, author="jo")
    ended = team.jo.proposals.of_layout(first[0].id)[0]
    assert [event.text for event in ended.events][1:] == [NASTY, "not needed"] and not ended.is_open
    assert [one.id for one in team.jo.proposals.all()] == [key] and team.jo.proposals.open() == []
    with pytest.raises(UnknownLayoutError, match="there is no proposal"):
        team.jo.proposals.get(first[0].id)


# rules


def test_where_rules_ask_for_agreement_the_database_takes_nothing_else(team, first):
    layout, parent = first
    team.ada.proposals.set_rules(Rules(needed=1), author="ada")
    assert team.jo.proposals.rules() == Rules(needed=1)
    for attempt in (
        lambda: team.jo.layouts.commit(with_unit(layout, "gon"), parent=parent, author="jo"),
        lambda: team.jo.layouts.commit_merged(with_unit(layout, "gon"), parent=parent, author="jo"),
        lambda: team.jo.layouts.remove(layout.id, parent=parent, author="jo"),
        lambda: team.jo.layouts.import_all([with_unit(layout, "gon")], author="jo", reason="x"),
    ):
        with pytest.raises(AgreementNeededError, match="only changes that others agreed to"):
            attempt()
    assert unit_of(team.jo) == "deg" and len(team.jo.layouts.history(layout.id)) == 1
    assert team.jo.proposals.agree(propose(team, first), author="jo") and unit_of(team.jo) == "rad"
    team.ada.proposals.set_rules(Rules(), author="ada")
    now = team.jo.layouts.head_of(layout.id)
    team.jo.layouts.commit(with_unit(layout, "gon"), parent=now.revision.id, author="jo")


RAW = (
    "INSERT INTO revision (layout_id, number, parent_id, author, time_us, reason, document, proposal_id) "
    "VALUES (:layout, 2, :parent, 'jo', 1, 'x', :document, :proposal)"
)


def by_hand(library, statement, **values):
    with library.engine.begin() as connection:
        connection.execute(sa.text(statement), values)


def test_raw_statements_get_no_change_past_the_rules(team, first):
    """Whoever owns the tables is held to the order of things, too; on a server nobody else writes them at all."""
    layout, parent = first
    team.ada.proposals.set_rules(Rules(needed=1), author="ada")
    key = propose(team, first)
    proposed = team.library.proposals.get(key).state
    for proposal in (None, str(key)):
        with pytest.raises(sa.exc.DBAPIError, match="agreed first"):
            by_hand(team.library, RAW, layout=str(layout.id), parent=parent, document="{}", proposal=proposal)
    agreed = (
        "INSERT INTO proposal_event (proposal_id, layout_id, kind, author, login, time_us, text, agreed_to) "
        "VALUES (:proposal, :layout, 'agreed', :author, :author, 1, '', :state)"
    )
    values = {"proposal": str(key), "layout": str(layout.id), "author": "mara", "state": proposed}
    if team.library.address.url is None:
        with pytest.raises(sa.exc.DBAPIError, match="of their own"):
            by_hand(team.library, agreed, **values)
    with pytest.raises(sa.exc.DBAPIError, match="proposed since"):
        by_hand(team.library, agreed, **{**values, "author": "jo", "state": None})
    by_hand(team.library, agreed, **{**values, "author": "jo"})
    # agreed now, and still only what was agreed
    with pytest.raises(sa.exc.DBAPIError, match="another change was agreed"):
        by_hand(team.library, RAW, layout=str(layout.id), parent=parent, document="{}", proposal=str(key))
    for change in ("UPDATE proposal_event SET text = 'y'", "DELETE FROM proposal_event", "DELETE FROM rule"):
        with pytest.raises(sa.exc.DBAPIError, match="never rewritten"):
            by_hand(team.library, change)


def test_a_table_of_the_same_name_does_not_hide_the_rules(team, first):
    """Temporary tables are found before others, unless whoever looks says otherwise."""
    if team.library.address.url is None:
        pytest.skip("a file has no temporary tables of others")
    layout, parent = first
    team.ada.proposals.set_rules(Rules(needed=1), author="ada")
    with team.jo.engine.connect() as connection:
        for statement in (
            "CREATE TEMP TABLE rule (id int, needed int, agreed_by text)", "INSERT INTO rule VALUES (1, 0, '[]')",
            "CREATE TEMP TABLE proposal_event AS SELECT * FROM public.proposal_event",
        ):  # fmt: skip
            connection.execute(sa.text(statement))
        values = {"layout": str(layout.id), "parent": parent, "document": "{}", "proposal": None}
        kept = "SELECT * FROM zesty_keep_layout(:layout, :parent, 'jo', 'x', :document, :proposal, '{}')"
        values["document"] = f'{{"id": "{layout.id}"}}'
        with pytest.raises(sa.exc.DBAPIError, match="agreed first"):
            connection.execute(sa.text(kept), values)


def test_every_row_says_the_login_it_came_from(team, first):
    key = propose(team, first)
    team.jo.proposals.reply(key, author="captain", text="looks right")
    event = team.ada.proposals.get(key).events[-1]
    on_server = team.library.address.url is not None
    assert (event.author, event.login) == ("captain", "jo" if on_server else "captain")
    assert team.ada.layouts.history(first[0].id)[0].login == ("mara" if on_server else "")


def test_one_agreement_is_one_change(team, first):
    """Who was agreed with once cannot write again on the strength of it."""
    layout, _ = first
    key = propose(team, first)
    team.jo.proposals.agree(key, author="jo")
    team.ada.proposals.set_rules(Rules(needed=1), author="ada")
    now = team.mara.layouts.history(layout.id)[0]
    with pytest.raises(sa.exc.DBAPIError, match="agreed first"):
        by_hand(
            team.library, RAW.replace(", 2,", ", 3,"), layout=str(layout.id), parent=now.id, document="{}",
            proposal=str(key),
        )  # fmt: skip


def test_only_those_the_rules_name_agree(team, first):
    named = "ada" if team.library.address.url is None else "zesty_keeper"
    team.ada.proposals.set_rules(Rules(needed=1, agreed_by=(named,)), author="ada")
    key = propose(team, first)
    with pytest.raises(RefusedError, match="let others agree"):
        team.jo.proposals.agree(key, author="jo")
    assert team.ada.proposals.agree(key, author="ada") is True


def test_rules_that_nobody_could_meet_are_refused(library):
    with pytest.raises(LibraryError, match="so many cannot agree"):
        library.proposals.set_rules(Rules(needed=-1), author="a")
    if library.address.url is None:
        with pytest.raises(LibraryError, match="so many cannot agree"):
            library.proposals.set_rules(Rules(needed=2, agreed_by=("ada",)), author="a")
    assert library.proposals.rules() == Rules()


def test_a_writer_does_not_make_rules_on_a_server(team):
    if team.library.address.url is None:
        pytest.skip("a file has no roles")
    with pytest.raises(RefusedError):
        team.jo.proposals.set_rules(Rules(), author="jo")
    with pytest.raises(RefusedError):
        team.rick.proposals.propose(pod().id, pod(), parent=None, author="rick", reason="x")


@pytest.mark.parametrize(
    ("rules", "words"),
    [
        (Rules(), "Changes are kept at once."),
        (Rules(1), "Changes are kept when one other person agrees."),
        (Rules(2, ("ada", "jo")), "Changes are kept when 2 other people of ada, jo agree."),
    ],
)
def test_rules_say_themselves(rules, words):
    assert rules.words() == words


def test_two_who_agree_at_once_keep_the_change_once(team, first):
    key = propose(team, first)
    outcomes = []

    def agree(name):
        try:
            outcomes.append(getattr(team, name).proposals.agree(key, author=name))
        except LibraryError as error:
            outcomes.append(error.message)

    _ = team.jo, team.ada
    threads = [threading.Thread(target=agree, args=(name,)) for name in ("jo", "ada")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(map(str, outcomes)) == ["True", "this proposal is kept already."]
    assert len(team.mara.layouts.history(first[0].id)) == 2


# drafts


def test_a_draft_is_seen_by_its_author_alone(team, first):
    layout, parent = first
    team.mara.drafts.keep(with_unit(layout, "gon"), parent=parent, author="mara", reason="a try")
    team.mara.drafts.keep(with_unit(layout, "rad"), parent=parent, author="mara", reason="a better one")
    team.jo.drafts.keep(with_unit(layout, "turn"), parent=parent, author="jo")
    (mine,) = team.mara.drafts.of("mara")
    assert mine.layout.field_named("angle").unit == "rad" and (mine.parent, mine.reason) == (parent, "a better one")
    team.jo.drafts.drop(layout.id, author="jo")
    assert team.jo.drafts.of("jo") == [] and len(team.mara.drafts.of("mara")) == 1
    assert unit_of(team.jo) == "deg"


def test_the_server_itself_hides_drafts(team, first):
    if team.library.address.url is None:
        pytest.skip("a file is as open as its folder")
    layout, parent = first
    team.mara.drafts.keep(with_unit(layout, "gon"), parent=parent, author="mara")
    with team.jo.engine.begin() as connection:
        assert connection.execute(sa.text("SELECT count(*) FROM draft")).scalar() == 0
    team.jo.drafts.drop(layout.id, author="mara")
    assert team.mara.drafts.of("mara")[0].layout.field_named("angle").unit == "gon"
    assert team.jo.drafts.of("mara") == []


# a working copy and agreement


def test_what_a_copy_brings_home_is_proposed_where_changes_are_agreed(team, first, tmp_path):
    layout, _ = first
    copy = Library.create(tmp_path / "sea.sqlite")
    sync(copy, team.mara, author="mara")
    team.ada.proposals.set_rules(Rules(needed=1), author="ada")
    head = copy.layouts.head_of(layout.id)
    copy.layouts.commit(with_unit(layout, "rad"), parent=head.revision.id, author="mara", reason="at sea")
    assert sync(copy, team.mara, author="mara").proposed == ["Azimuth feedback"]
    assert sync(copy, team.mara, author="mara").proposed == ["Azimuth feedback"], "it waits, and is not proposed twice"
    (waiting,) = team.jo.proposals.open()
    assert waiting.reason == "at sea" and team.jo.proposals.agree(waiting.id, author="jo")
    report = sync(copy, team.mara, author="mara")
    assert report.proposed == [] and unit_of(copy) == "rad" == unit_of(team.mara)
    team.ada.proposals.set_rules(Rules(), author="ada")
    note = msgspec.structs.replace(team.mara.layouts.states()[0], note="later")
    team.mara.layouts.commit(note, parent=team.mara.layouts.history(layout.id)[0].id, author="mara")
    assert (
        sync(copy, team.mara, author="mara").taken == ["Azimuth feedback"] and copy.layouts.states()[0].note == "later"
    )
    copy.close()


# what was agreed is what is kept


def test_a_change_on_another_state_is_another_change(team, first):
    """Somebody kept something since: what was agreed would not be what is kept, so its author proposes anew."""
    layout, parent = first
    key = propose(team, first)
    moved = msgspec.structs.replace(layout, sender="the pod")
    team.ada.layouts.commit(moved, parent=parent, author="ada")
    team.ada.proposals.set_rules(Rules(needed=1), author="ada")
    seen = team.jo.proposals.get(key).state
    with pytest.raises(AgreementNeededError, match="proposes it anew"):
        team.jo.proposals.agree(key, author="jo", seen=seen)
    assert team.jo.proposals.get(key).agreed == (), "nothing of it is kept"
    with pytest.raises(LibraryError, match="proposal of"):
        propose_on_newest(team.jo, key, author="jo")
    assert propose_on_newest(team.mara, key, author="mara") is True
    assert propose_on_newest(team.mara, key, author="mara") is False
    with pytest.raises(LibraryError, match="proposed since"):
        team.jo.proposals.agree(key, author="jo", seen=seen)
    assert team.jo.proposals.agree(key, author="jo", seen=team.jo.proposals.get(key).state) is True
    both = team.ada.layouts.head_of(layout.id).state
    assert both.sender == "the pod" and unit_of(team.ada) == team.jo.proposals.get(key).after.field_named("angle").unit


def test_one_login_with_two_names_agrees_once(team, first):
    if team.library.address.url is None:
        pytest.skip("in a file a name is all there is")
    team.ada.proposals.set_rules(Rules(needed=2), author="ada")
    key = propose(team, first)
    assert team.jo.proposals.agree(key, author="jo") is False
    assert team.jo.proposals.agree(key, author="somebody else") is False
    assert team.ada.proposals.agree(key, author="ada") is True
