"""Small things that a hand notices: what the file dialog asks for, lists with a ground, a search that finds nothing."""

import gc

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFileDialog

from tests.desk.conftest import let_go
from zesty_abacus.core.captures.registry import readable_suffixes
from zesty_abacus.desk.launch import make_application, make_window
from zesty_abacus.desk.widgets.hinted_line import HintedLine
from zesty_abacus.desk.widgets.parts import label
from zesty_abacus.desk.widgets.theme import NIGHT, PEEL, look


def test_the_dialog_asks_for_every_file_that_is_read(pilot, monkeypatch):
    asked = []
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *words: (asked.append(words), ([], ""))[1])
    pilot.window.header.trial.ask_open()
    shown = asked[0][3]
    for suffix in (
        ".log",
        ".pcap",
        ".pcapng",
        ".csv",
        ".jsonl",
        ".parquet",
        ".txt",
        ".tsv",
        ".vcd",
        ".wav",
        ".pulses",
        ".bytes",
        ".gz",
        ".zst",
    ):
        assert suffix in readable_suffixes() and f"*{suffix} " in shown, suffix
    assert "trial.json" in shown and shown.endswith(";;All files (*)")


def test_a_search_that_finds_nothing_says_so_and_does_nothing(pilot):
    box = pilot.window.header.find_box
    box.begin()
    QTest.keyClicks(box, "zzqq")
    assert box.findings() == [] and box._popup.isVisible()
    assert box._model.index(0, 0).data() == "Nothing is called that."
    desk = pilot.window.desk_name
    pilot.key(Qt.Key.Key_Return)
    assert pilot.window.desk_name == desk
    QTest.keyClick(box, Qt.Key.Key_Escape)
    assert not box._popup.isVisible()


def test_what_is_offered_while_typing_has_a_ground(pilot):
    pilot.key("2")
    popup = pilot.window.read.condition._completer.popup()
    popup.setModel(pilot.window.read.condition._words)
    pilot.window.read.condition._words.setStringList(["water heat", "water speed"])
    popup.resize(200, 80)
    assert popup.grab().toImage().pixelColor(150, 60).name().upper() == PEEL.panel.upper()
    # only Qt holds the list, and it goes along with the theme all the same
    del popup
    gc.collect()
    pilot.key("T", Qt.KeyboardModifier.ControlModifier)
    popup = pilot.window.read.condition._completer.popup()
    assert popup.grab().toImage().pixelColor(150, 60).name().upper() == NIGHT.panel.upper()


def test_a_window_that_is_gone_is_dressed_no_more(empty):
    before = set(look._dressed)
    window = make_window(empty=True)
    assert set(look._dressed) > before
    window.close()
    let_go(window)
    assert set(look._dressed) == before


def test_a_changed_recipe_stays_where_it_was_scrolled_to(pilot):
    pilot.key("1")
    number = next(n for n, one in enumerate(pilot.session.outcomes) if "winch" in one.path.name)
    pilot.window.intake.show_source(number)
    pilot.settle()
    panel = pilot.window.intake.recipe
    bar = panel.area.verticalScrollBar()
    assert bar.maximum() > 40
    bar.setValue(bar.maximum())
    pilot.settle()
    place = bar.value()
    choice = next(one for one in panel.findChildren(QComboBox) if one.accessibleName() == "clock mode")
    choice.setCurrentIndex((choice.currentIndex() + 1) % choice.count())
    choice.activated.emit(choice.currentIndex())
    pilot.wait(lambda: abs(bar.value() - place) < 30, "the panel where it was")


def test_words_are_one_line_that_nobody_selects_unless_they_are_to_be_more(pilot):
    plain, long, path = label("x"), label("x", wrap=True), label("x", selectable=True)
    by_mouse = Qt.TextInteractionFlag.TextSelectableByMouse
    assert not plain.wordWrap() and long.wordWrap()
    assert not plain.textInteractionFlags() & by_mouse and path.textInteractionFlags() & by_mouse


def test_what_a_library_says_of_itself_is_told_at_the_foot(pilot):
    pilot.session.shared.told.emit("wrong", "The library has gone away.")
    assert pilot.window.foot.told.text() == "The library has gone away."


def test_a_line_shows_the_fullest_hint_that_is_seen_whole():
    make_application()
    line = HintedLine("Filter kinds and fields", "Filter kinds", "Filter")
    line.show()
    full = line.fontMetrics().horizontalAdvance("Filter kinds and fields")
    for width, hint in ((full + 40, "Filter kinds and fields"), (full, "Filter kinds"), (60, "Filter"), (20, "Filter")):
        line.resize(width, 30)
        make_application().processEvents()
        assert line.placeholderText() == hint
    line.close()
