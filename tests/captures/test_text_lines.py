"""Lines of text with a time in front, and sentences without: against times and texts put together here."""

from __future__ import annotations

import gzip
import json
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.captures.test_fuzz import mutations
from tests.cli.program import run
from zesty_abacus.core.captures.registry import read_recording, recognise
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.recipes.json_form import recipes_from_file
from zesty_abacus.demo.trial import SHIPPED

MIDNIGHT = datetime(2026, 5, 12, tzinfo=UTC)


def sentence(body):
    """Return a sentence with the check of IEC 61162-1: the exclusive or of what stands between the signs."""
    check = 0
    for code in body.encode():
        check ^= code
    return f"${body}*{check:02X}"


def read(path):
    """Return (time, flags, payload) of each piece, and the report."""
    found = []

    def take(table, _lanes):
        table.check()
        found.extend(
            (time, flags, table.payload_of(row))
            for row, (time, flags) in enumerate(zip(table.time_ns.tolist(), table.flags.tolist(), strict=True))
        )

    return found, read_recording(path, take)


def written(tmp_path, text, name="log.txt"):
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return path


def listed(report):
    return [(problem.place, problem.reason) for problem in report.problems]


WAYS = {
    "seconds": lambda ns: f"{ns // 10**9}.{ns % 10**9:09d}",
    "date": lambda ns: (MIDNIGHT + timedelta(microseconds=ns // 1000)).strftime("%Y-%m-%dT%H:%M:%S.%fZ"),
    "time of day": lambda ns: (MIDNIGHT + timedelta(microseconds=ns // 1000)).strftime("%H:%M:%S.%f"),
}
EPOCH_NS = {"seconds": 0, "date": int(MIDNIGHT.timestamp()) * 10**9, "time of day": 0}
# what a device may send; a first sign that separates cannot be told from the separator
TEXTS = st.binary(min_size=1, max_size=30).filter(
    lambda text: not set(text) & {0, 10, 13, 11, 12} and text.strip() == text and text[:1] not in b',;|:])\\<>"'
)


@settings(max_examples=200)
@given(
    way=st.sampled_from(sorted(WAYS)),
    form=st.sampled_from(["{} {}", "[{}] {}", "({}){}", "{}\t{}", "{};{}", "{} | {}", "{}: {}"]),
    rows=st.dictionaries(st.integers(0, 86_399_999_999), TEXTS, min_size=1, max_size=8),
)
def test_what_was_logged_comes_back(tmp_path_factory, way, form, rows):
    # numbers behind a time would be a table
    rows = sorted((microseconds * 1000, b"say " + text + b"!") for microseconds, text in rows.items())
    before, _, behind = form.partition("{}")[2].partition("{}")
    first = form.partition("{}")[0]
    log = b"".join(f"{first}{WAYS[way](ns)}{before}".encode() + text + f"{behind}\n".encode() for ns, text in rows)
    path = written(tmp_path_factory.mktemp("log"), log)
    assert recognise(path) == "text lines"
    found, report = read(path)
    assert found == [(EPOCH_NS[way] + ns, 0, text + b"\r\n") for ns, text in rows]
    assert report.problem_count == 0 and report.facts == []


@pytest.mark.parametrize(
    ("log", "expected"),
    [
        ("0.5 > $A\n0.75 < ok\n", [(500_000_000, F.SENT, b"$A"), (750_000_000, F.RECEIVED, b"ok")]),
        ("[0.5] TX: at\n[0.6] rx OK\n", [(500_000_000, F.SENT, b"at"), (600_000_000, F.RECEIVED, b"OK")]),
        # a word that only some lines begin with is what was said
        ("0.5 TX on\n0.6 no\n", [(500_000_000, 0, b"TX on"), (600_000_000, 0, b"no")]),
        ('time;way;text\n0.5;rx;"a;""b"""\n0.6;tx;"c"\n',
         [(500_000_000, F.RECEIVED, b'a;"b"'), (600_000_000, F.SENT, b"c")]),
        ('0.5 "a" b\n0.6 "c"\n', [(500_000_000, 0, b'"a" b'), (600_000_000, 0, b'"c"')]),
        ("0.5 \\s:gyro*0A\\$YXHDT,1\n", [(500_000_000, 0, b"$YXHDT,1")]),
        ("0.5   spaced  out  \r\n\r\n  0.6 x\n", [(500_000_000, 0, b"spaced  out  "), (600_000_000, 0, b"x")]),
        ("12.05.2026 08:00:00,5 a\n12.05.2026 08:00:01 b\n",
         [(1_778_572_800_500_000_000, 0, b"a"), (1_778_572_801_000_000_000, 0, b"b")]),
        ("log of the gyro\nbegun\n0.5 a\n0.6 b", [(500_000_000, 0, b"a"), (600_000_000, 0, b"b")]),
    ],
)  # fmt: skip
def test_how_people_write_them(tmp_path, log, expected):
    path = written(tmp_path, log)
    assert recognise(path) == "text lines"
    found, report = read(path)
    assert found == [(time, flags, text + b"\r\n") for time, flags, text in expected]
    assert listed(report) == []


def test_what_has_no_time_is_listed_and_an_empty_text_is_none(tmp_path):
    log = "".join(f"0.{n} line {n}\n" for n in range(1, 10)) + "no time\n\n1.0 \n99999999999.0 far\n1.2 end\n"
    found, report = read(written(tmp_path, log))
    assert [time for time, _, _ in found[8:]] == [900_000_000, 1_200_000_000]
    assert listed(report) == [("line 10", "it does not begin with a time"),
                              ("line 13", "it does not begin with a time")]  # fmt: skip
    _, report = read(written(tmp_path, "24:00:01 a\n23:00:01 b\n23:00:02 c\n", "day.txt"))
    assert listed(report) == [("line 1, column time", "'24:00:01' is no time")]


@settings(max_examples=300)
@given(
    form=st.sampled_from(["[{t}] TX: {b}", "{t} > {b}", "{t}\tRx\t{b}", '{t};"{b}"', "{t} {b}"]),
    apart=st.sampled_from([" ", ", ", "", "-", " 0x"]),
    way=st.sampled_from(["date", "time of day"]),
    pieces=st.lists(st.binary(min_size=1, max_size=20), min_size=1, max_size=8),
)
def test_bytes_in_hex_are_those_bytes(tmp_path_factory, form, apart, way, pieces):
    if apart == ", " and form[:3] == "{t}" and '"' not in form:
        apart = "-"  # a separator that also stands before the first of them leaves columns
    # of two digits each they would be numbers
    pieces = [b"\xab\xcd" + piece for piece in pieces]
    rows = [form.format(t=WAYS[way](n * 10**9 + 10**6), b=piece.hex("*").upper().replace("*", apart))
            for n, piece in enumerate(pieces)]  # fmt: skip
    path = written(tmp_path_factory.mktemp("hex"), "\n".join(rows) + "\n")
    assert recognise(path) in ("text lines", "frame table")
    found, report = read(path)
    flags = F.SENT if "TX" in form or ">" in form else F.RECEIVED if "Rx" in form else 0
    assert found == [(EPOCH_NS[way] + n * 10**9 + 10**6, flags, piece) for n, piece in enumerate(pieces)]
    assert report.problem_count == 0


def test_places_are_those_of_the_file_behind_lines_that_are_none(tmp_path):
    log = "".join(f"08:00:{n:02} > {n:02X} AB\n" for n in range(20))
    log += "\nnot one\n25:00:00 > 01\nnot one\n08:01:01 > 0G\n08:01:02 > 1\n"
    found, report = read(written(tmp_path, log))
    assert [payload for _, _, payload in found] == [bytes((n, 0xAB)) for n in range(20)]
    assert sorted(listed(report)) == [
        ("line 22", "it does not begin with a time"), ("line 23, column time", "'25:00:00' is no time"),
        ("line 24", "it does not begin with a time"), ("line 25, column bytes", "'0G' is no bytes in hex"),
        ("line 26, column bytes", "'1' is no bytes in hex"),
    ]  # fmt: skip


def test_sentences_without_times_lie_as_their_wire_carries_them(tmp_path):
    lines = [sentence("YXHDT,123.4,T"), "!AIVDM,1,1,,A,14eG,0*7D", sentence("YXROT,-1,A")]
    path = written(tmp_path, "\r\n".join(lines) + "\r\nrubbish\r\n" + lines[0] + "\r\n" + lines[0] + "\r\n")
    assert recognise(path) == "text lines"
    found, report = read(path)
    assert [text for _, _, text in found] == [f"{line}\r\n".encode() for line in (*lines, lines[0], lines[0])]
    # ten bits a character: 19 of them take 39.6 ms at 4 800 bits/s
    assert [time for time, _, _ in found][:2] == [0, pytest.approx(19 * 10 / 4800 * 1e9, rel=1e-6)]
    assert listed(report) == [("line 4", "it is no sentence")]
    assert report.facts == [("times", "none in the file: its lines lie one behind the other, at 4 800 bits/s")]


def test_lines_are_the_same_however_they_are_read(tmp_path):
    log = b"".join(b"%d.%09d row %d%s\n" % (n // 7, n * 1001, n, b"x" * (n % 90)) for n in range(20_000))
    plain, _ = read(written(tmp_path, log))
    packed, _ = read(written(tmp_path, gzip.compress(log), "log.txt.gz"))
    assert plain == packed and len(plain) == 20_000
    assert plain[12_345] == (1763 * 10**9 + 12_345 * 1001, 0, b"row 12345" + b"x" * (12_345 % 90) + b"\r\n")


@pytest.mark.parametrize("seed", range(40))
def test_spoilt_logs_lose_only_what_is_spoilt(tmp_path, seed):
    log = b"".join(b"0.%06d < %s\n" % (n * 25_000, sentence(f"YXHDT,{n}.0,T").encode()) for n in range(40))
    (made,) = mutations(log, 1, seed)
    found, report = read_recording_of(tmp_path, made)
    whole = set(made.split(b"\n")) & set(log.split(b"\n"))
    kept = {(time, text) for time, _, text in found}
    lost = [line for line in whole - {b""} if piece_of(line) not in kept]
    # where nearly every line is spoilt it is no log of this form any more
    assert not lost or report is None
    assert report is None or len(found) + report.problem_count <= made.count(b"\n") + 1


@pytest.mark.parametrize("seed", range(60))
def test_spoilt_logs_of_bytes_lose_only_what_is_spoilt(tmp_path, seed):
    log = b"".join(b"[08:%02d:%02d] TX: AB %02X %02X\n" % (n // 60, n % 60, n, n * 7 % 256) for n in range(80))
    (made,) = mutations(log, 1, seed)
    found, report = read_recording_of(tmp_path, made)
    kept = {payload for _, _, payload in found}
    lost = {n for n in range(80) if bytes((0xAB, n, n * 7 % 256)) not in kept}
    touched = {n for n, line in enumerate(log.split(b"\n")[:80]) if line not in made.split(b"\n")}
    assert report is None or lost <= touched


def test_letters_that_are_none_are_listed(tmp_path):
    log = b"".join(b"08:00:%02d < AB %02X\n" % (n, n) for n in range(20)) + b"08:01:00 < AB \xe9\xff\n"
    found, report = read(written(tmp_path, log))
    assert len(found) == 20 and listed(report) == [("line 21, column bytes", "'AB��' is no bytes in hex")]


def read_recording_of(tmp_path, data):
    path = written(tmp_path, data)
    return read(path) if recognise(path) == "text lines" else ([], None)


def piece_of(line):
    time, _, text = line.decode().split(" ", 2)
    return int(time[2:]) * 1000, f"{text}\r\n".encode()


@pytest.mark.parametrize("name", sorted(path.name for path in SHIPPED.iterdir() if path.is_file()))
def test_nothing_else_is_taken_for_it(name):
    assert recognise(SHIPPED / name) != "text lines"


@pytest.mark.parametrize(
    "text", ["0.5 12.5\n0.6 12.6\n", "0.1 41 42\n0.2 AB CD\n", "08:00:00 1.5 2.5\n08:00:01 1.6 2.6\n", "a\nb\n", "\n",
             "time,value\n0.0,1\n2.0,3\n", "$A\n", "(0.5) can0 120#01\n(0.6) can0 120#02\n"],
)  # fmt: skip
def test_numbers_bytes_and_words_are_none(tmp_path, text):
    assert recognise(written(tmp_path, text)) != "text lines"


def test_it_becomes_a_lane_of_sentences(tmp_path):
    headings = [123.4, 124.0, 124.5, 125.0]
    log = "".join(f"08:00:0{n}.250 {sentence(f'YXHDT,{value},T')}\n" for n, value in enumerate(headings))
    path = written(tmp_path, log, "gyro.txt")
    assert read(path)[1].holds_bytes
    code, _, error = run("recipe", path, "-o", tmp_path / "gyro.json")
    assert code == 0, error
    (recipe,) = recipes_from_file(tmp_path / "gyro.json")
    assert (recipe.source.form, recipe.protocol) == ("text lines", "sentence")
    _, out, _ = run("frames", path, "--recipe", tmp_path / "gyro.json", "--to", "jsonl")
    rows = [json.loads(line) for line in out.splitlines()]
    assert [row["time_ns"] for row in rows] == [(8 * 3600 + n) * 10**9 + 250_000_000 for n in range(4)]
    assert [bytes.fromhex(row["payload"]).decode() for row in rows] == log.replace("08:00:0", "").split()[1::2]


def test_it_says_what_it_took_for_granted(tmp_path):
    path = written(tmp_path, sentence("YXHDT,1,T") + "\n" + sentence("YXHDT,2,T") + "\n")
    _, _, error = run("frames", path)
    assert "times: none in the file: its lines lie one behind the other, at 4 800 bits/s" in error


@pytest.mark.parametrize(
    ("line", "name"),
    [
        ("{n}.5 depth {n} m", "text lines"),
        ("08:00:{n:02} pump {n} rpm", "text lines"),
        ("2026-11-30 08:00:{n:02} INFO depth {n}", "text lines"),
        # a number that stands first has a time and a unit, and a head says what words mean
        ("{n}.5 {n}.1 m", "reference table"),
        ("{n}.5,ok,{n}.1", "reference table"),
    ],
)
def test_numbers_behind_words_are_said_and_not_measured(tmp_path, line, name):
    path = written(tmp_path, "".join(line.format(n=n) + "\n" for n in range(30)))
    assert recognise(path) == name


def test_below_a_head_words_are_a_column(tmp_path):
    path = written(tmp_path, "time who depth\n" + "".join(f"{n}.5 port {n}\n" for n in range(30)))
    assert recognise(path) == "reference table"
