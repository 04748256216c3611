"""A report on the demo, and on a bus nobody knows: what it says is what other commands say."""

from __future__ import annotations

import csv
import hashlib
import re
from types import SimpleNamespace

import lxml.html
import numpy as np
import pytest

from tests.cli.program import run
from tests.problems.made import capture_of, stream
from tests.voyages import voyage
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.handover.pages import PAGE
from zesty_abacus.core.report import making
from zesty_abacus.core.report.blocks import Facts, Figure, Heading, Report, Sentence, Table
from zesty_abacus.core.report.html import report_html
from zesty_abacus.core.report.paper import report_pages
from zesty_abacus.core.report.traces import Trace, traces_figure
from zesty_abacus.core.trial.content import Moment


@pytest.fixture(scope="module")
def trial(tmp_path_factory):
    folder = voyage(tmp_path_factory, "20s")
    code, _, err = run("library", "release", folder / "library.sqlite", "run 14", "--author", "mara")
    assert code == 0, err
    return folder


@pytest.fixture(scope="module")
def written(trial, tmp_path_factory):
    path = tmp_path_factory.mktemp("made") / "report.html"
    code, out, err = run("report", trial, "--release", "run 14", "-o", path)
    assert (code, out) == (0, ""), err
    return path.read_text()


@pytest.fixture(scope="module")
def page(written):
    return lxml.html.document_fromstring(written)


def rows_under(page, heading):
    """Return the cells of the table that follows a heading."""
    (part,) = [one for one in page.iter("h2") if one.text_content() == heading]
    table = next(one for one in part.itersiblings() if one.tag == "table")
    return [[cell.text_content() for cell in row.iter("td")] for row in table.iter("tr") if row.find("td") is not None]


def test_it_stands_alone_and_says_release_and_trial(written, page):
    assert "release run 14" in page.text_content() and page.find(".//title").text.startswith("Yuzu sea trial")
    assert not re.findall(r"(?:src|href)\s*=\s*[\"'](?!#)", written), "nothing lies anywhere else"
    assert "<script" not in written and "@import" not in written and "url(" not in written
    targets = {one.get("id") for one in page.iter("h2")}
    assert {one.get("href").removeprefix("#") for one in page.iter("a")} <= targets


def test_every_file_that_was_read_has_its_hash_in_full(trial, page):
    said = {row[0]: row[3] for row in rows_under(page, "Recordings")}
    assert {"thruster.log.gz", "pendant.sigmf-meta", "pendant.sigmf-data"} <= set(said)
    for name, digest in said.items():
        assert digest == hashlib.sha256((trial / name).read_bytes()).hexdigest(), name


def test_problems_are_those_of_the_other_command(trial, page):
    code, out, err = run("problems", trial, "--library", trial, "--release", "run 14")
    assert code == 0, err
    wanted = [(row["lane"], row["field"], row["reason"]) for row in csv.DictReader(out.splitlines())]
    said = [(row[1], row[3], row[6]) for row in rows_under(page, "What is wrong")]
    assert len(said) > 10 and said == wanted[: len(said)] and len(said) == min(len(wanted), 100)


def test_lanes_messages_moments_and_layouts_are_there(trial, page):
    code, out, _ = run("frames", trial)
    frames = list(csv.DictReader(out.splitlines()))
    assert code == 0
    lanes = {row[0]: int(re.sub(r"\D", "", row[3])) for row in rows_under(page, "Lanes")}
    assert lanes == {lane: sum(one["lane"] == lane for one in frames) for lane in lanes} and len(lanes) == 9
    messages = rows_under(page, "Messages")
    assert sum(int(re.sub(r"\D", "", row[3])) for row in messages) == len(frames)
    assert "unknown" in {row[2] for row in messages} and "Helm lever" in {row[2] for row in messages}
    assert rows_under(page, "Moments")[0][2] == "bow thruster on"
    assert "Helm lever" in {one.text_content() for one in page.iter("h1")}, "its layout is in the appendix"
    assert len(page.findall(".//figure//{*}polygon")) >= 12 or len(page.cssselect("figure polygon")) >= 12


NUMBERS = {"", "at", "frames", "kinds", "claimed", "proved", "times", "worst at", "on average every", "moving bits"}
"""Heads of columns whose numbers are compared from row to row."""


def test_numbers_stand_to_the_right_and_hashes_in_letters_of_one_width(page):
    heads = {(one.text_content(), one.get("class")) for one in page.iter("th")}
    assert {head for head, kind in heads if kind == "number"} == NUMBERS & {head for head, _ in heads}
    assert {"frames", "at", "worst at"} <= {head for head, _ in heads}
    hashes = [cell for cell in page.iter("td") if re.fullmatch("[0-9a-f]{64}", cell.text_content())]
    assert {cell.get("class") for cell in hashes} == {"plain"}


def test_of_a_bus_nobody_knows_it_is_a_survey(trial, tmp_path):
    path = tmp_path / "survey.html"
    code, _, err = run("report", trial / "thruster.log.gz", "-o", path)
    assert code == 0, err
    page = lxml.html.document_fromstring(path.read_text())
    assert "A first survey" in page.text_content()
    assert {row[2] for row in rows_under(page, "Messages")} == {"unknown"}
    sure = [int(row[3].split("%")[0]) for row in rows_under(page, "What unknown bits seem to be")]
    assert len(sure) > 20 and sure == sorted(sure, reverse=True)
    assert "Layouts" not in {one.text_content() for one in page.iter("h2")}


def test_a_pdf_has_the_same_on_paper(trial, tmp_path):
    path = tmp_path / "report.pdf"
    code, _, err = run("report", trial, "-o", path)
    assert code == 0, err
    data = path.read_bytes()
    assert data.startswith(b"%PDF-") and len(re.findall(rb"/Type\s*/Page\b", data)) > 5


@pytest.mark.parametrize(("name", "said"), [("report.txt", ".html or .pdf"), ("-", "written to a file")])
def test_a_name_that_says_no_form_is_wrong_use(trial, tmp_path, name, said):
    code, _, err = run("report", trial, "-o", name if name == "-" else tmp_path / name)
    assert code == 2 and said in err, err


def test_a_file_that_is_there_stays(trial, tmp_path):
    path = tmp_path / "report.html"
    path.write_text("mine")
    code, _, err = run("report", trial, "-o", path)
    assert code == 1 and "--force" in err and path.read_text() == "mine"


HOSTILE = "</style><script>alert(1)</script>\x07\u202e &<b>"


def test_texts_of_others_are_texts():
    report = Report(HOSTILE, (HOSTILE,), (
        Heading(HOSTILE), Sentence(HOSTILE), Facts(((HOSTILE, HOSTILE),)),
        Table((HOSTILE,), ((HOSTILE,),), (1,)),
        traces_figure([Trace(HOSTILE, HOSTILE, None, HOSTILE, HOSTILE,
                             Curve.build(np.array([0, 1, 2], np.int64), np.array([0.0, 1.0, 0.5])), 3)], 0, 2,
                      [Moment(time_ns=1, text=HOSTILE)]),
    ))  # fmt: skip
    text = report_html(report)
    assert "<script" not in text and "\x07" not in text and "\u202e" not in text
    for svg in report_pages(report):
        lxml.etree.fromstring(svg.encode())


def test_a_long_table_goes_over_pages_with_its_headings_again():
    rows = tuple((f"row {number}", "word " * 20) for number in range(120))
    report = Report("t", (), (Heading("Rows"), Table(("first", "second"), rows, (1, 3), (), 7)))
    pages = report_pages(report)
    assert len(pages) > 3 and all("first" in page for page in pages)
    assert sum(page.count(">row ") for page in pages) == 120 and "7 more are left out" in pages[-1]
    assert all(float(y) < PAGE[1] for page in pages for y in re.findall(r' y="([\d.]+)"', page))


def test_numbers_end_where_their_column_does_and_words_begin_there():
    report = Report("t", (), (Table(("name", "frames"), (("speed", "17"), ("torque", "4 096")), (1, 1), numbers=(1,)),))
    (page,) = report_pages(report)
    anchors = {words: (float(x), "end" if 'text-anchor="end"' in rest else "start")
               for x, rest, words in re.findall(r'<text x="([\d.]+)"([^>]*)>([^<]*)</text>', page)}  # fmt: skip
    assert [anchors[words][1] for words in ("speed", "torque", "17", "4 096")] == ["start", "start", "end", "end"]
    assert anchors["speed"][0] == anchors["torque"][0] < anchors["17"][0] == anchors["4 096"][0] < PAGE[0]


def test_a_heading_goes_with_its_picture():
    figure = Figure("<line/>", 500, 600, "words")
    report = Report("t", (), (Table(("a",), tuple((str(n),) for n in range(20)), (1,)), Heading("Picture"), figure))
    first, second = report_pages(report)
    assert "Picture" not in first and "Picture" in second and "<line/>" in second


def test_a_gap_and_an_end_of_a_trace_are_where_they_are():
    times = np.array([0, 10, 90, 100], np.int64)
    values = np.array([1.0, 3.0, np.nan, 2.0])
    figure = traces_figure([Trace("m", "l", None, "f", "V", Curve.build(times, values), 3)], 0, 100, [])
    assert "3 V" in figure.elements and ">1<" in figure.elements and figure.words.startswith("1 field over")
    assert figure.elements.count("<polygon") == 2, "nothing is drawn where there is no good value"


def test_a_picture_is_drawn_to_scale():
    """By hand: 515 points wide, 142 of them for names and 60 for values, rows of 34 below a head of 14."""
    curve = Curve.build(np.array([0, 50, 100], np.int64) * 1_000_000, np.array([0.0, 10.0, 5.0]))
    traces = [Trace("m", "l", None, name, "V", curve, 3) for name in ("first", "second")]
    outside = Moment(time_ns=100_000_001, text="later")
    figure = traces_figure(traces, 0, 100_000_000, [outside, Moment(time_ns=50_000_000, text="half")])
    root = lxml.etree.fromstring(f"<g>{figure.elements}</g>")
    assert (figure.width, figure.height) == (515, 14 + 2 * 34 + 16)
    moments = root.xpath("line[@stroke-dasharray]")
    assert [(one.get("x1"), one.get("y1"), one.get("x2"), one.get("y2")) for one in moments] == [
        ("298.5", "11.0", "298.5", "82.0")
    ]
    said = {text.text: (text.get("x"), text.get("y"), text.get("text-anchor")) for text in root.iter("text")}
    assert said["2"] == ("298.5", "9.0", "middle"), "numbered as they are listed"
    assert said["first"] == ("0.0", "26.0", "start") and said["second"] == ("0.0", "60.0", "start")
    assert said["10 V"] == ("458.0", "57.0", "start") and said["0"][1] == "93.0", "the axis is drawn last"
    assert {words: place[0] for words, place in said.items() if words.endswith(" ms")} == {
        "25 ms": "220.2", "50 ms": "298.5", "75 ms": "376.8", "100 ms": "455.0",
    }  # fmt: skip
    shapes = [[tuple(map(float, point.split(","))) for point in shape.get("points").split()]
              for shape in root.iter("polygon")]  # fmt: skip
    # 10 is at the top of the first row, 18, and 0 at its bottom, 43
    corners = dict(shapes[0])
    assert (min(corners), max(corners)) == (142.4, 454.6)
    assert corners[min(corners)] == 43.0 and min(corners.values()) == 18.0 and corners[max(corners)] == 30.5


def test_a_name_that_is_too_long_loses_its_middle():
    curve = Curve.build(np.array([0, 1], np.int64), np.array([0.0, 1.0]))
    name = "a name that goes on for much longer than there is room, port"
    figure = traces_figure([Trace("m", "l", None, name, "", curve, 2)], 0, 1, [])
    (said,) = re.findall(r">(a name[^<]*)<", figure.elements)
    assert said.startswith("a name that") and said.endswith("room, port") and "…" in said
    # 138 points hold 30 letters of 8.5
    assert len(said) <= 30
    kept = traces_figure([Trace("m", "l", None, name[:30], "", curve, 2)], 0, 1, [])
    assert f">{name[:30]}<" in kept.elements


@pytest.mark.parametrize(("count", "left_out"), [(99, 0), (100, 0), (101, 1), (130, 30)])
def test_of_many_problems_a_hundred_are_listed_and_the_others_counted(count, left_out):
    one = SimpleNamespace(
        kind=SimpleNamespace(words="late"), lane="deck", message="Winch", field="raw", count=3, worst_ns=0, reason="so"
    )
    blocks = making._problems(capture_of(stream([0])), [one] * count, 0)
    table = next(block for block in blocks if isinstance(block, Table))
    assert (len(table.rows), table.left_out) == (min(count, 100), left_out)
