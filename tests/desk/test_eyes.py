"""What eyes need: contrast on every ground, colours that stay apart without red or green, a ring where the keys go."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLineEdit, QPlainTextEdit

from zesty_abacus.desk.desks.intake.sources import SourceCard
from zesty_abacus.desk.widgets.theme import NIGHT, PEEL

THEMES = [PEEL, NIGHT]
# G. M. Machado, M. M. Oliveira, L. A. F. Fernandes, A physiologically-based model for simulation of color vision
# deficiency, IEEE Transactions on Visualization and Computer Graphics 15, 2009: severity 1.0
PROTANOPIA = np.array(
    [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]
)
DEUTERANOPIA = np.array(
    [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.01182, 0.04294, 0.968881]]
)
VIEWS = {"all colours": np.eye(3), "protanopia": PROTANOPIA, "deuteranopia": DEUTERANOPIA}
TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.072175], [0.0193339, 0.119192, 0.9503041]]
)
LEAST_APART = 15.0
"""In CIE L*a*b*; some 2 are just seen side by side, 15 are told apart across a window."""


def linear(color):
    parts = np.array([int(color[n : n + 2], 16) / 255 for n in (1, 3, 5)])
    return np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)


def contrast(one, two):
    """Return the contrast ratio of two colours as WCAG 2 defines it."""
    light, dark = sorted((float(TO_XYZ[1] @ linear(color)) for color in (one, two)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def lab(color, view):
    """Return a colour as an eye sees it, in CIE 1976 L*a*b*."""
    xyz = TO_XYZ @ np.clip(view @ linear(color), 0, 1) / (TO_XYZ @ np.ones(3))
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), (24389 / 27 * xyz + 16) / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def grounds(theme):
    return theme.paper, theme.panel, theme.selected, theme.chip


@pytest.mark.parametrize("theme", THEMES, ids=lambda theme: theme.name)
@pytest.mark.parametrize("ink", ["ink", "quiet", "zest_text", "unexplained", "wrong", "good"])
def test_text_is_readable_on_every_ground(theme, ink):
    assert min(contrast(getattr(theme, ink), ground) for ground in grounds(theme)) >= 4.5


@pytest.mark.parametrize("theme", THEMES, ids=lambda theme: theme.name)
@pytest.mark.parametrize("line", ["zest", "edge", "unexplained", "wrong", "good"])
def test_graphics_and_borders_are_seen_on_every_ground(theme, line):
    assert min(contrast(getattr(theme, line), ground) for ground in grounds(theme)) >= 3.0


@pytest.mark.parametrize("theme", THEMES, ids=lambda theme: theme.name)
def test_fields_are_seen_and_their_names_are_read(theme):
    for number, color in enumerate(theme.fields):
        assert min(contrast(color, ground) for ground in grounds(theme)) >= 3.0, color
        words = theme.field_text(number).name()
        assert min(contrast(words, ground) for ground in (theme.paper, theme.panel, theme.selected)) >= 4.5, words


@pytest.mark.parametrize("theme", THEMES, ids=lambda theme: theme.name)
@pytest.mark.parametrize("view", VIEWS, ids=str)
def test_fields_stay_apart_for_all_eyes(theme, view):
    seen = [lab(color, VIEWS[view]) for color in theme.fields]
    others = [lab(color, VIEWS[view]) for color in (theme.unexplained, theme.zest)]
    assert min(np.linalg.norm(a - b) for a, b in itertools.combinations(seen, 2)) >= LEAST_APART
    assert min(np.linalg.norm(a - b) for a in seen for b in others) >= LEAST_APART * 0.8


def test_the_ring_comes_with_keys_and_goes_with_the_mouse(pilot):
    window = pilot.window
    pilot.click(window.roster.view, QPointF(40, 12))
    assert window.ring.around is None
    pilot.key(Qt.Key.Key_Down)
    assert window.ring.around is window.focusWidget() is window.roster.view
    pilot.click(window.roster.view, QPointF(40, 12))
    assert window.ring.around is None


@pytest.mark.parametrize("desk", ["Intake", "Read", "Unravel", "Layouts", "Rehearse", "Hand over"])
def test_everything_that_takes_keys_shows_it(pilot, desk):
    """From part to part by the tabulator: each one that is no entry with a caret has the ring around it."""
    window = pilot.window
    pilot.pick_kind(0x1A1)
    window.show_desk(desk)
    pilot.settle()
    window.roster.view.setFocus() if desk != "Intake" else window.header.rod.setFocus()
    seen = set()
    for _ in range(60):
        pilot.key(Qt.Key.Key_Tab)
        now = window.focusWidget()
        if now is None or now in seen:
            break
        seen.add(now)
        if not isinstance(now, QLineEdit | QPlainTextEdit):
            assert window.ring.around is now, now
            assert window.ring.geometry().intersects(window.rect())
    assert len(seen) > 5


def test_the_ring_goes_with_what_is_scrolled(pilot):
    pilot.key("1")
    left, ring = pilot.window.intake.left, pilot.window.ring
    left.findChildren(SourceCard)[2].setFocus()
    pilot.key(Qt.Key.Key_Down)
    before = ring.geometry()
    assert ring.around is left.findChildren(SourceCard)[3]
    left.area.verticalScrollBar().setValue(left.area.verticalScrollBar().value() + 40)
    assert ring.geometry().top() == before.top() - 40
