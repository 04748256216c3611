"""Messages over CAN in whole recordings: measured, put on a lane beside the bus, the same however they come in."""

import json

import pytest

from tests.cli.program import run
from tests.links.test_over_can import FLOW, announced, dictionary, rows_of, segmented, table_of
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.links.canopen_sdo import DictionaryFraming
from zesty_abacus.core.links.hdlc import HdlcFraming
from zesty_abacus.core.links.iso15765 import SegmentedFraming
from zesty_abacus.core.recipes import messages
from zesty_abacus.core.recipes.messages import MessageFramer
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.run import run_on_frames
from zesty_abacus.core.trial.intake import SourceRequest, bring_in, frames_of_source


def log_of(path, frames):
    lines = [
        f"({n / 1000:.6f}) can0 {f'{address:08X}' if extended else f'{address:03X}'}#{data.hex().upper()}"
        for n, (address, data, extended) in enumerate(frames)
    ]
    path.write_text("\n".join(lines) + "\n")
    return path


@pytest.fixture
def diagnosis(tmp_path):
    frames = []
    for n in range(40):
        frames += [(0x7E0, frame, False) for frame in segmented(bytes([0x22, n, 1]))]
        answer = segmented(bytes([0x62, n, *range(30)]))
        frames += [(0x7E8, answer[0], False), (0x7E0, FLOW, False), *((0x7E8, one, False) for one in answer[1:])]
        frames += [(0x123, bytes([n] * 8), False)]
    return log_of(tmp_path / "diagnosis.log", frames)


def test_a_recipe_is_measured_and_gives_a_lane_beside_the_bus(diagnosis, tmp_path):
    code, text, errors = run("recipe", diagnosis)
    assert code == 0 and "ISO 15765-2" in errors and "80 messages of 80 on 7E0, 7E8 are whole" in errors
    recipe = tmp_path / "recipe.json"
    recipe.write_text(text)
    assert json.loads(text)["recipes"][0]["framing"] == {
        "way": "iso 15765-2", "identifiers": "7E0, 7E8", "address_bytes": 0,
    }  # fmt: skip
    code, output, _ = run("frames", diagnosis, "--recipe", recipe, "--to", "jsonl")
    rows = [json.loads(line) for line in output.splitlines()]
    made = [row for row in rows if row["lane"] == "can0 messages"]
    assert code == 0 and len(made) == 80 and len(rows) == 80 + 40 * 8
    answers = [bytes.fromhex(row["payload"]) for row in made if row["address"] == 0x7E8]
    assert answers == [bytes([0x62, n, *range(30)]) for n in range(40)]
    assert rows == sorted(rows, key=lambda row: row["time_ns"])


def test_messages_of_frames_in_memory_are_those_of_a_recording(diagnosis):
    pieces, _ = frames_of_source(SourceRequest(diagnosis))
    frames, facts = run_on_frames(new_recipe("said", framing=SegmentedFraming(identifiers="7E0, 7E8")), pieces)
    answers = [frames.payload_of(row) for row in range(len(frames)) if frames.address[row] == 0x7E8]
    assert answers == [bytes([0x62, n, *range(30)]) for n in range(40)] and facts == ()


def test_groups_and_dictionaries_in_one_recording_each_by_its_recipe(tmp_path):
    frames = [(a, d, True) for n in range(5) for a, d in announced(bytes([n] * 20), 0xFECA, 0)]
    path = log_of(tmp_path / "groups.log", frames)
    code, text, errors = run("recipe", path)
    assert code == 0 and "ISO 11783-3" in errors and "5 of 5 announced messages are whole" in errors
    frames = [
        (a, d, False) for n in range(5) for a, d in dictionary(3, 0x2000, n, b"abcdefgh", read=True, by_pieces=True)
    ]
    path = log_of(tmp_path / "dictionary.log", frames)
    code, text, errors = run("recipe", path)
    assert code == 0 and "CANopen SDO" in errors and "5 answers to requests" in errors
    (tmp_path / "r.json").write_text(text)
    code, output, _ = run("exchanges", path, "--recipe", tmp_path / "r.json", "--to", "jsonl")
    rows = [json.loads(line) for line in output.splitlines()]
    assert [(row["words"], row["came_payload"], row["state"]) for row in rows] == [
        (f"3 · 2000.{n:02X} read", b"abcdefgh".hex().upper(), "answered") for n in range(5)
    ]


def test_a_bus_without_such_messages_has_no_recipe(tmp_path):
    path = log_of(tmp_path / "plain.log", [(0x100 + n % 5, bytes([n % 250] * 8), False) for n in range(500)])
    code, out, errors = run("recipe", path)
    assert (code, out) == (0, "") and "no recipe is needed" in errors


@pytest.mark.parametrize("framing", [SegmentedFraming(), SegmentedFraming(identifiers="7E8, 7E0"), DictionaryFraming()])
def test_pieces_of_any_size_give_the_same(framing, monkeypatch):
    monkeypatch.setattr(messages, "MEASURED_FRAMES", 40)
    frames = [(0x7E8, frame) for n in range(30) for frame in segmented(bytes([n] * 60))]
    frames += list(dictionary(3, 0x2000, 1, b"abcdefgh" * 4, read=False, by_pieces=True))
    table = table_of(*frames)
    found = []
    for pieces in (len(table), 7, 1):
        made = []
        framer = MessageFramer(new_recipe("r", framing=framing), lambda part, made=made: made.extend(rows_of(part)))
        for first in range(0, len(table), pieces):
            framer.add(table.rows(first, first + pieces))
        framer.finish()
        assert framer.messages == len(made)
        found.append(sorted(made))
    assert found[0] and found[0] == found[1] == found[2]


def test_a_framing_of_bits_is_refused_with_a_sentence():
    with pytest.raises(MisuseError, match="HDLC takes bits, and this recording holds CAN frames"):
        MessageFramer(new_recipe("r", framing=HdlcFraming()), lambda part: None)


def test_lanes_that_a_trial_names_carry_their_messages_with_them(diagnosis, tmp_path):
    recipe = new_recipe("diagnosis", framing=SegmentedFraming())
    request = SourceRequest(diagnosis, {"can0": "engine"}, recipe=recipe)
    made = bring_in([request], tmp_path / "store")
    lanes = {lane.name: lane.protocol for lane in made.capture.lanes}
    assert lanes == {"engine": "can", "engine messages": "iso15765"}
    assert made.outcomes[0].facts == [("messages", "80 put together")]
    assert not [key for key in made.capture.kinds.keys if key.flags & F.CUT_SHORT]
