"""Where the keys go: an entry is left for the work, what closes gives them to it, a choice applies when taken."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from zesty_abacus.desk.desks.intake.sources import SourceCard
from zesty_abacus.desk.widgets.parts import Choice


def shown(pilot, key):
    pilot.session.in_hand.take_kind(pilot.kind(0x1A1))
    pilot.window.setFocus()
    pilot.key(key)
    return {"1": pilot.window.intake.waves, "2": pilot.window.read.frames, "3": pilot.window.unravel.abacus}[key]


def test_escape_leaves_a_filter_for_the_desk_and_digits_are_keys_again(pilot):
    home = shown(pilot, "2")
    pilot.key("F", Qt.KeyboardModifier.ControlModifier)
    line = pilot.window.roster.filter
    assert pilot.window.focusWidget() is line
    QTest.keyClicks(line, "pod")
    pilot.key(Qt.Key.Key_Escape)
    assert pilot.window.focusWidget() is home and line.text() == ""
    pilot.key("3")
    assert pilot.window.desk_name == "Unravel" and line.text() == ""


@pytest.mark.parametrize("key", ["2", "3"])
def test_a_part_that_goes_hands_the_keys_to_the_work_and_to_no_entry(pilot, key):
    home = shown(pilot, key)
    entry = pilot.window.roster.filter
    for part in (pilot.window.roster.order, pilot.window.header.trial):
        part.setFocus()
        # what Qt would do itself: the next part that takes keys is asked, whatever it is
        part.hide()
        if QApplication.focusWidget() is entry:
            pytest.fail("a letter would be typed into the filter")
        part.show()
    home.setFocus()
    entry.setFocus()
    home.hide()
    home.show()
    assert pilot.window.focusWidget() is entry, "what somebody chose stays"


def test_what_closes_over_an_entry_gives_the_keys_to_the_desk(pilot):
    home = shown(pilot, "2")
    pilot.window.help.begin()
    assert pilot.window.focusWidget() is pilot.window.help
    QTest.keyClick(pilot.window.help, Qt.Key.Key_Escape)
    pilot.settle()
    assert pilot.window.help.isHidden() and not isinstance(pilot.window.focusWidget(), type(pilot.window.roster.filter))
    pilot.key("3")
    assert pilot.window.desk_name == "Unravel" and home is not None


def test_letters_and_arrows_choose_nothing_on_their_way(pilot):
    choice = Choice(pilot.window)
    choice.addItems(["unsigned", "signed", "sign-magnitude", "text"])
    taken = []
    choice.activated.connect(taken.append)
    choice.currentTextChanged.connect(lambda text: taken.append(text))
    choice.show()
    choice.setFocus()
    QTest.keyClick(choice, "s")
    QTest.keyClick(choice, Qt.Key.Key_Down)
    assert taken == [] and choice.currentText() == "sign-magnitude", "shown on the way, not chosen"
    QTest.keyClick(choice, Qt.Key.Key_Escape)
    assert taken == [] and choice.currentText() == "unsigned"
    QTest.keyClick(choice, Qt.Key.Key_Down)
    choice.setCurrentText("text")
    assert choice.hasFocus() and choice.currentText() == "signed"
    pilot.window.roster.filter.setFocus()
    assert taken == ["signed", 1], "it applies when it is left, and is told once by each event"
    choice.setFocus()
    QTest.keyClick(choice, Qt.Key.Key_End)
    QTest.keyClick(choice, Qt.Key.Key_Return)
    assert taken[2:] == ["text", 3]
    choice.deleteLater()


def test_after_a_layout_is_begun_letters_are_keys(pilot):
    pilot.window.show_desk("Layouts")
    pilot.session.in_hand.take_kind(pilot.kind(0x2C1))
    pilot.settle()
    pilot.window.layouts.hand.begin()
    pilot.settle()
    name = pilot.session.reading.layout_of(pilot.session.in_hand.kind).name
    pilot.key("N")
    kind = pilot.session.in_hand.kind
    assert pilot.session.reading.layout_of(pilot.kind(0x2C1)).name == name and kind != pilot.kind(0x2C1)


def test_another_desk_gives_the_keys_to_its_work(pilot):
    shown(pilot, "2").setFocus()
    pilot.key("1")
    assert pilot.window.intake.waves.isHidden() or not pilot.window.intake.waves.isVisible()
    assert pilot.window.focusWidget() is pilot.window.intake.out, "a log has no waves"
    pilot.key("2")
    number = next(n for n, one in enumerate(pilot.session.outcomes) if "bilge" in one.path.name)
    pilot.window.intake.show_source(number)
    pilot.settle()
    pilot.key("1")
    assert pilot.window.focusWidget() is pilot.window.intake.waves
    pilot.key("3")
    assert pilot.window.focusWidget() is pilot.window.unravel.abacus
    pilot.window.roster.view.setFocus()
    pilot.key("2")
    assert pilot.window.focusWidget() is pilot.window.roster.view, "what stays in view keeps them"


def test_return_in_a_filter_takes_the_only_hit_and_goes_to_several(pilot):
    roster, session = pilot.window.roster, pilot.session
    pilot.type(roster.filter, "azimuth feedback starboard", enter=True)
    assert session.in_hand.kind == pilot.kind(0x1A9) and pilot.window.focusWidget() is roster.view
    pilot.type(roster.filter, "azimuth", enter=True)
    assert session.in_hand.kind == pilot.kind(0x1A9), "of several none is taken"
    assert pilot.window.focusWidget() is roster.view
    pilot.key(Qt.Key.Key_Up)
    assert session.in_hand.kind == pilot.kind(0x1A8), "arrows choose"
    pilot.type(roster.filter, "no such thing", enter=True)
    assert pilot.window.focusWidget() is roster.filter, "the words are what has to be changed"


def test_return_in_the_filter_of_values_puts_the_only_one_over_time(pilot):
    readout, traces = pilot.window.read.side.readout, pilot.session.traces
    shown(pilot, "2")
    before = list(traces.shown)
    for _ in range(2):
        pilot.type(readout.filter, "pack totals voltage", enter=True)
        assert len(traces.shown) == len(before) + 1, "and it stays there"
        assert pilot.window.focusWidget() is readout.values
    layout = pilot.session.reading.layout_of(traces.shown[-1][0])
    assert layout.field_named("voltage").id == traces.shown[-1][1]


def test_return_in_the_search_of_the_library_goes_to_what_is_found(pilot):
    pilot.window.show_library()
    pilot.settle()
    found = pilot.window.library.list
    pilot.type(found.line, "bow thruster")
    QTest.keyClick(found.line, Qt.Key.Key_Return)
    assert pilot.window.focusWidget() is found.view and found.current is not None


def goes_round(pilot, first):
    """Return what takes the keys by the tabulator, from a part on until it comes again."""
    seen = [first]
    first.setFocus()
    while len(seen) < 100:
        pilot.key(Qt.Key.Key_Tab)
        if (now := pilot.window.focusWidget()) in seen:
            return seen
        seen.append(now)
    raise AssertionError("it does not come round")


def test_cards_are_one_stop_with_arrows_inside(pilot):
    shown(pilot, "2")
    pilot.key("4")
    column = pilot.window.layouts.plan.column
    cards = list(column.cards.values())
    assert len(cards) > 5
    cards[0].setFocus()
    pilot.key(Qt.Key.Key_Down)
    pilot.key(Qt.Key.Key_Down)
    assert cards[2].hasFocus()
    pilot.key(Qt.Key.Key_End)
    assert cards[-1].hasFocus()
    pilot.key(Qt.Key.Key_Down)
    assert cards[-1].hasFocus(), "there is none behind the last"
    pilot.key(Qt.Key.Key_Home)
    assert cards[0].hasFocus()
    pilot.key(Qt.Key.Key_Down)
    assert [one for one in goes_round(pilot, cards[1]) if one in cards] == [cards[1]]
    pilot.key(Qt.Key.Key_Return)
    assert column.current == cards[1].item.id


def test_sources_are_one_stop_and_the_one_that_is_taken_keeps_the_keys(pilot):
    pilot.key("1")
    sources = pilot.window.intake.left
    cards = sources.findChildren(SourceCard)
    cards[0].setFocus()
    pilot.key(Qt.Key.Key_Down)
    assert cards[1].hasFocus()
    pilot.key(Qt.Key.Key_Return)
    now = pilot.window.focusWidget()
    assert isinstance(now, SourceCard) and now.accessibleName().startswith("battery.pcapng.zst")
    pilot.key(Qt.Key.Key_Down)
    assert pilot.window.focusWidget().accessibleName().startswith("shore-meter.pcap")
