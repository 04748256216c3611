"""The guide inside the window, at the place of the desk."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QUrl

from zesty_abacus.desk.around.guide import FIRST, PAGES, PLACES
from zesty_abacus.desk.command_table import DESKS


def test_f1_twice_reads_the_guide_about_the_desk(pilot):
    window = pilot.window
    for desk in ("Intake", "Layouts", "Hand over"):
        window.show_desk(desk)
        pilot.key(Qt.Key.Key_F1)
        assert window.help.isVisible() and not window.guide.isVisible()
        pilot.key(Qt.Key.Key_F1)
        assert not window.help.isVisible() and window.guide.isVisible()
        text = window.guide.text
        assert text.textCursor().block().text() == PLACES[desk]
        # at its top, unless the page ends before
        top, bar = text.cursorRect().top(), text.verticalScrollBar()
        assert 0 <= top < 30 or (bar.value() == bar.maximum() and top < text.viewport().height())
        window.guide.end()


def test_every_desk_has_a_place_that_is_there(pilot):
    assert set(PLACES) == {*DESKS, "Library"}
    view = pilot.window.guide
    view.begin("Read")
    assert all(view.go_to(heading) for heading in PLACES.values())
    assert not view.go_to("What is not there")


def test_escape_goes_back_to_the_work(pilot):
    window = pilot.window
    window.show_desk("Read")
    window.roster.view.setFocus()
    window.read_guide()
    assert window.guide.text.hasFocus()
    pilot.key(Qt.Key.Key_Escape)
    assert not window.guide.isVisible() and window.roster.view.hasFocus()


def test_links_lead_to_the_other_pages_and_back(pilot):
    view = pilot.window.guide
    view.begin("Read")
    view.text.anchorClicked.emit(QUrl("conditions.md"))
    assert "Conditions" in view.text.toPlainText()[:200] and view.back.isEnabled()
    pilot.click(view.back)
    assert view.text.source().fileName() == FIRST
    view.text.anchorClicked.emit(QUrl("../../pyproject.toml"))
    assert view.text.source().fileName() == FIRST, "nothing else of the disk is opened"


def test_the_pages_are_those_of_the_documents():
    assert {path.name for path in PAGES.glob("*.md")} >= {"guide.md", "conditions.md", "layouts.md", "formats.md"}
