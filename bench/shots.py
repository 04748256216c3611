"""``./dev shots``: renews docs/screenshots from the demo, in a window of 1280 x 800 without a screen."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

TARGET = Path(__file__).parent.parent / "docs" / "screenshots"

os.environ["QT_QPA_PLATFORM"] = "offscreen"
_home = tempfile.TemporaryDirectory(prefix="zesty-shots-")
os.environ["HOME"] = os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_DATA_HOME"] = _home.name

import msgspec  # noqa: E402 - the folders come first
from PyQt6.QtCore import QPoint  # noqa: E402
from PyQt6.QtGui import QImage  # noqa: E402
from PyQt6.QtWidgets import QPushButton, QScrollArea  # noqa: E402

from zesty_abacus.demo.trial import write_trial  # noqa: E402
from zesty_abacus.desk.app import engine, laid  # noqa: E402
from zesty_abacus.desk.app.overlays import OverReference  # noqa: E402
from zesty_abacus.desk.launch import make_application, make_window  # noqa: E402
from zesty_abacus.desk.window import Window  # noqa: E402


def settle(window: Window) -> None:
    """Let the window live until no work is left."""
    application = make_application()
    session = window.session
    quiet = 0
    while quiet < 20:
        application.processEvents()
        time.sleep(0.005)
        quiet = quiet + 1 if session.jobs.is_idle() and session.reading.counts.explained else 0


def kind_of(window: Window, address: int) -> int:
    """Return the number of the kind with an address."""
    return next(n for n, key in enumerate(window.session.capture.kinds.keys) if key.address == address)


def kind_named(window: Window, name: str) -> int:
    """Return the number of the first kind that a layout reads."""
    return next(n for n in window.session.reading.kinds_read() if window.session.reading.name(n) == name)


def ladder(window: Window) -> None:
    """Layouts: the registers of a device, of which an exchange carries some."""
    window.layouts.plan.pick(None)
    window.session.in_hand.take_kind(kind_named(window, "Bilge sensor") + 1)
    settle(window)
    window.session.clock.set_cursor(window.session.capture.end_ns)


def read(window: Window) -> None:
    """Read: traces of both lanes with a block of named values; asked when the mode changes."""
    session = window.session
    kind = kind_of(window, 0x1A0)
    layout = session.reading.layout_of(kind)
    assert layout is not None
    mode = layout.field_named("mode")
    assert mode is not None
    session.traces.toggle(kind, mode.id)
    second = session.clock.first_ns
    session.clock.set_view(second + 30 * 10**9, second + 112 * 10**9)
    session.clock.set_cursor(second + 88 * 10**9)
    window.show_desk("Read")
    session.asking.ask("changes(mode) or `water heat` > 12 °C")
    settle(window)
    session.asking.step(-1)
    window.read.only_hits.setChecked(True)


def unravel(window: Window) -> None:
    """Unravel: an unnamed message, what was found out about it, one finding in hand."""
    window.session.asking.ask("")
    window.read.all_kinds.setChecked(True)
    window.show_desk("Unravel")
    window.session.in_hand.take_kind(kind_of(window, 0x2C1))
    settle(window)
    take(window, "field", "B4[3..0] B5")


def take(window: Window, kind: str, places: str) -> None:
    """Take a finding of the message in hand."""
    session = window.session
    found = next(one for one in session.findings.of(session.in_hand.kind) if (one.kind, one.places) == (kind, places))
    window.unravel.side.findings.take(session.in_hand.kind, found)


def reference(window: Window) -> None:
    """Unravel: what follows a reference, the curve laid over it."""
    panel = window.unravel.side.findings
    panel.ask(1)
    panel.lines[1].column_of.setCurrentText("speed_kn of gnss.csv")
    window.session.clock.show_all()
    settle(window)
    panel.take(*panel.rows.things[0])


def moments(window: Window) -> None:
    """Unravel: what was done against the bits that answer it, an answer in hand."""
    panel = window.unravel.side.findings
    panel.ask(2)
    settle(window)
    grid = window.unravel.moments.grid
    cells = ((row, column) for row in range(grid.rowCount()) for column in range(grid.columnCount()))
    row, column = next(cell for cell in cells if grid.item(*cell))
    grid.setCurrentCell(row, column)


def claims(window: Window) -> None:
    """Unravel: a claim with its standing, what was seen, and what was said."""
    side, session = window.unravel.side, window.session
    side.findings.scope.setCurrentIndex(0)
    session.in_hand.take_kind(kind_of(window, 0x2C1))
    settle(window)
    take(window, "field", "B4[3..0] B5")
    settle(window)
    for words, about in (("comes from the gyro on the bridge", 1), ("turn rate of the hull", 0)):
        side.begin_claim()
        side.claims.about.setCurrentIndex(about)
        side.claims.statement.setText(words)
        side.claims.write()
        settle(window)
    window.unravel.add_frame()
    settle(window)
    side.claims.hand.talk.line.setText("agrees with the compass in run 12")
    side.claims.hand.talk.line.returnPressed.emit()
    settle(window)
    session.clock.zoom(0.25, session.clock.cursor_ns)


def keep_reading(window: Window) -> None:
    """Unravel: the reading is kept, its bits have an owner, the share has risen."""
    panel = window.unravel.side.selection
    window.session.findings.take(None)
    window.session.in_hand.select_bits(frozenset(range(16, 32)))
    settle(window)
    for line, text in (
        (panel.message, "Motion"),
        (panel.field, "water speed"),
        (panel.step, "0.01"),
        (panel.unit, "kn"),
    ):
        line.setText(text)
    panel.keep_field()


def layouts(window: Window) -> None:
    """Layouts: beads, cards and threads."""
    keep_reading(window)
    window.show_desk("Layouts")
    window.session.in_hand.take_kind(kind_of(window, 0x1A1))


def comparison(window: Window) -> None:
    """Layouts: an older state beside the newest, in beads, words and curves."""
    desk, session = window.layouts, window.session
    session.in_hand.take_kind(kind_of(window, 0x1A1))
    settle(window)
    before = desk.hand.shown
    assert before is not None
    angle, rate = before.field_named("angle"), before.field_named("rate")
    assert angle is not None and rate is not None
    longer = laid.reshaped(before, rate, engine.parse_places("B3[2..0] B2"))
    session.edits.change(longer.with_field(msgspec.structs.replace(angle, ratio=angle.ratio * 2, unit="°")))
    settle(window)
    # the uppermost is of the state before: the newest one has no such button
    beside = (one for one in desk.side.findChildren(QPushButton) if one.text() == "Compare with now")
    min(beside, key=lambda one: one.mapTo(desk.side, QPoint()).y()).click()


def source(window: Window, part: str) -> None:
    """Choose a source on Intake by a part of its file's name."""
    names = [outcome.path.name for outcome in window.session.outcomes]
    window.intake.left.choose(next(number for number, name in enumerate(names) if part in name))
    settle(window)


def intake(window: Window) -> None:
    """Intake: two analog channels read as I2C, at the pointer nobody acknowledged."""
    window.session.undo.undo()
    window.layouts.bring.done.emit()
    window.layouts.plan.pick(None)
    window.show_desk("Intake")
    settle(window)
    source(window, "bilge")
    bench = window.intake.bench
    bench.frames.go(0)
    bench.frames.go_to_fault(1)
    bench.frames.show_frame(bench.frames.current())


def intake_radio(window: Window) -> None:
    """Intake: the pendant's envelope, its following threshold, and how its repeats voted."""
    source(window, "pendant")
    window.session.clock.set_view(*window.intake.bench.span_ns)
    settle(window)
    area = window.intake.recipe.area
    area.ensureWidgetVisible(window.intake.recipe.outcome.votes_view)


def archive(window: Window) -> None:
    """The library's recordings: three runs of the tug looked through, and one question to all of them."""
    folder = Path(_home.name) / "runs"
    for seed in (1, 2, 3):
        made = folder / f"run {seed}"
        write_trial(made, 8.0, seed)
        shutil.rmtree(made / "truth")
        for path in made.iterdir():
            if path.is_file() and not path.name.startswith(("thruster", "battery")):
                path.unlink()
        for path in sorted(made.glob("*.*")):
            path.rename(made / f"run {seed} {path.name}")
    window.show_library("Recordings")
    view = window.library.recordings
    view.list_folder(folder)
    settle(window)
    view.look_through()
    settle(window)
    view.field.setCurrentText("Helm lever.lever port")
    view.condition.setText("`Helm lever`.`lever port` > 15")
    view.find_in_all()
    settle(window)
    window.session.told.emit("", "")


def library(window: Window) -> None:
    """The library's page, while somebody else works in it too."""
    shared, session = window.session.shared, window.session
    layout = session.reading.layout_of(kind_of(window, 0x1A1))
    other = engine.Library.open(session.library.address)
    assert layout is not None
    head = other.layouts.head_of(layout.id)
    rate, angle = head.state.field_named("rate"), head.state.field_named("angle")
    other.releases.make("run 14", author="pod team", notes="as driven on 3 November")
    wider = head.state.with_field(msgspec.structs.replace(angle, ratio=angle.ratio * 2))
    kept = other.layouts.commit(
        wider, parent=head.revision.id, author="jo", reason="angle counts tenths, as in the drawing"
    )
    proposed = wider.with_field(msgspec.structs.replace(rate, unit="rad/s"))
    key = other.proposals.propose(layout.id, proposed, parent=kept.id, author="jo", reason="the drawing says radians")
    other.proposals.reply(key, author="pod team", text="seen on the bench, too")
    comment = laid.Comment(uuid4(), layout.id, "The sign of the rate turns at 12 o'clock.")
    other.comments.commit(comment, parent=None, author="jo")
    other.presence.say(uuid4(), "jo", layout.id)
    window.show_library()
    while not (shared.people and shared.proposals.waiting):
        make_application().processEvents()
    settle(window)
    row = next(n for n, one in enumerate(window.library.list.model.found) if one.layout_id == layout.id)
    window.library.list.view.setCurrentIndex(window.library.list.model.index(row, 0))
    other.close()


def proposals(window: Window) -> None:
    """What is proposed, with what was said about it."""
    window.show_library("Proposals")


def live_for(window: Window, seconds: float) -> None:
    """Let what is live go on for a while."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        make_application().processEvents()
        time.sleep(0.005)


def rehearse(window: Window) -> None:
    """Rehearse: a message as a score, what the bench sends above it, and a rehearsal that passed."""
    window.show_desk("Rehearse")
    desk = window.rehearse
    desk.live.connect_to("bench:yuzu")
    live_for(window, 3)
    desk.score.leaves["thruster"].click()
    desk.composer.choose("Helm lever")
    for name, text in (("lever port", "sine -20 to 60 in 6 s"), ("lever starboard", "= `lever port` * 0.9")):
        desk.composer.entries.lines[name].setText(text)
        desk.composer.entries.lines[name].setModified(True)
        desk.composer.entries.lines[name].editingFinished.emit()
    desk.composer.out.when.setText("every 50 ms")
    desk.composer.out.send_again()
    desk.rehearsals.choice.setCurrentText("Hook holds under load")
    desk.rehearsals.run()
    while desk.rehearsing.is_running:
        live_for(window, 0.1)
    live_for(window, 3)


def hand_over(window: Window) -> None:
    """Hand over: code, compiled and compared with decoding."""
    window.rehearse.live.let_go()
    window.session.in_hand.take_kind(kind_of(window, 0x310))
    window.show_desk("Hand over")
    window.handover.pages.show_page(1)
    code = window.handover.code
    code.prefix.setText("yuzu")
    settle(window)
    # the header of the message in hand says most
    code.prefix.editingFinished.emit()
    settle(window)
    code.run()
    settle(window)
    code.file.setCurrentText("yuzu.h")
    text = code.text.toPlainText()
    place = text[: text.index("/* Helm lever:")].count("\n")
    bar = code.text.verticalScrollBar()
    assert bar is not None, "a text has one"
    bar.setValue(place)
    # the folder in which the pictures are made is nobody's business; the list beside it calls it the same
    code.folder.setText("~/zesty-abacus/yuzu/code")
    code.folder.setCursorPosition(0)


def report(window: Window) -> None:
    """Hand over: the pages of a report."""
    window.handover.pages.show_page(2)
    settle(window)
    window.handover.report.path.setText("~/yuzu/report.html")
    area = window.handover.report.sheet.parentWidget()
    scroll = area.parentWidget() if area is not None else None
    if isinstance(scroll, QScrollArea) and (bar := scroll.verticalScrollBar()) is not None:
        bar.setValue(window.handover.report.sheet.height() // len(window.handover.report.sheet.pages))


def problems(window: Window) -> None:
    """Read: what is wrong as a reading list, and requests with what came back."""
    session = window.session
    window.show_desk("Read")
    session.asking.ask("")
    window.read.answers.click()
    window.read.wrong_first.click()
    settle(window)
    window.read.side.show_problems()
    settle(window)
    side = window.read.side.problems
    side.rows.go(next(row for row, one in enumerate(side.rows.things) if one.kind == "slow-answer") + 1)


def values(window: Window) -> None:
    """Read: a field beside what an instrument said, figures of what is in view, two messages side by side."""
    session = window.session
    session.clock.show_all()
    session.clock.set_cursor(session.clock.first_ns + 64 * 10**9)
    session.clock.toggle_pin()
    session.clock.set_cursor(session.clock.first_ns + 87 * 10**9)
    kind = kind_of(window, 0x2C1)
    layout = session.reading.layout_of(kind)
    assert layout is not None
    field = layout.field_named("water speed")
    assert field is not None
    session.traces.shown = [(kind, field.id), *session.traces.shown[:2]]
    session.traces.changed.emit()
    session.overlays.toggle((kind, field.id), OverReference("gnss.csv", "speed_kn"))
    session.in_hand.take_kind(kind_of(window, 0x1A0))
    window.read.side_by_side.click()
    session.beside.add(kind_of(window, 0x1A8))
    window.read.side.tabs.setCurrentIndex(2)
    settle(window)
    window.read.beside.go_to_difference(1)


def night(window: Window) -> None:
    """Night peel, on Unravel."""
    window.appearance.toggle_theme()
    window.roster.view.setFocus()
    window.show_desk("Unravel")
    window.session.in_hand.take_kind(kind_of(window, 0x2D0))
    settle(window)
    window.session.in_hand.select_bits(frozenset(range(32)))


SCENES: dict[str, Callable[[Window], QImage | None]] = {
    "read": read,
    "unravel": unravel,
    "reference": reference,
    "moments": moments,
    "claims": claims,
    "layouts": layouts,
    "ladder": ladder,
    "comparison": comparison,
    "intake": intake,
    "intake-radio": intake_radio,
    "library": library,
    "archive": archive,
    "proposals": proposals,
    "rehearse": rehearse,
    "hand-over": hand_over,
    "report": report,
    "problems": problems,
    "values": values,
    "night": night,
}


def main() -> None:
    """Take every picture in turn, each scene following from the one before; names on the command line choose some."""
    only = sys.argv[1:]
    folder = Path(os.environ.get("SHOTS", TARGET))
    TARGET.mkdir(parents=True, exist_ok=True)
    make_application()
    window = make_window(demo=True)
    window.resize(1280, 800)
    window.show()
    settle(window)
    window.session.set_author("bench 2")
    for name, scene in SCENES.items():
        picture = scene(window)
        settle(window)
        if only and name not in only:
            continue
        (picture or window.grab()).save(str(folder / f"{name}.png"))
        print(f"{name}.png")
    window.close()


if __name__ == "__main__":
    main()
