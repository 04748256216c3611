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
    assert code == 2 and "as there are no layouts" in err


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


def test_a_stretch_and_lanes_of_frames_are_put_out(recording, tmp_path):
    every = rows_of(run("frames", recording)[1])
    part = rows_of(run("frames", recording, "--from", "100ms", "--until", "200 ms")[1])
    assert part == every[10:21], "both ends count"
    (tmp_path / "other.log").write_text("(1700000000.005000) winch 100#01\n(1700000000.500000) helm 100#02\n")
    for lanes, count in ((("winch",), 1), (("winch", "helm"), 2), (("deck", "winch"), 61)):
        words = [word for lane in lanes for word in ("--lane", lane)]
        rows = rows_of(run("frames", recording, tmp_path / "other.log", *words)[1])
        assert len(rows) == count and {row["lane"] for row in rows} == set(lanes)
    code, _, err = run("frames", recording, "--lane", "dekc")
    assert code == 2 and "There is no lane called dekc. Did you mean deck?" in err
    assert run("frames", recording, "--from", "2s", "--until", "1s")[0] == 2
    assert run("frames", recording, "--from", "soon")[0] == 2
    assert run("frames", recording, "--until", "100ms", "-o", tmp_path / "part.log")[0] == 0
    assert rows_of(run("frames", tmp_path / "part.log")[1]) == every[:11]


def test_what_is_found_is_written_as_a_recording_again(recording, tmp_path):
    condition = ("--where", "address == 0x101")
    rows = rows_of(run("find", recording, *condition)[1])
    expected = [(row["time_ns"], row["address"], row["payload"]) for row in rows]
    assert run("find", recording, *condition, "-o", tmp_path / "hits.log.gz")[0] == 0
    found = rows_of(run("frames", tmp_path / "hits.log.gz")[1])
    assert [(row["time_ns"], row["address"], row["payload"]) for row in found] == expected and expected
    assert (tmp_path / "hits.log.gz").read_bytes()[:2] == b"\x1f\x8b"
    code, _, err = run("find", recording, "--where", "size == 77", "-o", tmp_path / "none.log")
    assert code == 3 and "0 hits" in err and not (tmp_path / "none.log").exists()
    # who asks for a table gets one, whatever it is called
    assert run("find", recording, *condition, "--to", "csv", "-o", tmp_path / "table.log")[0] == 0
    assert (tmp_path / "table.log").read_text().startswith("time_ns,")


def test_lanes_that_a_recording_cannot_hold_are_told(trial, tmp_path):
    code, _, err = run("frames", trial, "-o", tmp_path / "tug.log")
    assert code == 0 and "tug.log: " in err and " more are left out: such a file holds CAN frames alone." in err
    assert {row["lane"] for row in rows_of(run("frames", tmp_path / "tug.log")[1])} == {"thruster", "battery"}
    code, _, err = run("frames", trial, "--lane", "shore", "-o", tmp_path / "shore.pcap")
    assert code == 2 and "what leaves is of shore. Write a table" in err and not (tmp_path / "shore.pcap").exists()


def test_a_table_of_what_was_found_is_read_as_frames_again(recording, library, tmp_path):
    """What the frames say stands in quotes, with commas in it."""
    fields = [new_field(name, parse_places(f"B{number}")) for number, name in enumerate("ab")]
    two = new_layout("Deck", Applies(address=0x101), 3, fields)
    made = Library.open(library)
    made.layouts.commit(two, parent=None, author="mara")
    made.close()
    found = tmp_path / "found.csv"
    assert run("find", recording, "--library", library, "--where", "size == 3", "-o", found)[0] == 0
    assert '"a 1, b 1"' in found.read_text()
    ours, theirs = rows_of(run("frames", recording)[1]), rows_of(run("frames", found)[1])
    assert ours == theirs and len(ours) == 60


def test_times_as_people_write_them_are_read_again(recording, tmp_path):
    every = rows_of(run("frames", recording)[1])
    assert run("frames", recording, "--time", "iso", "-o", tmp_path / "iso.csv")[0] == 0
    assert rows_of(run("frames", tmp_path / "iso.csv")[1]) == every
