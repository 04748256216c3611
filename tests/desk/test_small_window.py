"""The window on a screen of 1920 x 1080 at twice the size: 960 x 540 of its own pixels."""

from __future__ import annotations

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QPushButton, QScrollArea, QTabBar, QToolButton

from zesty_abacus.desk.command_table import DESKS


@pytest.fixture
def small(pilot):
    pilot.window.resize(960, 540)
    pilot.settle()
    return pilot


def cut_buttons(window):
    """Return what buttons are too narrow for their words, and those that lie beyond the window."""
    found = []
    for one in window.findChildren(QAbstractButton):
        if not isinstance(one, QPushButton | QToolButton) or not one.text() or not one.isVisible():
            continue
        needed = one.minimumSizeHint().width()
        if one.width() < needed - 1:
            found.append((one.text(), one.width(), needed))
    return found


def cut_panels(window):
    """Return what scrolls up and down alone and holds more across than it shows."""
    found = []
    for area in window.findChildren(QScrollArea):
        inner, view = area.widget(), area.viewport()
        scrolls = area.horizontalScrollBarPolicy() is not Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        if inner is not None and area.isVisible() and not scrolls and inner.width() > view.width():
            found.append((inner.accessibleName() or type(area.parentWidget()).__name__, inner.width(), view.width()))
    return found


def pages_of(desk):
    """Yield the desk with each of the pages of its side."""
    bars = [bar for bar in desk.side.findChildren(QTabBar) if bar.isVisible()]
    yield "as it is"
    for bar in bars:
        for number in range(bar.count()):
            bar.setCurrentIndex(number)
            yield bar.tabText(number)


@pytest.mark.parametrize("desk", [*DESKS, "Library"])
def test_nothing_is_cut_on_a_small_screen(small, desk):
    window, session = small.window, small.session
    session.in_hand.take_kind(small.kind(0x1A1))
    layout = session.reading.layout_of(session.in_hand.kind)
    # a history of more than one state has ways back
    session.edits.change(msgspec.structs.replace(layout, note="seen on the bench"), "a note from the bench")
    window.show_desk(desk)
    small.settle()
    assert (window.width(), window.height()) == (960, 540)
    least = window.minimumSizeHint()
    assert least.width() <= 960 and least.height() <= 540
    for page in pages_of(window.desks[desk]):
        small.settle()
        assert (cut_buttons(window), cut_panels(window)) == ([], []), page
    assert window.room.centre.width() >= 560


def test_the_strip_folds_for_room_and_what_was_chosen_comes_back(small):
    window, settings = small.window, small.session.settings
    assert window.strip.lanes.is_folded and not settings.strip_folded
    window.resize(1280, 800)
    small.settle()
    assert not window.strip.lanes.is_folded and window.header.run.isVisible()
    window.strip.links.turn_fold()
    window.resize(1280, 600)
    window.resize(1280, 800)
    assert window.strip.lanes.is_folded and settings.strip_folded


def test_rehearse_has_the_room_of_the_strip_unless_it_is_wanted_there(pilot):
    window, lanes = pilot.window, pilot.window.strip.lanes
    window.resize(1280, 800)
    for key, folded in (("5", True), ("2", False), ("5", True)):
        pilot.key(key)
        assert (lanes.is_folded, window.session.settings.strip_folded) == (folded, False)
    window.resize(1280, 1000)
    assert not lanes.is_folded
    window.resize(1280, 800)
    pilot.click(window.strip.links.fold)
    for key in "525":
        pilot.key(key)
        assert not lanes.is_folded
    pilot.click(window.strip.links.fold)
    pilot.key("2")
    assert lanes.is_folded and window.session.settings.strip_folded


def test_a_row_of_buttons_goes_on_in_the_next_line(small):
    read = small.window.read
    choices = (read.all_kinds, read.this_kind, read.only_hits, read.answers, read.side_by_side)
    # "payload" fits beside them, "payload text" does not
    small.key("T")
    small.settle()
    lines = {one.y() for one in choices}
    assert len(lines) == 1 and read.form.parentWidget().parentWidget().y() > max(lines)
    small.window.resize(1280, 800)
    small.settle()
    assert abs(read.form.parentWidget().parentWidget().y() - read.all_kinds.y()) < 6
