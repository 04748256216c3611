"""A desk is made when it is first needed, and nobody can tell when that was."""

from __future__ import annotations

import shutil
from collections import Counter

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QListView, QTabBar, QTableWidget, QWidget

from tests.desk.conftest import let_go
from tests.desk.pilot import Pilot
from zesty_abacus.desk.app.settings import demo_folder
from zesty_abacus.desk.desks.layouts.desk import LayoutsDesk
from zesty_abacus.desk.desks.read.desk import ReadDesk
from zesty_abacus.desk.launch import make_window

DESKS = "Read", "Intake", "Unravel", "Layouts", "Rehearse", "Hand over", "Library"
ENGINE = 0x1A0


def words_of(part):
    """Return all that a part of the window says, by the kind of what says it, with what can be pressed or is chosen."""
    said = []
    for one in [part, *part.findChildren(QWidget)]:
        if not one.isVisibleTo(part):
            continue
        where = type(one).__name__, one.accessibleName(), one.accessibleDescription(), one.isEnabled()
        if isinstance(one, QLabel | QAbstractButton | QLineEdit):
            said.append((*where, one.text()))
        elif isinstance(one, QComboBox):
            said.append((*where, *(one.itemText(number) for number in range(one.count())), one.currentIndex()))
        elif isinstance(one, QTabBar):
            said.append((*where, *(one.tabText(number) for number in range(one.count())), one.currentIndex()))
        elif isinstance(one, QTableWidget):
            said.append((*where, one.rowCount()))
        elif isinstance(one, QListView) and one.model() is not None:
            said.append((*where, one.model().rowCount()))
        else:
            said.append(where)
    return list(map(repr, said))


def words_of_pages(hands, name):
    """Yield what a desk says, with the panels beside it, on each of its pages in turn."""
    desk = hands.window.desks[name]
    yield Counter(words_of(desk) + words_of(desk.side) + words_of(hands.window.room.left))
    for tabs in [*desk.findChildren(QTabBar), *desk.side.findChildren(QTabBar)]:
        for page in range(tabs.count()):
            tabs.setCurrentIndex(page)
            hands.settle()
            yield Counter(words_of(desk) + words_of(desk.side) + words_of(hands.window.room.left))


def shown(*, is_early):
    """Return what each desk says of the demo: all were there before it was opened, or each is made long after it."""
    window = make_window(demo=True)
    window.show()
    hands = Pilot(window)
    if is_early:
        assert len(list(window.desks.values())) == len(DESKS)
    hands.wait_open()
    hands.wait(lambda: window.session.overlays.references, "the references")
    window.session.in_hand.take_kind(hands.kind(ENGINE))
    window.session.in_hand.select_bits(frozenset(range(8, 24)))
    hands.settle()
    words = {}
    for name in DESKS:
        window.show_desk(name)
        hands.settle()
        words[name] = list(words_of_pages(hands, name))
    window.close()
    let_go(window)
    return words


def test_a_desk_that_is_made_late_shows_what_one_shows_that_was_there_before(no_faults, found_demo):
    shutil.copytree(found_demo, demo_folder())
    early, late = shown(is_early=True), shown(is_early=False)
    for name in DESKS:
        assert early[name][0].total() > 25, "there is something to compare"
        for page, (one, other) in enumerate(zip(early[name], late[name], strict=True)):
            # only what differs, by desk and page
            assert (name, page, [*(one - other)], [*(other - one)]) == (name, page, [], [])


def test_a_window_starts_with_the_desk_it_shows(empty):
    desks = empty.window.desks
    assert [name for name in desks if name in desks._made] == ["Read"]
    assert set(desks) == set(DESKS) and desks.of(ReadDesk) is empty.window.read
    # what can be done is known of all of them all the same
    assert {command.desk for command in empty.window.commands} == {"", *DESKS} - {"Library"}
    assert list(desks._made) == ["Read"] and desks.if_made(LayoutsDesk) is None


def test_looking_for_what_can_be_done_makes_no_desk(pilot):
    pilot.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    pilot.type(pilot.window.header.find_box, "field")
    assert list(pilot.window.desks._made) == ["Read"]
