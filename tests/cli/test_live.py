"""The commands that stand on a bus, as programs of their own over real sockets."""

import csv
import json
import shlex
import signal
import socket
import subprocess
import sys
import time
from xml.etree import ElementTree

import pytest

from tests.cli.background import Background
from tests.live.sockets import free_port
from tests.steady import KEEPS_TIME
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.rehearse.steps import Expect, Rehearsal, Send, rehearsal_to_json

from .program import run

pytestmark = KEEPS_TIME

HOOK = "Hook holds under load"


def _rows(text):
    return list(csv.DictReader(text.splitlines()))


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_what_is_sent_is_recorded_until_a_signal_ends_it(trial, tmp_path, number):
    port = free_port(socket.SOCK_DGRAM)
    target = tmp_path / "rows.csv"
    with Background("record", f"udp://127.0.0.1:{port}?listen=1", "-o", target, ready="recording") as recording:
        code, _, err = run(
            "send", f"udp://127.0.0.1:{port}", "--library", trial, "Helm lever", "lever port=12.5",
            "--every", "20ms", "--for", "200ms",
        )  # fmt: skip
        assert (code, "10 sent" in err) == (0, True), err
        time.sleep(0.3)
        assert recording.end(number) == 0
    rows = _rows(target.read_text())
    assert [row["payload"] for row in rows] == ["007D0000000000"] * 10
    assert set(rows[0]) == {"time_ns", "lane", "address", "direction", "flags", "size", "payload", "words"}
    times = [int(row["time_ns"]) for row in rows]
    assert 0.15e9 < times[-1] - times[0] < 0.4e9


def test_a_recording_ends_after_its_time_or_with_its_condition(tmp_path):
    port = free_port(socket.SOCK_DGRAM)
    code, out, err = run("record", f"udp://127.0.0.1:{port}?listen=1", "--for", "200ms")
    assert (code, out) == (0, "time_ns,lane,address,direction,flags,size,payload,words\n"), err
    target = tmp_path / "rows.jsonl"
    command = ("record", f"udp://127.0.0.1:{port}?listen=1", "--until", "at(B0) == 3", "-o", target)
    with Background(*command, ready="recording") as recording, socket.socket(type=socket.SOCK_DGRAM) as wire:
        for value in range(6):
            wire.sendto(bytes((value,)), ("127.0.0.1", port))
        assert recording.finish() == 0
    assert [json.loads(line)["payload"] for line in target.read_text().splitlines()] == ["00", "01", "02", "03"]


def test_a_stream_gives_rows_whose_payloads_are_the_stream(tmp_path):
    port, data = free_port(), bytes(range(256)) * 300
    with Background("record", f"tcp://127.0.0.1:{port}?listen=1", "-o", tmp_path / "s.csv", ready="recording") as one:
        for half in (data[:40_000], data[40_000:]):
            with socket.create_connection(("127.0.0.1", port)) as wire:
                wire.sendall(half)
                time.sleep(0.3)
        assert one.end() == 0
    rows = _rows((tmp_path / "s.csv").read_text())
    assert bytes.fromhex("".join(row["payload"] for row in rows)) == data
    assert len({row["address"] for row in rows}) == 2, "a connection each"


@pytest.mark.parametrize("name", ["a.csv", "a.jsonl", "trial"])
def test_a_disk_that_is_full_ends_a_recording_in_a_sentence_and_keeps_what_was_written(tmp_path, name):
    port, most = free_port(socket.SOCK_DGRAM), 102_400
    program = shlex.join(
        [sys.executable, "-m", "zesty_abacus", "record", f"udp://127.0.0.1:{port}?listen=1", "-o", name]
    )
    # a file may not grow beyond that: the system says so at the same place as for a disk without room
    with subprocess.Popen(
        ["bash", "-c", f"ulimit -f {most // 1024}; exec {program}"], cwd=tmp_path, text=True,
        stderr=subprocess.PIPE, stdout=subprocess.PIPE,
    ) as recording, socket.socket(type=socket.SOCK_DGRAM) as wire:  # fmt: skip
        assert recording.stderr.readline() == "recording\n"
        until = time.monotonic() + 60
        while recording.poll() is None and time.monotonic() < until:
            wire.sendto(bytes(200), ("127.0.0.1", port))
            time.sleep(0.0005)
        said = recording.stderr.read()
        assert (recording.wait(60), said.count("\n")) == (1, 1)
    assert "the recording cannot be written (File too large)" in said
    [written] = [path for path in tmp_path.rglob("*") if path.is_file() and path.stat().st_size == most]
    whole = written.read_text().splitlines()[:-1]
    assert len(whole) > 150 and (not name.endswith("jsonl") or all(map(json.loads, whole)))
    if name == "trial":
        assert json.loads((tmp_path / "trial" / "trial.json").read_text())["sources"][0]["path"] == written.name


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("record", "udp://127.0.0.1:5"), "listen=1"),
        (("record", "modbus://127.0.0.1:5/1"), "poll"),
        (("record", "teapot:x"), "there is no endpoint"),
        (("record", "udp://127.0.0.1:5?listen=1", "--until", "speed >"), "ends too early"),
        (("record", "udp://127.0.0.1:5?listen=1", "--for", "soon"), "no length of time"),
        (("send", "can:vcan0", "--frame", "nonsense"), "is no frame"),
        (("send", "udp://127.0.0.1:5", "--frame", "1A0#00"), "CAN bus"),
        (("send", "udp://127.0.0.1:5", "Helm lever"), "--library"),
        (("send", "udp://127.0.0.1:5", "--for", "1s", "--frame", "1A0#"), "--every"),
        (("replay", "x.log", "--on", "can:vcan0"), "LANE=ENDPOINT"),
        (("rehearse", "x", "--library", "y"), "--on"),
    ],
)
def test_wrong_use_is_one_sentence(arguments, words):
    code, out, err = run(*arguments)
    assert (code, out) == (2, ""), err
    assert words in err
    assert "Traceback" not in err


def test_a_field_that_is_not_there_sends_nothing(trial):
    port = free_port(socket.SOCK_DGRAM)
    with socket.socket(type=socket.SOCK_DGRAM) as wire:
        wire.bind(("127.0.0.1", port))
        wire.settimeout(0.2)
        code, _, err = run("send", f"udp://127.0.0.1:{port}", "--library", trial, "Helm lever", "rudder=1")
        assert (code, "there is no field 'rudder'" in err) == (2, True)
        with pytest.raises(TimeoutError):
            wire.recv(100)


def test_a_device_of_byte_registers_is_asked_by_the_bench(trial):
    with Background(
        "device", "bench:yuzu", "Bilge sensor", "level=700", "--library", trial, "--log", ready="serving"
    ) as device:  # fmt: skip
        device.wait_for("read 4 from 16")
        assert device.end() == 0
    code, _, err = run("device", "shore=bench:yuzu", "Bilge sensor", "--library", trial)
    assert (code, "there are bilge, winch" in err) == (2, True), err


def test_a_device_is_polled(trial):
    port = free_port()
    place = f"modbus://127.0.0.1:{port}/1"
    values = ("voltage 1=231.5", "voltage 2=sine 229 to 231 in 1 s", "current 1=3.25")
    with Background("device", place, "Shore meter", *values, "--library", trial, ready="serving") as device:
        code, out, err = run(
            "poll", place, "Shore meter", "--library", trial, "--every", "100ms", "--for", "1500ms"
        )  # fmt: skip
        assert code == 0, err
        assert device.end() == 0
    rows = _rows(out)
    assert {row["value"] for row in rows if row["field"] == "voltage 1"} == {"231.5"}
    assert {row["valid"] for row in rows if row["field"] == "current 1"} == {"good"}
    moving = [float(row["value"]) for row in rows if row["field"] == "voltage 2"]
    # on a busy machine rounds may be missed, half a second of them at a time, and are not caught up with
    assert 3 <= len(moving) <= 15
    assert len(set(moving)) > 1
    assert all(228.9 <= value <= 231.1 for value in moving)
    assert set(rows[0]) == {
        "time_ns",
        "lane",
        "address",
        "where",
        "message",
        "field",
        "raw",
        "value",
        "unit",
        "label",
        "valid",
    }
    assert f"answered {len(moving)}" in " ".join(device.err)


def test_a_device_that_never_answers_is_one_sentence(trial):
    code, out, err = run(
        "poll", f"modbus://127.0.0.1:{free_port()}/1", "Shore meter", "--library", trial, "--for", "300ms"
    )  # fmt: skip
    assert code == 1
    assert len(out.splitlines()) == 1, "the names of the columns"
    assert "cannot be connected" in err
    assert len(err.splitlines()) == 1


def test_a_poll_goes_on_after_the_device_was_away(trial):
    port = free_port()
    place = f"modbus://127.0.0.1:{port}/1"
    command = ("poll", place, "Shore meter", "--library", trial, "--every", "100ms")
    device = ("device", place, "Shore meter", "voltage 1=230", "--library", trial)
    with Background(*device, ready="serving") as first:
        poll = Background(*command, ready="voltage 1")
        first.end()
    with poll:
        poll.wait_for("broke")
        count = len(poll.out)
        with Background(*device, ready="serving"):
            until = time.monotonic() + 60
            while len(poll.out) <= count and time.monotonic() < until:
                time.sleep(0.05)
            assert len(poll.out) > count
            assert poll.end() == 0


def test_a_recording_goes_out_again_with_its_distances_in_time(tmp_path):
    log = tmp_path / "short.log"
    log.write_text(
        "".join(f"({1_700_000_000 + n * 0.05:.6f}) bus 1A0#{n:02X}\n(1700000000.3) other 1A1#FF\n" for n in range(6))
    )
    port = free_port(socket.SOCK_DGRAM)
    target = tmp_path / "rows.csv"
    with Background("record", f"udp://127.0.0.1:{port}?listen=1", "-o", target, ready="recording") as recording:
        code, _, err = run("replay", log, "--on", f"bus=udp://127.0.0.1:{port}", "--speed", "0.5")
        assert (code, "6 frames to send" in err) == (0, True), err
        time.sleep(0.3)
        recording.end()
    rows = _rows(target.read_text())
    assert [row["payload"] for row in rows] == [f"{n:02X}" for n in range(6)]
    # a machine that stands still for a moment makes frames late, and never moves those behind them
    late = [int(row["time_ns"]) - number * 100_000_000 for number, row in enumerate(rows)]
    assert sorted(late)[2] - min(late) < 20e6, late


def test_a_rehearsal_of_the_library_passes_on_the_bench(trial, tmp_path):
    code, out, err = run(
        "rehearse", HOOK, "--library", trial, "--on", "bench:yuzu", "--report", tmp_path / "r.xml",
        "--record", tmp_path / "run.csv",
    )  # fmt: skip
    assert code == 0, out + err
    assert out.splitlines()[-1].startswith(f"{HOOK}: passed")
    suite = ElementTree.parse(tmp_path / "r.xml").getroot().find("testsuite")
    assert (suite.get("failures"), suite.get("skipped")) == ("0", "0")
    rows = _rows((tmp_path / "run.csv").read_text())
    assert sum(row["direction"] == "sent" for row in rows) == 4
    assert {"thruster", "battery"} <= {row["lane"] for row in rows} <= {"thruster", "battery", "bilge", "winch"}


def test_a_rehearsal_in_a_file_fails_and_says_why(trial, tmp_path):
    written = Rehearsal(
        name="Hook opens under load",
        steps=(
            Send(message="Hook request", values={"wanted": "release"}, lane="thruster"),
            Expect(condition='`Hook state`.result == "released"', within="300 ms"),
        ),
    )
    path = tmp_path / "hook.json"
    path.write_bytes(rehearsal_to_json(written))
    code, out, _ = run("rehearse", path, "--library", trial, "--on", "bench:yuzu", "--report", tmp_path / "r.xml")
    assert code == 1
    assert "failed  expect `Hook state`.result" in out
    suite = ElementTree.parse(tmp_path / "r.xml").getroot().find("testsuite")
    assert suite.get("failures") == "1"
    # kept in the library it is found by its name, and put out again it is the same
    assert run("library", "rehearsals", trial, path)[0] == 0
    assert "Hook opens under load: 2 steps" in run("library", "rehearsals", trial)[1]
    assert run("library", "rehearsals", trial, "--export", "Hook opens under load")[1] == path.read_text()
    library = Library.open(trial / "library.sqlite")
    assert len(library.rehearsals.heads()) == 3
    library.close()


def test_a_rehearsal_that_makes_no_sense_is_wrong_use(trial, tmp_path):
    path = tmp_path / "x.json"
    path.write_bytes(rehearsal_to_json(Rehearsal(name="x", steps=(Send(message="Rudder"),))))
    code, _, err = run("rehearse", path, "--library", trial, "--on", "bench:yuzu")
    assert (code, "step 1: there is no message 'Rudder'" in err) == (2, True)
    code, _, err = run("rehearse", "no such", "--library", trial, "--on", "bench:yuzu")
    assert (code, HOOK in err) == (2, True), "those that are there are named"


def test_a_datagram_is_answered_by_a_message(trial):
    port = free_port(socket.SOCK_DGRAM)
    endpoint, when = f"udp://127.0.0.1:{port}?listen=1", "in answer to at(B0) == 7"
    command = ("send", endpoint, "--library", trial, "Helm lever", "lever port=12.5", "--when", when)
    with Background(*command, ready="listening") as answering, socket.socket(type=socket.SOCK_DGRAM) as wire:
        wire.settimeout(10)
        for payload in (b"\6", b"\7", b"\7"):
            wire.sendto(payload, ("127.0.0.1", port))
        answers = [wire.recv(100) for _ in range(2)]
        assert answering.end() == 0
    assert answers == [bytes.fromhex("007D0000000000")] * 2


def test_an_unknown_device_is_looked_at(trial, tmp_path):
    port = free_port()
    where = f"modbus://127.0.0.1:{port}"
    options = ("--units", "1..2", "--registers", "40", "--rounds", "2", "-o", tmp_path / "s.csv")
    with Background("device", f"{where}/1", "Shore meter", "--library", trial, ready="serving"):
        code, out, err = run("scan", where, *options)
    assert code == 0, err
    rows = _rows(out)
    assert [(row["unit"], row["space"], row["first"], row["count"], row["moved"]) for row in rows] == [
        ("1", "input", "0", "6", "0")
    ]
    assert rows[0]["endpoint"] == f"{where}/1?timeout=0.2", "as it is written to ask this unit again"
    recorded = _rows((tmp_path / "s.csv").read_text())
    assert {row["payload"] for row in recorded if row["size"] == "12"} == {"00" * 12}
    code, out, err = run("scan", where, "--units", "1..2")
    assert code == 1, out + err
    assert "cannot be connected" in err
    assert run("scan", where, "--units", "9..3")[0] == 2
