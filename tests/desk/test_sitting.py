"""A sitting on the Yuzu trial with an empty library: findings alone, kept by keys, explain nearly every bit."""

import json
import shutil

import pytest
from PyQt6.QtCore import Qt

from tests.desk.conftest import WANT, let_go
from tests.desk.pilot import Pilot
from zesty_abacus.core.layouts.json_form import layouts_from_file
from zesty_abacus.core.library.store import Library
from zesty_abacus.demo.trial import SHIPPED, copy_shipped_trial
from zesty_abacus.desk.app.findings import Findings
from zesty_abacus.desk.launch import make_application, make_window

SHIFT = Qt.KeyboardModifier.ShiftModifier
TRUTH = {layout.applies.address: layout for layout in layouts_from_file(SHIPPED / "truth" / "layouts.json")}


@pytest.fixture(scope="module")
def found(tmp_path_factory):
    """Where it is kept what was found out, for the second one who sits down to the same trial."""
    return tmp_path_factory.mktemp("found") / "findings.json"


@pytest.fixture
def sitting(tmp_path, monkeypatch, found):
    """Return hands on Unravel, the Yuzu trial open with a library in which there is nothing."""
    monkeypatch.setattr(Findings, "want", WANT)
    folder = copy_shipped_trial(tmp_path / "sitting").folder
    Library.create(str(folder / "empty.sqlite")).close()
    path = folder / "trial.json"
    path.write_text(json.dumps({**json.loads(path.read_text()), "library": "empty.sqlite", "ties": []}))
    if found.exists():
        shutil.copy(found, folder)
    make_application()
    window = make_window()
    window.show()
    hands = Pilot(window)
    window.session.trials.open(folder)
    hands.wait_open()
    window.show_desk("Unravel")
    hands.wait(lambda: window.session.findings.everything() and not window.session.findings.is_looking, "the findings")
    hands.settle()
    shutil.copy(folder / "findings.json", found)
    yield hands
    window.close()
    let_go(window)


def explained(pilot, kinds):
    """Return how many of the moving bits of some kinds are explained."""
    known = [pilot.session.reading.counts.explained_of(kind) for kind in kinds]
    moving = sum(one.moving for one in known)
    return sum((one.share or 0) * one.moving for one in known) / moving


def test_findings_alone_explain_both_buses(sitting):
    session, presses = sitting.session, 0
    lanes = session.capture.lanes
    kinds = [
        kind for kind, key in enumerate(session.capture.kinds.keys) if lanes[key.lane].protocol == "can" and key.is_data
    ]
    sitting.window.setFocus()
    for kind in kinds:
        session.in_hand.take_kind(kind)
        sitting.settle()
        sitting.key("K", SHIFT)
        sitting.settle()
        presses += 2
    likely = explained(sitting, kinds)
    assert likely > 0.9, "by what is likely, unseen"
    for kind in kinds:
        session.in_hand.take_kind(kind)
        sitting.settle()
        for finding in [one for one in session.findings.of(kind) if one.kind == "field"]:
            sitting.window.unravel.side.findings.take(kind, finding)
            sitting.window.unravel.side.findings.hand.keep_it()
            sitting.settle()
            presses += 2
    whole = explained(sitting, kinds)
    print(f"{presses} keys for {len(kinds)} messages: {likely:.1%} by what is likely, {whole:.1%} with the rest")
    assert whole > 0.95 and presses < 5 * len(kinds)


def test_what_was_hidden_in_the_trial_comes_out_as_it_was_meant(sitting):
    session = sitting.session
    for address in (0x2C1, 0x2D0):
        session.in_hand.take_kind(sitting.kind(address))
        sitting.settle()
        sitting.window.unravel.side.findings.keep_all_likely()
        sitting.settle()
        made = {frozenset(field.places.bits) for field in session.reading.layout_of(session.in_hand.kind).fields}
        activity = session.reading.counts.activity_of(session.in_hand.kind)
        moving = {bit for bit in range(activity.size * 8) if activity.moves[bit]}
        for field in TRUTH[address].fields:
            bits = set(field.places.bits) & moving
            if len(bits) > 1:
                assert any(bits <= one for one in made), (hex(address), field.name)
