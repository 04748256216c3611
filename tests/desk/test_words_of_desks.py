"""Every word of every desk on the Yuzu trial, held against what was read and approved."""

from __future__ import annotations

import re

import pytest
from PyQt6.QtGui import QFontInfo
from PyQt6.QtWidgets import QTabBar, QWidget

from tests.approved import hold_all_against_approved
from tests.desk.said import said
from zesty_abacus.desk.app.findings import Findings
from zesty_abacus.desk.app.problems import Problems
from zesty_abacus.desk.app.settings import demo_folder
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.theme import figure_font, text_font

FONTS = ["Inter", "JetBrains Mono"]
LOOK, WANT = Problems.look, Findings.want

KINDS = ("Azimuth command port", "0x2C1", "Motor heat", "Shore energy", "Bilge sensor", "Load cell", "Heading sentence",
         "Hook pendant", "Beacon packet")  # fmt: skip
_MOST_LINES = 70
"""Of what lists more, such as a page of code, the first lines will do."""


class Tour:
    """Writes down what parts of a window say, each when it says something else than it did before."""

    def __init__(self, pilot) -> None:
        self.pilot = pilot
        self.lines: list[str] = []
        self.texts: dict[str, list[str]] = {}
        self._last: dict[QWidget, list[str]] = {}

    def note(self, title: str, **parts: QWidget) -> None:
        """Write down what parts say now."""
        self.pilot.settle()
        self.lines += ["", f"== {title}"]
        for name, part in parts.items():
            words = [_settled(line) for line in said(part)]
            if words != self._last.get(part):
                self._last[part] = words
                left_out = [f"… {len(words) - _MOST_LINES} more"] * (len(words) > _MOST_LINES)
                self.lines += [f"-- {name}", *words[:_MOST_LINES], *left_out]

    def ends(self, name: str) -> None:
        """Close a text; what follows is another."""
        self.texts[name], self.lines, self._last = self.lines, [], {}

    def pages(self, **parts: QWidget) -> None:
        """Go through the pages of what has tabs, and write each down."""
        for part in parts.values():
            for tabs in part.findChildren(QTabBar):
                for page in range(tabs.count()):
                    tabs.setCurrentIndex(page)
                    self.note(tabs.tabText(page), **parts)


def _settled(line: str) -> str:
    """Return a line without what is another one each time: the folder, the hour, who runs the tests."""
    line = line.replace(str(demo_folder()), "<trial>")
    line = re.sub(r"~?(?:/[\w.-]+)+/yuzu\b", "<trial>", line)
    line = re.sub(r"(changes are kept as: |: you, ).*", r"\1<you>", line)
    return re.sub(r"today \d\d:\d\d", "today", line)


def kind_called(pilot, name: str) -> int:
    kinds = pilot.session.kinds
    return next(n for n in range(len(pilot.session.capture.kinds.keys)) if name in (kinds.name(n), kinds.address(n)))


@pytest.fixture(autouse=True)
def its_fonts():
    """With others a list has room for more rows, or fewer, and says other words."""
    make_application()
    found = [QFontInfo(font).family() for font in (text_font(), figure_font())]
    if found != FONTS:
        pytest.skip(f"approved as painted in {' and '.join(FONTS)}, and here are {' and '.join(found)}")


@pytest.fixture(autouse=True)
def looks_for_all(looks_for_nothing, monkeypatch):
    monkeypatch.setattr(Problems, "look", LOOK)
    monkeypatch.setattr(Findings, "want", WANT)


@pytest.fixture
def tour(found_demo, looks_for_all, pilot):
    made = Tour(pilot)
    pilot.wait(lambda: pilot.session.overlays.references, "the references")
    pilot.wait(lambda: pilot.session.problems.told is not None, "problems")
    return made


def test_every_desk_says_what_was_approved(tour, pilot):
    window, session = pilot.window, pilot.session
    read = window.read
    tour.note("Read", header=window.header, strip=window.strip, desk=read, side=read.side, left=window.room.left)
    for choice in (read.this_kind, read.answers, read.side_by_side):
        pilot.click(choice)
        tour.note(choice.text(), desk=read)
    pilot.click(read.all_kinds)
    tour.pages(side=read.side)
    tour.ends("read")

    window.show_desk("Intake")
    intake = window.intake
    for number, outcome in enumerate(session.outcomes):
        intake.left.choose(number)
        tour.note(outcome.path.name, desk=intake, side=intake.side)
    tour.note("Sources", left=window.room.left)
    tour.ends("intake")

    for desk in (window.unravel, window.layouts):
        window.show_desk(desk.name)
        for name in KINDS:
            session.in_hand.take_kind(kind_called(pilot, name))
            if session.capture.kind_size(session.in_hand.kind) > 2:
                session.in_hand.select_bits(frozenset(range(8, 24)))
            tour.note(name, desk=desk, side=desk.side)
            if name == KINDS[0]:
                tour.pages(side=desk.side, desk=desk)
        tour.ends(desk.name.lower())

    window.show_desk("Rehearse")
    rehearse = window.rehearse
    for name in KINDS[:1] + KINDS[2:]:
        rehearse.composer.choose(name)
        tour.note(name, desk=rehearse)
    tour.pages(side=rehearse.side)
    tour.ends("rehearse")

    for desk, name in ((window.handover, "Hand over"), (window.library, "Library")):
        window.show_desk(name)
        tour.pages(desk=desk, side=desk.side)
        tour.ends(name.lower().replace(" ", "-"))
    hold_all_against_approved("desk", tour.texts)
