"""``unravel``: the form of its lines, what it leaves out, references, moments, two sources, drafts."""

import json
from contextlib import closing

import numpy as np
import pytest

from tests.cli.program import run
from zesty_abacus.core.library.store import Library

KEYS = [
    "lane",
    "address",
    "flags",
    "message",
    "kind",
    "places",
    "parameters",
    "frames",
    "against",
    "confidence",
    "reason",
]
BEGIN = 1_700_000_000


def lines(count, *, mode=0, begin=BEGIN, broken=()):
    """Return frames of a speed, a counter, a mode and an exclusive or over the others, every 100 ms."""
    made = []
    for number in range(count):
        raw = round(2000 + 900 * np.sin(number / 40) + 300 * np.sin(number / 11))
        payload = bytearray([raw >> 8, raw & 255, number % 16, mode, 0x3C, 0])
        payload[5] = int(np.bitwise_xor.reduce(payload[:5])) ^ (0x55 if number in broken else 0)
        made.append(f"({begin + number / 10:.6f}) can0 1A0#{payload.hex().upper()}")
    return made


@pytest.fixture
def log(tmp_path):
    path = tmp_path / "deck.log"
    path.write_text("\n".join(lines(600, broken=(77,))) + "\n")
    return path


def findings(*arguments):
    code, output, errors = run("unravel", *arguments)
    assert code == 0, errors
    return [json.loads(line) for line in output.splitlines()]


def of(found, kind):
    return [one for one in found if one["kind"] == kind]


def test_lines_have_the_keys_in_their_order_and_say_what_is_there(log):
    found = findings(log)
    for one in found:
        assert list(one)[: len(KEYS)] == KEYS and 0 <= one["confidence"] <= 1
    assert [one["places"] for one in of(found, "counter")] == ["B2[3..0]"]
    (check,) = of(found, "check")
    assert (check["places"], check["parameters"]["check"]) == ("B5", "xor")
    assert (check["frames"], check["against"]) == (599, 1)
    assert any(
        one["places"].endswith("B1") and one["parameters"]["reading"] == "unsigned" for one in of(found, "field")
    )
    period = of(found, "period")[0]
    assert period["places"] == "" and period["parameters"]["seconds"] == pytest.approx(0.1)
    sure = [one["confidence"] for one in found]
    assert sure == sorted(sure, reverse=True), "best first within a message"


def test_only_some_kinds_of_findings_lanes_and_addresses(log):
    assert {one["kind"] for one in findings(log, "--only", "counter", "--only", "check")} == {"counter", "check"}
    (address,) = {one["address"] for one in findings(log)}
    for written in (str(address), hex(address), f"{address:X}"):
        assert findings(log, "--address", written) == findings(log), written
    code, _, errors = run("unravel", log, "--address", "0x7FF")
    assert code == 2 and "No frame has the address 0x7FF." in errors
    code, _, errors = run("unravel", log, "--lane", "can9")
    assert code == 2 and "There are: can0" in errors
    code, _, errors = run("unravel", log, "--only", "colour")
    assert code == 2 and "no kind of finding called colour" in errors


def test_a_reference_gives_gain_offset_and_lag(log, tmp_path):
    times = np.arange(1, 59, 0.5)
    speed = 20 + 9 * np.sin(times / 4) + 3 * np.sin(times * 10 / 11)
    rows = [f"{round((BEGIN + at) * 1e9)},{value:.4f}" for at, value in zip(times - 0.4, speed, strict=True)]
    table = tmp_path / "gnss.csv"
    table.write_text("time_ns,speed_kn\n" + "\n".join(rows) + "\n")
    (one,) = of(findings(log, "--reference", table), "reference")
    parameters = one["parameters"]
    assert (parameters["file"], parameters["column"]) == ("gnss.csv", "speed_kn")
    assert parameters["gain"] == pytest.approx(0.01, rel=0.01) and parameters["offset"] == pytest.approx(0, abs=0.1)
    assert parameters["lag_s"] == pytest.approx(0.4, abs=0.1) and parameters["correlation"] > 0.99


def test_moments_name_what_answers_them(tmp_path):
    done = [5, 14, 22, 37, 51]
    made = []
    for number in range(600):
        lamp = sum(number / 10 >= at + 0.2 for at in done) % 2
        made.append(f"({BEGIN + number / 10:.6f}) can0 2B0#{number % 7:02X}{lamp:02X}")
    path, moments = tmp_path / "lamp.log", tmp_path / "moments.csv"
    path.write_text("\n".join(made) + "\n")
    moments.write_text("time_ns,text\n" + "".join(f"{(BEGIN + at) * 1_000_000_000},lamp\n" for at in done))
    (one,) = of(findings(path, "--moments", moments), "reaction")
    assert one["places"] == "B1[0]" and one["parameters"]["moment"] == "lamp"
    assert one["parameters"]["delay_s"] == pytest.approx(0.2, abs=0.11) and one["frames"] == 5


def test_two_sources_are_told_apart(tmp_path):
    paths = []
    for number, mode in enumerate((2, 5)):
        path = tmp_path / f"run {number}.log"
        path.write_text("\n".join(lines(200, mode=mode, begin=BEGIN + 1000 * number)) + "\n")
        paths.append(path)
    found = of(findings(*paths), "difference")
    assert [(one["places"], one["parameters"]["values"]) for one in found] == [
        ("B3[2..0]", {"run 0.log": [2], "run 1.log": [5]})
    ]


def test_what_a_library_explains_is_left_out_and_drafts_are_only_proposed(log, tmp_path):
    where = tmp_path / "library.zal"
    Library.create(where).close()
    code, _, errors = run("unravel", log, "--library", where, "--keep-above", "0.9", "--author", "bench")
    assert code == 0 and "proposed Message 0x1A0" in errors
    with closing(Library.open(where)) as library:
        assert library.layouts.heads() == [], "nothing is agreed by itself"
        (proposal,) = library.proposals.open()
        assert proposal.author == "bench" and len(proposal.after.fields) >= 3 and len(proposal.after.checks) == 2
        library.proposals.agree(proposal.id, author="second", seen=proposal.state)
    left = findings(log, "--library", where)
    assert not of(left, "counter") and not of(left, "check")
    assert of(findings(log, "--library", where, "--all"), "counter")


def test_drafts_need_a_library(log):
    code, _, errors = run("unravel", log, "--keep-above", "0.9")
    assert code == 2 and "Give it with --library" in errors


def test_as_text_a_message_is_named_once(log):
    code, output, errors = run("unravel", log, "--to", "text")
    assert code == 0 and output.splitlines()[0] == "can0 0x1A0" and output.count("0x1A0") == 1
    assert "7 findings in 1 message" in errors
