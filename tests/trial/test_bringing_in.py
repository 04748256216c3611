"""Recordings of every sort brought into one capture, on one clock."""

import dataclasses
import json
import struct

import msgspec
import numpy as np
import pytest

from tests.captures.test_pcapng import interface, packet, section
from tests.links.test_network import ethernet, ip4, udp
from tests.trial.pieces import write_pieces
from zesty_abacus.core.captures.registry import recognise
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.links.over_can import TAKES
from zesty_abacus.core.links.telegrams import GapFraming, SentenceFraming
from zesty_abacus.core.recipes.model import LevelSetting, new_recipe
from zesty_abacus.core.recipes.propose import what_it_holds
from zesty_abacus.core.trial import source
from zesty_abacus.core.trial.intake import SourceRequest, bring_in, frames_of_source, open_trial_capture
from zesty_abacus.core.trial.trial import LaneEntry, Trial

DATE = 1_778_572_800_000_000_000


def vcd(text="#0 1!\n", date=True):
    head = "$date 2026-05-12 08:00:00 $end " if date else ""
    return f"{head}$timescale 1 us $end $var wire 1 ! rx $end $enddefinitions $end\n{text}"


def characters(values, bit_us=100, begin=1000):
    """Return the changes of a UART line as a dump has them."""
    now, level, lines = begin, 1, ["#0 1!"]
    for value in values:
        for bit in (0, *(value >> n & 1 for n in range(8)), 1):
            if bit != level:
                lines.append(f"#{now} {bit}!")
                level = bit
            now += bit_us
        now += 60 * bit_us
    return "\n".join([*lines, f"#{now + 5000}"]) + "\n"


UART = new_recipe("notes", line=UartLine(line="rx", rate=10_000), framing=GapFraming(), lane="notes", lane_note="10k")


def brought(tmp_path, *requests, **how):
    return bring_in(list(requests), tmp_path / "capture", **how)


def test_waves_become_frames_at_their_date(tmp_path):
    path = tmp_path / "a.vcd"
    path.write_text(vcd(characters([0x41, 0x42])))
    made = brought(tmp_path, SourceRequest(path, recipe=UART))
    assert [(lane.name, lane.protocol, lane.note) for lane in made.capture.lanes] == [("notes", "serial", "10k")]
    assert made.capture.in_order().time_ns[0] == DATE + 1_000_000
    (outcome,) = made.outcomes
    assert (outcome.holds, outcome.recipe, outcome.counted, outcome.lanes) == ("lines", "notes", "edges", ["notes"])
    assert ("timescale", "1 us") in outcome.facts and not outcome.needs_recipe


def test_without_a_recipe_waves_are_kept_and_asked_about(tmp_path):
    path = tmp_path / "a.vcd"
    path.write_text(vcd(characters([1])))
    made = brought(tmp_path, SourceRequest(path))
    assert made.outcomes[0].needs_recipe and len(made.capture) == 0 and made.outcomes[0].samples > 2


def test_a_recording_without_a_date_begins_where_the_others_do_or_where_it_is_told(tmp_path):
    log, dump = tmp_path / "a.log", tmp_path / "b.vcd"
    log.write_text("(100.5) can0 1A0#01\n(101.5) can0 1A0#02\n")
    dump.write_text(vcd(characters([0x41]), date=False))
    made = brought(tmp_path, SourceRequest(dump, recipe=UART), SourceRequest(log))
    notes = made.capture.in_order().lane == [lane.name for lane in made.capture.lanes].index("notes")
    assert made.capture.in_order().time_ns[notes].tolist() == [100_500_000_000 + 1_000_000]
    assert made.outcomes[0].zero_ns == 100_500_000_000
    told = brought(tmp_path, SourceRequest(dump, recipe=UART, begins_ns=7_000_000_000), SourceRequest(log))
    assert told.capture.in_order().time_ns.min() == 7_001_000_000


def test_lanes_are_named_noted_and_moved(tmp_path):
    path = tmp_path / "a.vcd"
    path.write_text(vcd(characters([0x41])))
    entries = {"renamed": LaneEntry(name="renamed", note="said so", offset_ns=-5)}
    made = brought(tmp_path, SourceRequest(path, {"": "renamed"}, recipe=UART), lane_entries=entries)
    assert (made.capture.lanes[0].name, made.capture.lanes[0].note) == ("renamed", "said so")
    assert made.capture.in_order().time_ns[0] == DATE + 1_000_000 - 5


def test_bytes_are_put_together_across_the_pieces_they_came_in(tmp_path):
    path = tmp_path / "a.bytes"
    path.write_text("1.0 24 59 5A 2C 31\n1.1 2A 32 45 0D 0A\n2.0 24 59 5A 2C 31 2A 30 30 0D 0A\n")
    recipe = new_recipe("compass", framing=SentenceFraming(), lane="compass")
    made = brought(tmp_path, SourceRequest(path, recipe=recipe))
    table = made.capture.in_order()
    assert [table.payload_of(n) for n in range(2)] == [b"$YZ,1*2E", b"$YZ,1*00"]
    assert table.flags.tolist() == [
        F.BAD_CHECK if ord("Y") ^ ord("Z") ^ ord(",") ^ ord("1") != 0x2E else 0,
        F.BAD_CHECK,
    ]
    plain = brought(tmp_path, SourceRequest(path))
    assert len(plain.capture) == 3 and plain.capture.lanes[0].protocol == "serial"


@pytest.mark.parametrize(("head", "cell", "spoken"), [("time,hex", "", "serial"), ("time,id,data", "1A0,", "can")])
def test_rows_that_are_for_nobody_are_pieces_of_a_stream(tmp_path, head, cell, spoken):
    path = tmp_path / "a.csv"
    path.write_text(f"{head}\n" + "".join(f"{n}.5,{cell}{n:02X}\n" for n in range(30)))
    assert brought(tmp_path, SourceRequest(path)).capture.lanes[0].protocol == spoken
    # also where they stand as objects
    rows = path.read_text().splitlines()
    objects = [dict(zip(rows[0].split(","), row.split(","), strict=True)) for row in rows[1:]]
    (tmp_path / "b.jsonl").write_text("".join(json.dumps(one) + "\n" for one in objects))
    assert brought(tmp_path, SourceRequest(tmp_path / "b.jsonl")).capture.lanes[0].protocol == spoken


def test_an_address_of_zero_is_one(tmp_path):
    path = tmp_path / "a.csv"
    path.write_text("time,id,data\n" + "".join(f"{n}.5,0x000,01 {n:02X}\n" for n in range(30)))
    assert brought(tmp_path, SourceRequest(path)).capture.lanes[0].protocol == "can"
    table, report = frames_of_source(SourceRequest(path))
    assert not report.holds_bytes and what_it_holds(report, table) == TAKES


def test_can_and_network_in_one_file_go_their_own_ways(tmp_path):
    can = struct.pack(">I", 0x1A0) + b"\x02\0\0\0" + b"\x07\x08"
    network = ethernet(0x0800, ip4(17, udp(40_000, 5000, b"hello")))
    data = section() + interface(name="can0") + interface(name="eth0", link=1)
    data += packet(can, 1_000_000, 0) + packet(network, 2_000_000, 1) + packet(can, 3_000_000, 0)
    path = tmp_path / "a.pcapng"
    path.write_bytes(data)
    made = brought(tmp_path, SourceRequest(path))
    table = made.capture.in_order()
    assert sorted(int(a) for a in table.address) == [0x1A0, 0x1A0, 5000 << 32]
    frames, _ = frames_of_source(SourceRequest(path))
    assert (frames.flags & F.PACKET > 0).sum() == 1


def test_one_source_that_fails_does_not_stop_the_others(tmp_path):
    good, bad, odd = tmp_path / "a.log", tmp_path / "b.vcd", tmp_path / "c.vcd"
    good.write_text("(1.0) can0 1A0#01\n")
    bad.write_text("$timescale 1 us $end $enddefinitions $end\n")
    odd.write_text(vcd(characters([1])))
    wrong = msgspec.structs.replace(UART, line=UartLine(line="tx"))
    made = brought(tmp_path, SourceRequest(good), SourceRequest(bad), SourceRequest(odd, recipe=wrong),
                   SourceRequest(tmp_path / "none"))  # fmt: skip
    assert [bool(outcome.error) for outcome in made.outcomes] == [False, True, True, True]
    assert "channel" in made.outcomes[2].error or "line='tx'" in made.outcomes[2].error
    assert len(made.capture) == 1


def test_what_one_version_could_not_read_the_next_one_tries(tmp_path, monkeypatch):
    path = tmp_path / "a.txt"
    path.write_text("nothing that is known\n")
    request, folder = SourceRequest(path), tmp_path / "read"
    asked = []
    monkeypatch.setattr(source, "recognise", lambda given: asked.append(given) or recognise(given))
    assert "none of the known formats" in source.read_source(request, folder).outcome.error
    source.read_source(request, folder)
    assert len(asked) == 1
    monkeypatch.setattr(source, "reader_version", lambda: "99.0")
    source.read_source(request, folder)
    assert len(asked) == 2


def test_the_format_can_be_overruled(tmp_path):
    path = tmp_path / "a.txt"
    path.write_text("350 1050 350 1050 350 1050\n" * 3)
    made = brought(tmp_path, SourceRequest(path, form="pulse lengths"))
    assert made.outcomes[0].report.format_name == "pulse lengths" and made.outcomes[0].needs_recipe


def test_a_trial_is_brought_in_again_when_a_recipe_changes(tmp_path):
    (tmp_path / "a.vcd").write_text(vcd(characters([0x41, 0x42])))
    trial = Trial.create(tmp_path / "trial", "t")
    entry = trial.entry_for(tmp_path / "a.vcd")
    trial.save(msgspec.structs.replace(trial.file, sources=(entry,)))
    assert len(open_trial_capture(trial).capture) == 0
    trial.save(trial.file.with_source(0, msgspec.structs.replace(entry, recipe=UART)))
    read = lambda: len(list((trial.folder / ".cache").glob("source */frames")))  # noqa: E731
    assert len(open_trial_capture(trial).capture) == 2
    before = read()
    assert len(open_trial_capture(trial).capture) == 2 and read() == before
    turned = msgspec.structs.replace(UART, levels=(LevelSetting(channel="rx", inverted=True),))
    trial.save(trial.file.with_source(0, msgspec.structs.replace(entry, recipe=turned)))
    open_trial_capture(trial)
    assert read() == before + 1
    again = Trial.open(trial.folder)
    assert again.file.sources[0].recipe == turned, "the trial keeps the recipe as it was put to use"


def test_a_reference_is_a_source_without_frames(tmp_path):
    path = tmp_path / "gnss.csv"
    path.write_text("time_s,speed_kn\n" + "".join(f"{n * 0.5:.1f},{n}\n" for n in range(20)))
    (outcome,) = brought(tmp_path, SourceRequest(path)).outcomes
    assert (outcome.holds, outcome.samples, outcome.facts) == ("reference", 20, [("values", "speed_kn")])


@pytest.mark.parametrize("count", [1, 7, 400])
def test_bytes_keep_their_order_whatever_the_pieces(tmp_path, count):
    data = bytes(np.random.default_rng(count).integers(0, 256, 400, dtype=np.uint8))
    pieces = [data[n : n + count] for n in range(0, len(data), count)]
    path = tmp_path / "a.bytes"
    path.write_text("".join(f"{n}.0 {piece.hex(' ')}\n" for n, piece in enumerate(pieces)))
    recipe = new_recipe("x", framing=GapFraming(gap_us=1e9), lane="x")
    table = brought(tmp_path, SourceRequest(path, recipe=recipe)).capture.in_order()
    assert [table.payload_of(n) for n in range(len(table))] == [data]
    assert dataclasses.asdict(table)["time_ns"][0] == 0


@pytest.mark.parametrize(("spoilt", "said"), [(0, "Modbus RTU"), (18, "")])
def test_pieces_of_bytes_say_what_they_look_like(tmp_path, spoilt, said):
    """Of rows that nobody put together; not where hardly a check agrees."""
    path = write_pieces(tmp_path / "pump.csv", spoilt=spoilt)
    made = bring_in([SourceRequest(path)], tmp_path / "capture")
    assert made.outcomes[0].looks_like == said and bool(made.outcomes[0].looks_why) == bool(said)
    if said:
        assert made.outcomes[0].looks_why == "40 of 40 units have a CRC-16 that agrees"
    again = bring_in([SourceRequest(path)], tmp_path / "capture")
    assert again.outcomes[0].looks_like == said, "it is kept with what was read"


def test_rows_that_say_whom_they_are_for_look_like_nothing_else(tmp_path):
    path = write_pieces(tmp_path / "pump.csv")
    lines = path.read_text().splitlines()
    path.write_text("\n".join([f"{lines[0]},id", *(f"{line},1A0" for line in lines[1:])]) + "\n")
    assert not bring_in([SourceRequest(path)], tmp_path / "capture").outcomes[0].looks_like
