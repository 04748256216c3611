"""Code and a report leave from the window: made, written, tried, and told."""

from __future__ import annotations

import json

import lxml.html
import msgspec
import pytest

from zesty_abacus.desk.desks.handover.desk import CODE, REPORT


@pytest.fixture
def code(pilot):
    pilot.window.show_desk("Hand over")
    pilot.window.handover.pages.show_page(CODE)
    pilot.settle()
    pilot.wait(lambda: pilot.window.handover.code.made is not None, "code to look at")
    return pilot.window.handover.code


@pytest.fixture
def report(pilot):
    pilot.window.show_desk("Hand over")
    pilot.window.handover.pages.show_page(REPORT)
    pilot.settle()
    pilot.wait(lambda: pilot.window.handover.report.made is not None, "a report")
    return pilot.window.handover.report


def listed(pilot):
    panel = pilot.window.handover.side
    return "\n".join(one.text() for one in panel.inner.findChildren(type(pilot.window.handover.code.problem)))


def test_code_is_looked_at_before_it_is_written_and_tried_where_it_is(pilot, code, tmp_path):
    code.file.setCurrentText(f"{code.made.manifest.prefix}.h")
    assert "struct" in code.text.toPlainText() and code.left_out.isHidden()
    pilot.type(code.prefix, "tug", enter=True)
    pilot.type(code.folder, str(tmp_path / "code"), enter=True)
    assert not (tmp_path / "code").exists()
    pilot.click(code.write)
    assert "35 messages, 5 files changed. Compiled without a warning" in code.outcome.text()
    assert "comparisons with decoding, all alike" in code.outcome.text() and code.outcome.objectName() == "good"
    assert json.loads((tmp_path / "code" / "manifest.json").read_text())["prefix"] == "tug"
    assert "35 messages in C99" in listed(pilot)
    pilot.click(code.write)
    assert "nothing changed" in code.outcome.text()


def test_what_a_language_does_not_carry_is_said_with_its_reason(pilot, code):
    code.language.choose("structured-text")
    pilot.wait(lambda: not code.left_out.isHidden(), "what is left out")
    said = code.left_out.text()
    assert said.startswith("3 messages are left out. Beacon packet: swell is optional and has a count")
    assert "Heading sentence: line is a text line" in said


def test_what_differs_from_the_last_time_is_shown(pilot, code, tmp_path):
    pilot.pick_kind(0x310)
    code.messages.choose("kind")
    pilot.type(code.folder, str(tmp_path), enter=True)
    pilot.click(code.write)
    assert "1 message, " in code.outcome.text()
    session = pilot.session
    layout = session.reading.layout_of(session.in_hand.kind)
    field = layout.fields[0]
    changed = layout.with_field(msgspec.structs.replace(field, ratio=field.ratio * 2))
    assert session.edits.change(changed, "twice as much")
    pilot.settle()
    code.file.setCurrentText(f"{code.made.manifest.prefix}.c")
    code.shown.choose("difference")
    text = code.text.toPlainText()
    lines = [line for line in text.splitlines() if line[:1] in "+-" and line[:3] not in ("+++", "---")]
    assert text.startswith("--- before") and 2 <= len(lines) <= 12, "an edit of one field is a few lines"


def test_code_for_all_messages_is_not_made_again_for_another_in_hand(pilot, code):
    made = code.made
    pilot.pick_kind(0x310)
    pilot.settle()
    assert code.made is made, "it is the same code"
    code.messages.choose("kind")
    pilot.wait(lambda: code.made is not made and len(code.made.manifest.messages) == 1, "code for the one in hand")


def test_python_and_the_message_in_hand(pilot, code, tmp_path):
    code.language.choose("python")
    pilot.pick_kind(0x310)
    code.messages.choose("kind")
    pilot.settle()
    assert not code.node.isEnabled()
    pilot.type(code.folder, str(tmp_path), enter=True)
    pilot.click(code.write)
    assert "1 message, 3 files changed. 1 message compared with decoding, all alike." in code.outcome.text()


def test_nothing_in_hand_a_wrong_prefix_and_a_wrong_endpoint_are_told(pilot, code):
    pilot.session.in_hand.take_kind(None)
    code.messages.choose("kind")
    pilot.settle()
    assert "nobody has named" in code.problem.text().lower() and code.made is None
    code.messages.choose("all")
    pilot.type(code.prefix, "My Tug", enter=True)
    assert "is no prefix" in code.problem.text()
    pilot.type(code.prefix, "tug", enter=True)
    pilot.type(code.node, "smoke:signals", enter=True)
    assert "no such endpoint" in code.problem.text()
    pilot.type(code.node, "can:can0", enter=True)
    pilot.wait(lambda: code.made is not None, "code")
    assert code.problem.isHidden() and "tug_node.c" in code.made.files


def test_a_file_of_somebody_else_is_asked_about(pilot, code, tmp_path):
    (tmp_path / "CMakeLists.txt").write_text("mine\n")
    pilot.type(code.folder, str(tmp_path), enter=True)
    pilot.click(code.write)
    assert "CMakeLists.txt is there already, and somebody else wrote it." in code.problem.text()
    assert (tmp_path / "CMakeLists.txt").read_text() == "mine\n"
    pilot.click(code.replace)
    assert "all alike" in code.outcome.text() and code.problem.isHidden()


def test_code_that_does_not_compile_is_told_with_what_the_compiler_says(pilot, code, tmp_path, monkeypatch):
    pilot.type(code.folder, str(tmp_path), enter=True)
    prefix = code.made.manifest.prefix
    code.made.files[f"{prefix}.c"] += "\nint broken(void) { return nothing; }\n"
    pilot.click(code.write)
    assert "It does not compile." in code.outcome.text() and code.outcome.objectName() == "wrong"
    assert "nothing" in code.text.toPlainText()


def test_a_report_is_shown_as_pages_and_written(pilot, report, tmp_path):
    assert len(report.sheet.pages) > 10 and "Yuzu sea trial" in report.sheet.pages[0]
    target = tmp_path / "report.html"
    pilot.type(report.path, str(target), enter=True)
    pilot.settle()
    page = lxml.html.document_fromstring(target.read_text())
    assert "harbour-team library" in page.text_content() and report.open.isEnabled()
    assert "report.html" in listed(pilot)
    pilot.click(report.target.write)
    assert "is there already" in report.problem.text()
    pilot.click(report.replace)
    assert report.problem.isHidden()


def test_a_report_as_pdf_and_a_name_without_a_form(pilot, report, tmp_path):
    report.form.choose(".pdf")
    assert report.path.text().endswith(".pdf")
    pilot.type(report.path, str(tmp_path / "r.pdf"), enter=True)
    pilot.settle()
    assert (tmp_path / "r.pdf").read_bytes().startswith(b"%PDF-")
    pilot.type(report.path, str(tmp_path / "r.txt"), enter=True)
    assert ".html or .pdf" in report.problem.text() and not (tmp_path / "r.txt").exists()


def test_a_report_follows_an_edit_and_is_not_made_twice(pilot, report):
    first = report.made
    pilot.window.show_desk("Read")
    pilot.window.show_desk("Hand over")
    pilot.settle()
    assert report.made is first
    session = pilot.session
    layout = next(one for one in session.edits.layouts() if one.name == "Helm lever")
    assert session.edits.change(msgspec.structs.replace(layout, name="Lever of the helm"), "renamed")
    pilot.wait(lambda: report.made is not first and report.made is not None, "another report")
    assert any("Lever of the helm" in page for page in report.sheet.pages)


def test_pages_are_drawn_as_they_are_seen(pilot, report):
    assert len(report.sheet._drawn) < len(report.sheet.pages)
    before = pilot.window.grab().toImage()
    report.sheet.parentWidget().parentWidget().verticalScrollBar().setValue(3000)
    pilot.settle()
    assert pilot.window.grab().toImage() != before


def test_without_a_folder_no_code_is_made(pilot):
    pilot.window.show_desk("Hand over")
    pilot.window.handover.pages.show_page(CODE)
    code = pilot.window.handover.code
    pilot.wait(lambda: code.made is not None, "the code")
    pilot.type(code.folder, "", enter=True)
    assert code.made is None and code.problem.text() == "The code needs a folder; choose one."
