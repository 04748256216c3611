"""The library's page, driven with mouse and keys: find, agree, release, list; what others do shows by itself."""

from __future__ import annotations

from contextlib import contextmanager
from fractions import Fraction
from uuid import uuid4

import msgspec
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QMenu, QPushButton, QWidget

from tests.desk.conftest import let_go
from tests.desk.pilot import Pilot
from zesty_abacus.core.library.documents import Comment
from zesty_abacus.core.library.proposals import Rules, Step
from zesty_abacus.core.library.store import Library
from zesty_abacus.desk.app.library_choice import use_library
from zesty_abacus.desk.around.changed_curves import ChangedCurves
from zesty_abacus.desk.desks.library.layout_list import address_words
from zesty_abacus.desk.launch import make_window

FEEDBACK = 0x1A1


@pytest.fixture
def other(pilot):
    """Somebody else at the same library."""
    library = Library.open(pilot.session.library.address)
    pilot.session.set_author("mara")
    yield library
    library.close()


@contextmanager
def opened_again(folder):
    """Hands on another window that opens a trial."""
    window = make_window()
    window.show()
    window.session.trials.open(folder)
    hands = Pilot(window)
    hands.wait_open()
    yield hands
    window.close()
    let_go(window)


def unit_shown(pilot):
    """Return the unit of the rate as the window shows it."""
    return pilot.session.reading.layout_of(pilot.kind(FEEDBACK)).field_named("rate").unit


def head_of(library, name="Azimuth feedback port"):
    return next(head for head in library.layouts.heads() if head.state.name == name)


def with_unit(head, unit):
    return head.state.with_field(msgspec.structs.replace(head.state.field_named("rate"), unit=unit))


def propose(other, unit="rad/s"):
    head = head_of(other)
    return other.proposals.propose(
        head.state.id, with_unit(head, unit), parent=head.revision.id, author="jo", reason="the drawing says so"
    )


def shown(pilot):
    return [one.name for one in pilot.window.library.list.model.found]


def test_layouts_are_found_as_one_types_and_opened_with_a_key(pilot, other):
    pilot.key(Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    view = pilot.window.library.list
    pilot.wait(lambda: len(shown(pilot)) == len(pilot.session.edits.layouts()), "all layouts")
    QTest.keyClicks(view.line, "feedback p")
    pilot.wait(lambda: shown(pilot) == ["Azimuth feedback port"], "the search")
    assert view.count.text() == "1 layout"
    pilot.type(view.line, "0x1A1")
    pilot.wait(lambda: "Azimuth feedback port" in shown(pilot), "by address")
    assert address_words(view.current) == "0x1A1"
    pilot.type(view.line, "no such thing")
    pilot.wait(lambda: view.nothing.isVisible(), "the hint")
    assert "Nothing is found" in view.nothing.text() and not view.view.isVisible()
    pilot.type(view.line, "azimuth feedback port", enter=True)
    pilot.wait(lambda: shown(pilot) == ["Azimuth feedback port"], "the search")
    QTest.keyClick(view.view, Qt.Key.Key_Return)
    pilot.settle()
    assert pilot.window.desk_name == "Layouts" and pilot.session.in_hand.kind == pilot.kind(FEEDBACK)


def test_filters_by_lane_standing_and_author(pilot, other):
    other.releases.make("run 14", author="ada")
    head = head_of(other)
    other.layouts.commit(with_unit(head, "rad/s"), parent=head.revision.id, author="jo")
    pilot.window.show_library()
    view = pilot.window.library.list
    pilot.wait(lambda: view.author.findData("jo") >= 0, "the other's change")
    view.author.setCurrentIndex(view.author.findData("jo"))
    assert shown(pilot) == ["Azimuth feedback port"] and view.count.text().startswith("1 of ")
    view.author.setCurrentIndex(0)
    view.standing.setCurrentIndex(view.standing.findData("changed since the release"))
    assert shown(pilot) == ["Azimuth feedback port"]
    view.standing.setCurrentIndex(0)
    view.lane.setCurrentIndex(view.lane.findData("winch"))
    assert shown(pilot) and all("winch" in one.lanes for one in view.model.found)


def test_the_chosen_layout_is_told_and_talked_about(pilot, other):
    pilot.window.show_library()
    view, side = pilot.window.library.list, pilot.window.library.side
    pilot.type(view.line, "azimuth feedback port")
    pilot.wait(lambda: side.name.text() == "Azimuth feedback port", "the chosen layout")
    pilot.type(side.talk.line, "the sign turns at 12 <b>o'clock</b>", enter=True)
    pilot.wait(lambda: len(side.talk.said) == 1, "what was said")
    about = side.layout_id
    other.comments.commit(Comment(uuid4(), about, "not on run 15"), parent=None, author="jo")
    pilot.wait(lambda: len(side.talk.said) == 2, "the answer")
    assert [head.revision.author for head in side.talk.said] == ["mara", "jo"]
    pilot.click(side.open)
    assert pilot.window.desk_name == "Layouts"
    talk = pilot.window.layouts.side.talk
    pilot.wait(lambda: len(talk.said) == 2, "the talk on the desk")


def test_a_proposal_is_seen_compared_and_agreed_to(pilot, other):
    key = propose(other)
    window = pilot.window
    pilot.wait(lambda: "1 proposed" in window.header.library.text(), "the header to say so")
    pilot.key(Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    inbox = window.library.inbox
    pilot.wait(lambda: len(inbox.cards) == 1, "the card")
    (card,) = inbox.cards
    assert "What is proposed waits until somebody else agrees." in inbox.rules.text()
    assert "0 of 1 agreed" in card.standing.text() and window.library.tabs.tabText(1) == "Proposals (1)"
    pilot.click(card.buttons["compare"])
    comparison = window.layouts.comparison
    assert comparison.isVisible() and comparison.titles[1].text() == "as jo proposes"
    (row,) = [one for one in comparison.compared if one.standing.value == "changed"]
    assert (row.before.unit, row.after.unit) == ("deg/s", "rad/s")
    pilot.click(comparison.close_button)
    window.show_library("Proposals")
    pilot.settle()
    (card,) = inbox.cards
    pilot.type(card.line, "looks right")
    pilot.click(card.buttons["reply"])
    pilot.wait(lambda: len(other.proposals.get(key).events) == 2, "the reply")
    pilot.wait(lambda: inbox.cards and inbox.cards[0] is not card, "a new card")
    pilot.click(inbox.cards[0].buttons["agree"])
    pilot.wait(lambda: not inbox.cards, "the inbox to be empty")
    assert head_of(other).state.field_named("rate").unit == "rad/s"
    pilot.wait(lambda: unit_shown(pilot) == "rad/s", "the window")
    inbox.ended.setChecked(True)
    pilot.wait(lambda: len(inbox.cards) == 1, "what ended")
    assert "kept" in inbox.cards[0].standing.text() and "agree" not in inbox.cards[0].buttons


def test_a_proposal_is_sent_back_with_words_only(pilot, other):
    key = propose(other)
    pilot.window.show_library("Proposals")
    inbox = pilot.window.library.inbox
    pilot.wait(lambda: len(inbox.cards) == 1, "the card")
    pilot.click(inbox.cards[0].buttons["send_back"])
    assert "say what is to be changed" in pilot.window.foot.told.text()
    pilot.type(inbox.cards[0].line, "which way round?")
    pilot.click(inbox.cards[0].buttons["send_back"])
    pilot.wait(lambda: other.proposals.get(key).standing is Step.SENT_BACK, "the answer")
    pilot.wait(lambda: "sent back" in inbox.cards[0].standing.text(), "the card")
    assert not inbox.cards[0].buttons["agree"].isEnabled()


def test_a_card_shows_what_its_change_makes_of_the_open_capture(pilot, other):
    """Of each number that changes, with the words of how many more do; a message that is not here has no curve."""
    head = head_of(other)
    numbers = [field for field in head.state.fields if field.raw_is_number]
    changed = head.state
    for field in numbers:
        changed = changed.with_field(msgspec.structs.replace(field, ratio=field.ratio * 2, low=None, high=None))
    other.proposals.propose(head.state.id, changed, parent=head.revision.id, author="jo", reason="all twice")
    pilot.window.show_library("Proposals")
    inbox = pilot.window.library.inbox
    pilot.wait(lambda: len(inbox.cards) == 1, "the card")
    pairs = inbox.cards[0].curves.pairs
    assert list(pairs) == [field.name for field in numbers[:3]]
    first = pairs[numbers[0].name]
    pilot.wait(lambda: None not in first.curves(), "both curves")
    (low, high), (low_then, high_then) = (curve.value_range() for curve in first.curves())
    assert (low_then, high_then) == pytest.approx((2 * low, 2 * high)) and high > low
    more = f"{len(numbers) - 3} more change, too; Compare shows all."
    assert more in words_of(inbox.cards[0])
    before, after = (msgspec.structs.replace(layout, id=uuid4()) for layout in (head.state, changed))
    elsewhere = ChangedCurves(pilot.session, before, after, ("now", "then"))
    assert not elsewhere.pairs
    assert words_of(elsewhere) == ["The open recordings hold no such message, so there are no curves of it."]
    one_more = changed.with_field(numbers[0])
    for field in numbers[5:]:
        one_more = one_more.with_field(field)
    assert "1 more changes, too; Compare shows all." in words_of(
        ChangedCurves(pilot.session, head.state, one_more, ("now", "then"))
    )
    assert words_of(ChangedCurves(pilot.session, head.state, head.state, ("now", "then"))) == []


def words_of(widget):
    return [one.text() for one in widget.findChildren(QLabel)]


def test_a_draft_stays_here_until_it_is_proposed(pilot, other):
    pilot.window.show_desk("Layouts")
    pilot.pick_kind(FEEDBACK)
    section = pilot.window.layouts.side.agreement
    pilot.click(section.draft.begin)
    assert "Nothing is changed yet" in section.draft.words.text() and not section.draft.propose.isEnabled()
    head = head_of(other)
    pilot.session.edits.change(with_unit(head, "rad/s"))
    pilot.settle()
    assert "Only you see it" in section.draft.words.text() and section.draft.propose.isEnabled()
    assert unit_shown(pilot) == "rad/s", "tried here"
    assert head_of(other).state.field_named("rate").unit == "deg/s", "kept nowhere"
    pilot.type(section.draft.reason, "as in the drawing")
    pilot.click(section.draft.propose)
    pilot.wait(lambda: pilot.session.edits.drafts.of(head.state.id) is None, "the draft to end")
    (waiting,) = other.proposals.open()
    assert (waiting.author, waiting.reason) == ("mara", "as in the drawing")
    assert unit_shown(pilot) == "deg/s", "as the library has it"
    pilot.wait(lambda: len(section.cards) == 1, "the card beside the layout")
    assert set(section.cards[0].buttons) == {"compare", "reply", "renew", "withdraw"}, "nobody agrees with themselves"
    other.proposals.agree(waiting.id, author="jo")
    pilot.wait(
        lambda: unit_shown(pilot) == "rad/s",
        "the agreement",
    )


def test_a_draft_is_kept_at_once_or_thrown_away_or_undone(pilot, other):
    pilot.window.show_desk("Layouts")
    pilot.pick_kind(FEEDBACK)
    draft = pilot.window.layouts.side.agreement.draft
    head = head_of(other)

    def unit():
        return unit_shown(pilot)

    for way in ("drop", "undo", "keep"):
        pilot.click(draft.begin)
        pilot.session.edits.change(with_unit(head, "rad/s"))
        pilot.settle()
        assert len(other.drafts.of("mara")) == 1
        if way == "undo":
            pilot.session.undo.undo()
            pilot.settle()
            assert "Nothing is changed yet" in draft.words.text() and other.drafts.of("mara") == []
            pilot.session.undo.redo()
            pilot.settle()
            assert len(other.drafts.of("mara")) == 1 and head_of(other).revision.id == head.revision.id
            pilot.session.undo.undo()
            pilot.settle()
        pilot.click(draft.drop if way == "undo" else getattr(draft, way))
        pilot.wait(lambda: pilot.session.edits.drafts.of(head.state.id) is None, "the draft to end")
        assert other.drafts.of("mara") == [] and unit() == ("rad/s" if way == "keep" else "deg/s")
    assert head_of(other).state.field_named("rate").unit == "rad/s"


def test_where_others_agree_an_edit_becomes_a_draft_by_itself(pilot, other):
    window = pilot.window
    window.show_library()
    rules = window.library.side.rules
    pilot.click(rules.change)
    pilot.type(rules.needed, "many")
    pilot.click(rules.save)
    assert "a number from 0 to 20" in window.foot.told.text()
    pilot.type(rules.needed, "1")
    pilot.click(rules.save)
    pilot.wait(lambda: "one other person" in rules.words.text(), "the rules")
    assert other.proposals.rules() == Rules(1)
    pilot.pick_kind(FEEDBACK)
    window.show_desk("Layouts")
    head = head_of(other)
    pilot.session.edits.change(with_unit(head, "rad/s"))
    pilot.settle()
    draft = window.layouts.side.agreement.draft
    assert "your edit is a draft" in window.foot.told.text() and draft.propose.isVisible()
    assert not draft.keep.isVisible() and len(other.layouts.history(head.state.id)) == head.revision.number
    folder = pilot.session.trial.folder
    pilot.session.trials.open(folder)
    pilot.settle()
    assert pilot.session.edits.drafts.of(head.state.id) is not None
    use_library(pilot.session, str(other.address), tell=lambda *_: None)
    pilot.settle()
    assert pilot.session.edits.drafts.of(head.state.id) is not None, "drafts are there when it is opened again"


def test_what_others_keep_leaves_a_draft_as_it_is(pilot, other):
    pilot.window.show_desk("Layouts")
    pilot.pick_kind(FEEDBACK)
    head = head_of(other)
    pilot.session.edits.drafts.begin(head.state.id)
    pilot.session.edits.change(with_unit(head, "rad/s"))
    pilot.settle()
    other.layouts.commit(msgspec.structs.replace(head.state, note="by jo"), parent=head.revision.id, author="jo")
    pilot.wait(lambda: "jo changed" in pilot.window.foot.told.text(), "the news")
    assert pilot.session.edits.layout(head.state.id).field_named("rate").unit == "rad/s"
    pilot.click(pilot.window.layouts.side.agreement.draft.keep)
    pilot.wait(lambda: head_of(other).state.note == "by jo" and head_of(other).revision.author == "mara", "both")
    assert head_of(other).state.field_named("rate").unit == "rad/s"


def test_who_has_the_same_layout_open_is_said(pilot, other):
    pilot.window.show_desk("Layouts")
    pilot.pick_kind(FEEDBACK)
    layout = pilot.session.reading.layout_of(pilot.kind(FEEDBACK))
    window_id = uuid4()
    other.presence.say(window_id, "jo", layout.id)
    section = pilot.window.layouts.side.agreement
    pilot.wait(lambda: section.here.text() == "jo has this open, too.", "the other")
    pilot.wait(lambda: [one.layout_id for one in other.presence.others(window_id)] == [layout.id], "oneself")
    assert "jo, with Azimuth feedback port open" in pilot.window.library.side.people.text()
    other.presence.leave(window_id)
    pilot.wait(lambda: not section.here.text(), "the good-bye")


def test_releases_are_compared_in_words_and_on_the_capture(pilot, other):
    window = pilot.window
    window.show_library("Releases")
    pilot.settle()
    view = window.library.releases
    assert not view.compare.isEnabled()
    pilot.click(view.make)
    panel = window.header.library.panel
    pilot.type(panel.lines["name"], "run 14")
    panel.go.click()
    pilot.wait(lambda: [one.name for one in view.releases] == ["run 14"], "the release")
    head = head_of(other)
    field = msgspec.structs.replace(head.state.field_named("rate"), ratio=Fraction(1, 5))
    other.layouts.commit(head.state.with_field(field), parent=head.revision.id, author="jo")
    pilot.wait(lambda: "jo changed" in window.foot.told.text(), "the news")
    pilot.click(view.compare)
    pilot.wait(lambda: view.values is not None, "both ways")
    assert [one.name for one in view.words] == ["Azimuth feedback port"]
    (value,) = view.values
    assert (value.lane, value.field) == ("thruster", "rate") and 0 < value.differing <= value.frames
    view.place_wanted.emit(value, value.first_ns)
    assert window.desk_name == "Read" and pilot.session.clock.cursor_ns == value.first_ns
    view.pair_wanted.emit(view.words[0].before, view.words[0].after, ("a", "b"))
    assert window.layouts.comparison.isVisible()


def test_recordings_are_listed(pilot, other):
    view = pilot.window.library.recordings
    pilot.window.show_library("Recordings")
    pilot.settle()
    assert view.shown == []
    pilot.click(view.add)
    pilot.wait(lambda: view.shown, "the list")
    names = {one.name for one in view.shown}
    assert {"battery.pcapng.zst", "beacon.wav"} <= names
    assert {lane.name for one in view.shown for lane in one.lanes} >= {"thruster", "battery", "winch"}
    assert len(other.recordings.heads()) == len(names)


def test_the_list_paints_every_standing(pilot, other):
    """Every row shows its standing by a shape and a word."""
    other.releases.make("run 14", author="ada")
    propose(other)
    pilot.window.show_library()
    view = pilot.window.library.list
    pilot.wait(lambda: any(one.standing.value == "a change is proposed" for one in view.model.found), "the list")
    row = next(n for n, one in enumerate(view.model.found) if one.standing.value == "a change is proposed")
    box = view.row_box(row)
    pilot.click(view.view.viewport(), QPointF(box.center()))
    assert view.current.name == "Azimuth feedback port"
    assert "a change is proposed" in view.model.data(view.model.index(row, 0), Qt.ItemDataRole.AccessibleTextRole)
    picture = view.view.viewport().grab(box).toImage()
    colors = {picture.pixelColor(x, y).name() for x in range(picture.width()) for y in range(picture.height())}
    assert len(colors) > 10, "words and a background are painted"


def test_agreed_words_for_moments_are_offered_where_one_is_written_down(pilot, other):
    window = pilot.window
    window.show_library("Moments")
    view = window.library.moments
    pilot.click(view.add)
    pilot.wait(lambda: "hook released" in view.shown, "the moments of the trial")
    pilot.type(view.line, "tow begins = the line is tight", enter=True)
    pilot.wait(lambda: view.shown[-1] == "tow begins", "the new words")
    (head,) = other.moments.heads()
    assert head.state.moments[-1].meaning == "the line is tight" and head.revision.author == "mara"
    pilot.click(view.add)
    assert "there already" in window.foot.told.text()
    window.show_desk("Read")
    window.strip.begin_moment()
    entry = window.strip.moments.entry
    QTest.keyClicks(entry, "beg")
    completer = entry.completer()
    assert [completer.completionModel().index(0, 0).data(), completer.completionCount()] == ["tow begins", 1]
    QTest.keyClick(entry, Qt.Key.Key_Escape)
    window.strip.moments.drop()


def test_a_draft_that_clashes_is_chosen_and_kept(pilot, other):
    pilot.window.show_desk("Layouts")
    pilot.pick_kind(FEEDBACK)
    head = head_of(other)
    pilot.session.edits.drafts.begin(head.state.id)
    pilot.session.edits.change(with_unit(head, "rad/s"))
    pilot.settle()
    other.layouts.commit(with_unit(head, "gon/s"), parent=head.revision.id, author="jo")
    pilot.wait(lambda: "jo changed" in pilot.window.foot.told.text(), "the news")
    draft = pilot.window.layouts.side.agreement.draft
    pilot.click(draft.keep)
    view = pilot.window.layouts.comparison
    pilot.wait(view.isVisible, "the choice")
    texts = [made.text() for made in view.findChildren(QLabel)]
    assert "rate: both changed it, choose" in texts and len(other.drafts.of("mara")) == 1
    pilot.click(view.close_button)
    pilot.wait(lambda: head_of(other).state.field_named("rate").unit == "rad/s", "what was chosen")
    pilot.wait(lambda: pilot.session.edits.drafts.of(head.state.id) is None, "the draft to end")
    assert other.drafts.of("mara") == [] and head_of(other).revision.author == "mara"


def test_names_that_look_like_markup_are_only_text(pilot, other):
    """In lists, cards, tooltips and the foot: what somebody calls a thing is never read as markup."""
    evil = '<img src="file:///etc/passwd"><b>ha</b> & co'
    head = head_of(other)
    changed = msgspec.structs.replace(head.state, name=evil, sender=evil)
    kept = other.layouts.commit(changed, parent=head.revision.id, author=evil, reason=evil)
    other.comments.commit(Comment(uuid4(), changed.id, evil), parent=None, author=evil)
    other.proposals.propose(changed.id, head.state, parent=kept.id, author=evil, reason=evil)
    other.releases.make(evil, author=evil, notes=evil)
    other.presence.say(uuid4(), evil, changed.id)
    window = pilot.window
    pilot.wait(lambda: pilot.session.shared.proposals.waiting and pilot.session.shared.people, "the news")
    seen = []
    for page in ("Layouts", "Proposals", "Releases"):
        window.show_library(page)
        pilot.settle()
    pilot.wait(lambda: window.library.inbox.cards, "the card")
    window.library.list.line.setText("passwd")
    window.show_library()
    pilot.wait(lambda: shown(pilot) == [evil], "the layout by its name")
    window.show_desk("Layouts")
    pilot.pick_kind(FEEDBACK)
    assert all(window.desks.values()), "each desk is there to be looked through"
    pilot.settle()
    for widget in window.findChildren(QWidget):
        if isinstance(widget, QLabel) and evil in widget.text():
            assert widget.textFormat() == Qt.TextFormat.PlainText
            seen.append(widget)
        assert "<img" not in widget.toolTip(), widget
    assert len(seen) > 8
    model, roster = window.library.list.model, window.roster.model
    for words in (model.data(model.index(0, 0), Qt.ItemDataRole.ToolTipRole), *(
        roster.data(roster.index(row, 0), Qt.ItemDataRole.ToolTipRole) for row in range(roster.rowCount())
    )):  # fmt: skip
        assert "<img" not in words


def test_a_trial_is_decoded_with_a_release_until_it_is_to_follow_the_library_again(pilot, other):
    window, session = pilot.window, pilot.session
    other.releases.make("run 14", author="ada")
    head = head_of(other)
    changed = head.state.with_field(msgspec.structs.replace(head.state.field_named("rate"), unit="rad/s"))
    other.layouts.commit(changed, parent=head.revision.id, author="jo")
    pilot.wait(lambda: "jo changed" in window.foot.told.text(), "the news")

    def unit():
        return session.reading.layout_of(pilot.kind(FEEDBACK)).field_named("rate").unit

    def press(words):
        made = next(one for one in window.library.releases.findChildren(QPushButton) if one.text() == words)
        pilot.click(made)
        pilot.settle()

    assert unit() == "rad/s"
    window.show_library("Releases")
    pilot.wait(lambda: window.library.releases.releases, "the release")
    press("Decode this trial with it")
    assert unit() == "deg/s" and window.header.library.text().startswith("harbour-team library, run 14")
    assert session.origin().release == "run 14" and session.trial.file.release == "run 14"
    assert not session.edits.change(changed) and "never changes" in window.foot.told.text()
    window.show_desk("Layouts")
    pilot.pick_kind(FEEDBACK)
    assert not window.layouts.side.agreement.draft.begin.isVisible()
    session.edits.drafts.begin(head.state.id)
    assert session.edits.drafts.of(head.state.id) is None and session.undo.undo() == ""
    there = other.layouts.head_of(changed.id)
    other.layouts.commit(changed, parent=there.revision.id if there is not None else None, author="jo")
    pilot.settle()
    assert unit() == "deg/s", "what others keep does not show"
    with opened_again(session.trial.folder) as again:
        layout = again.session.reading.layout_of(again.kind(FEEDBACK))
        assert layout.field_named("rate").unit == "deg/s", "the trial remembers it"
    window.show_library("Releases")
    pilot.wait(lambda: window.library.releases.releases, "the release")
    pilot.settle()
    press("Decode with the newest state again")
    assert unit() == "rad/s" and session.origin().release == ""


def test_a_release_that_the_library_does_not_have_is_said(pilot, other):
    session = pilot.session
    session.trials.change(msgspec.structs.replace(session.trial.file, release="run 99"), "another release")
    with opened_again(session.trial.folder) as again:
        assert "no release run 99" in again.window.foot.told.text() and again.session.edits.release == ""


def test_the_menu_of_the_library_leads_everywhere(pilot, other):
    """Each entry that opens a page or a panel does; panels close with Escape and change nothing."""
    button = pilot.window.header.library
    propose(other)
    pilot.wait(lambda: pilot.session.shared.proposals.waiting, "the proposal")
    button.offer()
    menu = next(one for one in button.findChildren(QMenu) if one.isVisible())
    entries = {action.text().partition("\t")[0]: action for action in menu.actions() if action.text()}
    assert {"Show the library", "What is proposed (1)", "Releases", "Working copy…", "Make a release…"} <= set(entries)
    menu.close()
    for words, page in (("Show the library", 0), ("What is proposed (1)", 1), ("Releases", 2)):
        pilot.window.show_desk("Read")
        entries[words].trigger()
        assert pilot.window.desk_name == "Library" and pilot.window.library.tabs.currentIndex() == page
    for ask in (button.ask_server, button.ask_copy, button.ask_release):
        ask()
        panel = button.panel
        assert panel.isVisible() and all(line.accessibleName() for line in panel.lines.values())
        QTest.keyClick(panel, Qt.Key.Key_Escape)
        assert not panel.isVisible()
    assert other.releases.all() == []


def test_the_list_says_what_each_layout_reads(pilot):
    """The newest names of the fields, in the tip and for those who hear the list; a list that is narrow leaves them."""
    pilot.window.show_library()
    model = pilot.window.library.list.model
    pilot.wait(lambda: model.found, "the layouts")
    row = next(n for n, one in enumerate(model.found) if one.name == "Pod status")
    tip = model.index(row, 0).data(Qt.ItemDataRole.ToolTipRole)
    assert "reads page, oil pressure, oil heat, run time, vibration, shaft speed, build" in tip
    layout = pilot.session.reading.layout_of(pilot.kind(0x320))
    heat = layout.field_named("oil heat")
    pilot.session.edits.change(layout.with_field(msgspec.structs.replace(heat, name="oil warmth")))
    heard = model.index(row, 0).data(Qt.ItemDataRole.AccessibleTextRole)
    assert "oil pressure, oil warmth, run time" in heard
