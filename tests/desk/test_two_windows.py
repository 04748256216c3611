"""Two windows on one library of a server: changes appear, merge, clash and are chosen; the server goes and comes."""

from __future__ import annotations

import json

import keyring
import keyring.backends.fail
import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton

from tests.desk.conftest import let_go
from tests.desk.pilot import Pilot
from zesty_abacus.core.layouts.json_form import layouts_from_file
from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.known_servers import KnownServers
from zesty_abacus.core.library.passwords import forget_password
from zesty_abacus.core.library.proposals import Rules
from zesty_abacus.core.library.roles import make_roles
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync
from zesty_abacus.demo.trial import copy_shipped_trial
from zesty_abacus.desk.app.library_choice import use_library
from zesty_abacus.desk.app.settings import known_servers_path
from zesty_abacus.desk.launch import make_application, make_window

FEEDBACK = 0x1A1


@pytest.fixture
def both(no_faults, cluster, tmp_path):
    """Return hands on two windows that show one trial with a library on the server."""
    make_application()
    address = cluster.address(cluster.new_database())
    folder = tmp_path / "yuzu"
    copy_shipped_trial(folder)
    library = Library.create(address, "shared library")
    library.layouts.import_all(layouts_from_file(folder / "layouts.json"), author="pod team", reason="brought in")
    library.close()
    trial = folder / "trial.json"
    trial.write_text(json.dumps(json.loads(trial.read_text()) | {"library": address}))
    KnownServers(known_servers_path()).add(library_address(address))
    pilots = []
    for author in ("mara", "bench 2"):
        window = make_window()
        window.show()
        window.session.trials.open(folder)
        hands = Pilot(window)
        hands.wait_open()
        window.session.shared.set_author(author)
        hands.key("4")
        hands.pick_kind(FEEDBACK)
        pilots.append(hands)
    yield pilots
    for hands in pilots:
        hands.window.close()
        let_go(hands.window)


def field(pilot, name):
    return pilot.session.reading.layout_of(pilot.kind(FEEDBACK)).field_named(name)


def change(pilot, name, **settings):
    pilot.session.edits.change(
        pilot.session.reading.layout_of(pilot.kind(FEEDBACK)).with_field(
            msgspec.structs.replace(field(pilot, name), **settings)
        )
    )


def test_what_one_keeps_the_other_sees_and_an_edit_in_progress_is_not_disturbed(both):
    one, two = both
    assert one.window.header.library.text().startswith("shared library")
    two.click(two.window.layouts.plan.column.cards[field(two, "rate").id])
    line = two.window.layouts.plan.column.form.lines["unit"]
    line.setFocus()
    line.selectAll()
    from PyQt6.QtTest import QTest

    QTest.keyClicks(line, "rad")
    change(one, "angle", note="seen at the quay")
    one.settle()
    two.wait(lambda: field(two, "angle").note == "seen at the quay", "the other's change")
    assert line.text() == "rad", "what is being typed stays"
    assert "mara changed Azimuth feedback port" in two.window.foot.told.text()
    QTest.keyClicks(line, "/s\r")
    two.settle()
    one.wait(lambda: field(one, "rate").unit == "rad/s", "the change back")
    assert field(one, "angle").note == "seen at the quay"


def test_changes_at_the_same_time_merge_or_are_chosen(both):
    one, two = both
    for hands in both:
        hands.session.shared.news.is_paused = True
    change(one, "angle", unit="rad")
    one.settle()
    change(two, "rate", note="looked at")
    two.settle()
    assert field(two, "angle").unit == "rad" and field(two, "rate").note == "looked at"
    assert "merged with the change by mara" in two.window.foot.told.text()
    # now the same thing, differently; the first window has not seen the last change
    change(one, "torque", unit="kNm")
    one.settle()
    change(two, "torque", unit="Nm")
    two.settle()
    view = two.window.layouts.comparison
    two.wait(view.isVisible, "the choice")
    (row,) = [one_row for one_row in view.compared if one_row.standing.value == "changed"]
    assert (row.before.unit, row.after.unit) == ("kNm", "Nm") and view.titles[0].text().endswith("kept by mara")
    view.taken_back.emit(row.before)
    two.settle()
    assert "changed" not in view.words.text()
    change_of_mind = [one_row for one_row in view.compared if one_row.standing.value == "changed"]
    assert change_of_mind == []
    two.click(view.close_button)
    assert field(two, "torque").unit == "kNm" and two.window.layouts.plan.isVisible()
    one.session.shared.news.is_paused = False
    one.wait(lambda: field(one, "rate").note == "looked at", "all of it in the first window")
    assert field(one, "torque").unit == "kNm"


def test_a_server_that_goes_away_costs_nothing(both, cluster):
    one, two = both
    for hands in both:
        hands.session.edits.line.retry.setInterval(200)
    cluster.stop()
    change(one, "angle", note="made at sea")
    one.wait(lambda: "does not answer" in one.window.foot.told.text(), "the foot to say so")
    assert field(one, "angle").note == "made at sea"
    change(one, "angle", unit="rad")
    one.wait(lambda: "no answer" in one.window.header.library.text(), "the header to say so")
    cluster.start()
    one.wait(lambda: "all edits are kept" in one.window.foot.told.text(), "the edits to go on by themselves")
    two.wait(
        lambda: field(two, "angle").unit == "rad" and field(two, "angle").note == "made at sea", "the other window"
    )
    history = one.session.library.layouts.history(one.session.reading.layout_of(one.kind(FEEDBACK)).id)
    assert [item.author for item in history[:2]] == ["mara", "mara"]


def test_edits_that_waited_are_there_when_the_program_starts_again(both, cluster):
    one, two = both
    folder = one.session.trial.folder
    cluster.stop()
    change(one, "angle", note="made at sea")
    one.wait(lambda: "does not answer" in one.window.foot.told.text(), "the foot to say so")
    one.window.close()
    cluster.start()
    window = make_window()
    window.show()
    window.session.trials.open(folder)
    again = Pilot(window)
    again.wait_open()
    again.wait(lambda: field(again, "angle").note == "made at sea", "the edit that waited")
    two.wait(lambda: field(two, "angle").note == "made at sea", "the other window")
    window.close()
    let_go(window)


def begin_empty(pilot):
    """Answer that nothing goes along into a library that holds nothing."""
    panel = pilot.window.header.library.panel
    next(one for one in panel.findChildren(QPushButton) if one.text() == "Begin empty").click()
    pilot.settle()


def test_a_server_is_connected_to_from_the_header_and_released(pilot, cluster, tmp_path):
    address = cluster.address(cluster.new_database())
    library = Library.create(address, "shared library")
    library.layouts.import_all(pilot.session.edits.layouts()[:5], author="pod team", reason="brought in")
    library.close()
    button = pilot.window.header.library
    button.ask_server()
    panel = button.panel
    for text, words in (
        ("postgresql://mara:secret@db/lib", "password does not belong"), ("nowhere.sqlite", "does not exist"),
        (cluster.address("postgres"), "no library in this database"),
    ):  # fmt: skip
        pilot.type(panel.lines["address"], text)
        panel.go.click()
        pilot.settle()
        assert words in panel.problem.text() and pilot.session.library.name == "harbour-team library"
    fresh = cluster.address(cluster.new_database())
    pilot.type(panel.lines["address"], fresh)
    panel.go.click()
    pilot.settle()
    assert "no library in this database" in panel.problem.text()
    next(choice for choice in panel.findChildren(QCheckBox) if "make a library" in choice.text()).setChecked(True)
    panel.go.click()
    pilot.settle()
    # it would hide all layouts: whether they go along is asked first, and nothing is changed until then
    assert button.panel is not panel and pilot.session.library.name == "harbour-team library"
    begin_empty(pilot)
    assert button.panel is None and pilot.session.edits.layouts() == [] and Library.open(fresh).layouts.states() == []
    button.ask_server()
    panel = button.panel
    pilot.type(panel.lines["address"], address)
    panel.go.click()
    pilot.settle()
    assert button.panel is None and button.text().startswith("shared library")
    assert len(pilot.session.edits.layouts()) == 5 and pilot.session.trial.file.library == address
    button.ask_release()
    pilot.type(button.panel.lines["name"], "run 14")
    button.panel.go.click()
    pilot.settle()
    assert "run 14 is kept" in pilot.window.foot.told.text()
    button.ask_release()
    pilot.type(button.panel.lines["name"], "run 14")
    button.panel.go.click()
    pilot.settle()
    assert "never changes" in button.panel.problem.text()
    button.panel.close()
    kind = next(pilot.session.reading.kinds_read())
    pilot.session.in_hand.take_kind(kind)
    layout = pilot.session.reading.layout_of(kind)
    pilot.session.edits.change(msgspec.structs.replace(layout, sender="somebody else"))
    pilot.settle()
    button.compare_release("run 14")
    pilot.settle()
    view = pilot.window.layouts.comparison
    assert view.isVisible() and view.titles[0].text().endswith("release run 14")
    use_library(pilot.session, str(tmp_path / "new.sqlite"), create=True, tell=lambda tone, sentence: None)
    pilot.settle()
    assert pilot.session.edits.layouts() == [] and (tmp_path / "new.sqlite").exists()


def test_layouts_go_along_into_an_empty_library(pilot, cluster):
    address = cluster.address(cluster.new_database())
    Library.create(address, "shared library").close()
    button, before = pilot.window.header.library, pilot.session.edits.layouts()
    claims = pilot.session.library.claims.heads()

    def ask():
        button.ask_server()
        pilot.type(button.panel.lines["address"], address)
        button.panel.go.click()
        pilot.settle()
        return button.panel

    panel = ask()
    assert f"{len(before)} layouts of harbour-team library can go along" in " ".join(
        one.text() for one in panel.findChildren(QLabel)
    )
    # Escape stays with the one in use
    QTest.keyClick(panel, Qt.Key.Key_Escape)
    pilot.settle()
    assert pilot.session.library.name == "harbour-team library" and not Library.open(address).layouts.states()
    ask().go.click()
    pilot.settle()
    assert pilot.session.library.name == "shared library" and pilot.session.trial.file.library == address
    assert {one.name: one for one in pilot.session.edits.layouts()} == {one.name: one for one in before}
    assert "is in use, with" in pilot.window.foot.told.text()
    there = Library.open(address)
    assert len(there.layouts.states()) == len(before) and len(there.claims.heads()) == len(claims)
    # what is changed there goes home again
    pilot.session.in_hand.take_kind(next(pilot.session.reading.kinds_read()))
    layout = pilot.session.reading.layout_of(pilot.session.in_hand.kind)
    pilot.session.edits.change(msgspec.structs.replace(layout, sender="somebody else"))
    pilot.settle()
    home = Library.open(pilot.session.trial.folder / "library.sqlite")
    report = sync(there, home, author="mara")
    assert report.given == [layout.name] or tuple(report.given) == (layout.name,)


def test_a_server_that_asks_for_a_password_is_answered(pilot, cluster, monkeypatch):
    """When connecting, and when a trial is opened whose library asks; the password stands nowhere."""
    monkeypatch.setenv("PGPASSFILE", "/nowhere")
    keyring.set_keyring(keyring.backends.fail.Keyring())
    database = cluster.new_database()
    library = Library.create(cluster.address(database), "guarded")
    make_roles(library)
    library.close()
    cluster.execute("postgres", f"CREATE ROLE {database}_mate LOGIN PASSWORD 'aye-aye'")
    cluster.execute("postgres", f"GRANT zesty_writer TO {database}_mate")
    where = cluster.by_port(database, f"{database}_mate")
    button = pilot.window.header.library
    button.ask_server()
    panel = button.panel
    pilot.type(panel.lines["address"], where)
    panel.go.click()
    pilot.settle()
    assert "asks for a password" in panel.problem.text()
    pilot.type(panel.lines["password"], "aye-aye")
    assert "aye" not in panel.lines["password"].displayText()
    panel.go.click()
    pilot.settle()
    begin_empty(pilot)
    assert button.text().startswith("guarded")
    folder = pilot.session.trial.folder
    assert "aye-aye" not in (folder / "trial.json").read_text()
    forget_password(library_address(where))
    pilot.session.trials.open(folder)
    pilot.wait(lambda: button.panel is not None, "the question")
    assert "aye-aye" not in button.panel.findChild(QLabel, "quiet").text()
    pilot.type(button.panel.lines["password"], "aye-aye", enter=True)
    pilot.wait(lambda: button.panel is None, "the answer")
    pilot.settle()
    assert button.text().startswith("guarded") and "asks for" not in pilot.window.foot.told.text()
    forget_password(library_address(where))


def test_a_change_is_proposed_in_one_window_agreed_in_the_other_and_released(both, cluster):
    """As two people with logins of their own, of whom the server knows who is who."""
    one, two = both
    address = library_address(one.session.trial.file.library)
    owner = Library.open(address)
    make_roles(owner)
    owner.proposals.set_rules(Rules(needed=1), author="ada")
    for hands, name in ((one, "mara"), (two, "ada")):
        role = "writer" if name == "mara" else "keeper"
        made = f"DO $$ BEGIN CREATE ROLE {name} LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$"
        cluster.execute("postgres", made)
        cluster.execute("postgres", f"GRANT zesty_{role} TO {name}")
        use_library(hands.session, cluster.address(address.url.database, name), tell=lambda *_: None)
        hands.settle()
        hands.session.shared.set_author(name)
    change(one, "rate", unit="rad/s")
    one.settle()
    assert "your edit is a draft" in one.window.foot.told.text() and field(two, "rate").unit != "rad/s"
    draft = one.window.layouts.side.agreement.draft
    one.type(draft.reason, "the drawing says so", enter=True)
    inbox = two.window.library.inbox
    two.window.show_library("Proposals")
    two.wait(lambda: len(inbox.cards) == 1, "the proposal in the other window")
    assert "1 proposed" in two.window.header.library.text()
    two.click(inbox.cards[0].buttons["compare"])
    assert two.window.layouts.comparison.isVisible()
    two.window.show_library("Proposals")
    two.settle()
    two.click(inbox.cards[0].buttons["agree"])
    one.wait(lambda: field(one, "rate").unit == "rad/s", "what was agreed")
    history = owner.layouts.history(one.session.reading.layout_of(one.kind(FEEDBACK)).id)
    assert (history[0].author, history[0].login) == ("mara", "ada"), "the one who agreed is the one who wrote it"
    assert history[0].reason == "the drawing says so (agreed by ada)"
    two.window.show_library("Releases")
    two.settle()
    two.click(two.window.library.releases.make)
    panel = two.window.header.library.panel
    two.type(panel.lines["name"], "run 14", enter=True)
    one.window.show_library("Releases")
    one.wait(lambda: [shown.name for shown in one.window.library.releases.releases] == ["run 14"], "the release")
    one.window.header.library.ask_release()
    one.type(one.window.header.library.panel.lines["name"], "mine", enter=True)
    assert "the right" in one.window.header.library.panel.problem.text()
    one.window.header.library.panel.close()
    owner.close()


def test_a_trial_is_opened_with_a_working_copy_while_the_server_is_away(both, cluster, tmp_path):
    """It is taken along in the window, worked with at sea, and brought together on return."""
    one, two = both
    folder, copy = one.session.trial.folder, tmp_path / "sea.sqlite"
    button = one.window.header.library
    button.ask_copy()
    one.type(button.panel.lines["file"], str(copy), enter=True)
    one.wait(lambda: button.panel is None and copy.exists(), "the working copy")
    assert "taken" in one.window.foot.told.text()
    cluster.stop()
    window = make_window()
    window.show()
    at_sea = Pilot(window)
    window.session.trials.open(folder)
    at_sea.wait(lambda: window.header.library.panel is not None, "the question")
    assert "does not answer" in window.foot.told.text() and window.session.capture is None
    panel = window.header.library.panel
    assert panel.go.text() == "Try again"
    at_sea.type(panel.lines["working copy"], str(copy))
    assert panel.go.text() == "Open with it"
    panel.go.click()
    at_sea.wait_open()
    assert window.header.library.text().startswith("shared library, working copy")
    change(at_sea, "angle", note="made at sea")
    at_sea.settle()
    window.close()
    let_go(window)
    cluster.start()
    button.ask_copy()
    one.type(button.panel.lines["file"], str(copy), enter=True)
    one.wait(lambda: button.panel is None, "the meeting")
    two.wait(lambda: field(two, "angle").note == "made at sea", "the other window")
    assert "postgresql://" in (folder / "trial.json").read_text(), "the trial names its own library still"
