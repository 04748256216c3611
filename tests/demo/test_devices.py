"""Every lane of the shipped trial comes in through its recipe, byte for byte as its device sent it."""

import csv

import numpy as np
import pytest

from zesty_abacus.core.captures.registry import line_formats, read_lines, recognise
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.recipes.propose import propose, propose_for_frames
from zesty_abacus.core.recipes.run import run_on_frames, run_recipe
from zesty_abacus.core.trial.intake import SourceRequest, frames_of_source, open_trial_capture
from zesty_abacus.demo.devices import DEVICES
from zesty_abacus.demo.recipes import demo_recipes
from zesty_abacus.demo.trial import SHIPPED, copy_shipped_trial

BITS = {
    "unanswered": F.UNANSWERED, "late": F.LATE, "exception": F.EXCEPTION, "answer": F.ANSWER, "read": F.READ,
    "bad_check": F.BAD_CHECK, "not_acknowledged": F.REFUSED, "cut_short": F.CUT_SHORT, "voted": F.VOTED,
    "past_the_end": F.PAST_END,
}  # fmt: skip
LEFT_TO_THE_USER = {"bridge", "sounder"}
JITTER_NS = {
    "shore": 1,
    "deck": 5_000,
    "bilge": 3_000,
    "winch": 100,
    "compass": 1,
    "pendant": 200_000,
    "beacon": 2_000_000,
}


def truth_of(lane):
    with (SHIPPED / "truth" / f"{lane}.csv").open() as file:
        return [
            (int(row["time_ns"]), int(row["address"]), sum(BITS[word] for word in row["faults"].split()),
             bytes.fromhex(row["payload"]))
            for row in csv.DictReader(file)
        ]  # fmt: skip


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    trial = copy_shipped_trial(tmp_path_factory.mktemp("demo") / "yuzu")
    return open_trial_capture(trial)


def frames_of(capture, lane):
    number = [known.name for known in capture.lanes].index(lane)
    table = capture.in_order()
    rows = np.flatnonzero(table.lane == number)
    return [(int(table.time_ns[n]), int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in rows]


def as_registers(found):
    """Put the pointer of a register device before its data again, as it was on the wire."""
    made = []
    for time, address, flags, payload in found:
        device = address >> 16 & 0xFFFF
        named = not flags & F.READ and not (flags & F.REFUSED and not payload and device != 0x5A)
        made.append((time, device, flags & ~F.PAST_END, bytes((address & 0xFF,)) + payload if named else payload))
    return made


@pytest.mark.parametrize("lane", sorted(demo_recipes()))
def test_a_lane_comes_in_byte_for_byte(made, lane):
    found, truth = frames_of(made.capture, lane), truth_of(lane)
    if lane == "bilge":
        found = as_registers(found)
    assert [frame[1:] for frame in found] == [frame[1:] for frame in truth]
    late = max(abs(a[0] - b[0]) for a, b in zip(found, truth, strict=True))
    assert late <= JITTER_NS[lane], f"{late} ns"


def test_two_lanes_are_left_to_the_user_and_everything_else_is_read(made):
    needing = {outcome.path.name.split("-")[0].split(".")[0] for outcome in made.outcomes if outcome.needs_recipe}
    assert needing == LEFT_TO_THE_USER
    assert all(not outcome.error for outcome in made.outcomes)
    assert {device.lane for device in DEVICES} == set(demo_recipes()) | LEFT_TO_THE_USER


def test_the_register_past_the_end_is_flagged(made):
    assert [address & 0xFFFF for _, address, flags, _ in frames_of(made.capture, "bilge") if flags & F.PAST_END] == [
        0x18
    ]


@pytest.mark.parametrize("device", list(DEVICES), ids=lambda device: device.lane)
def test_measurement_alone_finds_every_lane(tmp_path, device):
    """The recipe offered first gives the bytes the device sent, without anybody having set anything."""
    path, truth = SHIPPED / device.file, truth_of(device.lane)
    form = recognise(path)
    if form in {one.name for one in line_formats()}:
        recording, report = read_lines(path, tmp_path / "columns", form)
        best = propose(path, recording)[0]
        frames = run_recipe(best.recipe, recording).result.frames
        assert report.problem_count == 0
    else:
        table, report = frames_of_source(SourceRequest(path))
        best = propose_for_frames(path, report, table)[0]
        frames, _ = run_on_frames(best.recipe, table)
    assert best.reasons and best.score > 0.4
    payloads = [frames.payload_of(n) for n in range(len(frames))]
    wanted = [payload for _, _, _, payload in truth]
    if device.lane == "bilge":
        wanted = [payload if flags & F.READ else payload[1:] for _, _, flags, payload in truth]
    assert payloads == wanted


def test_recipes_are_in_the_library_and_offered_for_a_later_run(tmp_path):
    trial = copy_shipped_trial(tmp_path / "yuzu")
    library = Library.open(trial.library_address)
    assert {head.state.lane for head in library.recipes.heads()} == set(demo_recipes())
    offered = library.recipes.fitting("bilge-run-15.csv", "sample table", ("ch1", "ch2"))
    assert [head.state.name for head in offered] == ["bilge level"]
    library.close()


def test_kinds_of_other_lanes_carry_what_their_bus_says(made):
    keys = {(made.capture.lanes[key.lane].name, key.address, key.flags) for key in made.capture.kinds.keys}
    assert ("bilge", 0x5A0010, F.READ) in keys and ("winch", 1, F.ANSWER) in keys
    assert ("shore", 1 << 24 | 4 << 16, F.ANSWER) in keys
    assert KindKey(0, 5, F.ANSWER | F.EXCEPTION).is_data is False
