"""The verbs that ask: find, decode --where, and frames written as a recording again."""

import csv
import io
from fractions import Fraction

import pytest

from tests.cli.program import run
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.library.store import Library

LOG = "".join(
    f"({1_700_000_000 + n / 100:.6f}) deck {0x100 + n % 3:03X}#{n % 7:02X}{n:02X}{'68' if n % 5 else '00'}\n"
    for n in range(60)
)


@pytest.fixture
def recording(tmp_path):
    (tmp_path / "a.log").write_text(LOG)
    return tmp_path / "a.log"


@pytest.fixture
def library(tmp_path):
    field = new_field("water speed", parse_places("B1"), ratio=Fraction(1, 10), unit="m/s")
    made = Library.create(tmp_path / "lib.sqlite")
    made.layouts.commit(new_layout("Motion", Applies(address=0x100), 3, [field]), parent=None, author="mara")
    made.close()
    return tmp_path / "lib.sqlite"


def rows_of(out):
    return list(csv.DictReader(io.StringIO(out)))


def test_find_gives_the_frames_and_what_they_say(recording, library):
    code, out, err = run("find", recording, "--library", library, "--where", "`water speed` > 8 kn")
    rows = rows_of(out)
    assert code == 0 and "where water speed is above 8 kn: 6 hits" in err
    assert list(rows[0]) == [
        "time_ns",
        "lane",
        "address",
        "direction",
        "flags",
        "size",
        "payload",
        "words",
        "message",
        "says",
    ]
    assert [row["says"] for row in rows] == [f"water speed {n / 10:.1f} m/s" for n in (42, 45, 48, 51, 54, 57)]
    assert {row["message"] for row in rows} == {"Motion"} and {row["words"] for row in rows} == {"0x100"}


def test_nothing_found_is_a_table_without_rows_and_three(recording, tmp_path):
    code, out, _ = run("find", recording, "--where", "size == 8", "-o", tmp_path / "none.csv")
    assert code == 3 and out == "" and (tmp_path / "none.csv").read_text().count("\n") == 1


def test_one_after_another_says_how_long(recording):
    code, out, _ = run("find", recording, "--where", "address == 0x100 then address == 0x101 within 10 ms")
    rows = rows_of(out)
    assert code == 0 and len(rows) == 20 and {row["since_ns"] for row in rows} == {"10000000"}


@pytest.mark.parametrize("form", ["csv", "jsonl"])
@pytest.mark.parametrize("shape", ["long", "wide"])
def test_decode_where_leaves_the_others_out(recording, library, form, shape):
    words = ("decode", recording, "--library", library, "--shape", shape, "--to", form)
    code, out, err = run(*words, "--where", "`water speed` >= 4.5 m/s")
    lines = out.splitlines()
    assert code == 0 and len(lines) - (form == "csv") == 5, err
    assert run(*words, "--where", "size == 8")[0] == 0, "no hit is no failure here"


@pytest.mark.parametrize(
    ("condition", "said"),
    [
        ("`watr speed` > 3", "Did you mean water speed"), ('after("hook", 2 s)', "no moment called"),
        ("size = 3", "letter 6"), ('lane == "dock"', "Did you mean deck"),
    ],
)  # fmt: skip
def test_a_wrong_condition_is_wrong_use(recording, library, condition, said):
    code, out, err = run("find", recording, "--library", library, "--where", condition)
    assert (code, out) == (2, "") and said in err


def test_a_condition_that_is_kept_is_asked_by_its_name(recording, library, tmp_path):
    assert run("library", "conditions", library, "overload=`water speed` > 8 kn")[0] == 0
    code, out, err = run("find", recording, "--library", library, "--kept", "overload")
    assert code == 0 and len(rows_of(out)) == 6 and "water speed is above 8 kn: 6 hits" in err
    assert len(run("decode", recording, "--library", library, "--kept", "overload")[1].splitlines()) == 7
    code, _, err = run("find", recording, "--library", library, "--kept", "underload")
    assert code == 2 and "What is kept: overload." in err
    assert run("find", recording, "--library", library, "--kept", "overload", "--where", "size == 3")[0] == 2
    assert run("find", recording)[0] == 2, "nothing is asked"


def test_fields_need_a_library(recording):
    code, _, err = run("find", recording, "--where", "speed > 3")
    assert code == 2 and "without a library" in err


def test_moments_come_from_a_file(recording, tmp_path):
    (tmp_path / "m.csv").write_text("time_ns,text\n1700000000100000000,casting off\n")
    words = ("find", recording, "--moments", tmp_path / "m.csv", "--where")
    assert len(rows_of(run(*words, 'after("casting off", 50 ms)')[1])) == 6
    (tmp_path / "m.csv").write_text("time_ns,text\nsoon,casting off\n")
    code, _, err = run(*words, 'after("casting off", 50 ms)')
    assert code == 2 and "line 2" in err


@pytest.mark.parametrize("name", ["b.log", "b.pcap", "b.pcapng"])
def test_frames_are_written_as_a_recording_again(recording, tmp_path, name):
    assert run("frames", recording, "-o", tmp_path / name)[0] == 0
    assert run("frames", recording, "-o", tmp_path / name)[0] == 1, "nothing is replaced unasked"
    ours, theirs = rows_of(run("frames", recording)[1]), rows_of(run("frames", tmp_path / name)[1])
    for row in (*ours, *theirs):
        # what such a file does not say: which lane it was, and in pcap whether a frame was sent
        del row["lane"], row["direction"]
    assert ours == theirs and len(ours) == 60
