"""Recipes as values: their JSON form and schema, what they are matched by, run and proposed."""

import json
from uuid import UUID

import jsonschema
import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import drawn, from_levels, i2c_wires, spiked, uart_parts
from tests.strategies import joined
from zesty_abacus.core.captures.columns import Columns
from zesty_abacus.core.captures.registry import read_recording
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.i2c import I2cLine
from zesty_abacus.core.lines.pulses import PulseLine
from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.links.bursts import BurstFraming
from zesty_abacus.core.links.framing import framings
from zesty_abacus.core.links.registers import RegisterFraming
from zesty_abacus.core.links.telegrams import GapFraming, LineEndFraming
from zesty_abacus.core.recipes.alignment import estimate_offset
from zesty_abacus.core.recipes.changes import with_framing, with_line
from zesty_abacus.core.recipes.json_form import (
    SCHEMA_PATH,
    RecipeFormError,
    published_schema,
    recipe_from_json,
    recipe_to_json,
    recipes_from_file,
    recipes_to_file_text,
)
from zesty_abacus.core.recipes.model import LevelSetting, SourcePattern, new_recipe
from zesty_abacus.core.recipes.prepare import prepare_line
from zesty_abacus.core.recipes.propose import propose
from zesty_abacus.core.recipes.run import run_on_frames, run_recipe
from zesty_abacus.core.waves.edges import Edges
from zesty_abacus.core.waves.recording import Channel, LineRecording
from zesty_abacus.core.waves.samples import Samples
from zesty_abacus.demo.recipes import demo_recipes

SCHEMA = json.loads(SCHEMA_PATH.read_text())
OBEYS = jsonschema.Draft202012Validator(SCHEMA)


def recording(**channels):
    made = [
        Channel(name, edges=line) if isinstance(line, Edges) else Channel(name, samples=line)
        for name, line in channels.items()
    ]
    return LineRecording("test", tuple(made))


def valid(recipes):
    document = json.loads(recipes_to_file_text(recipes))
    OBEYS.validate(document)
    return document


def test_every_line_code_and_framing_has_a_json_form_the_schema_knows():
    recipes = [new_recipe(decoder.name, line=decoder.settings()) for decoder in decoders()]
    recipes += [new_recipe(way.name, framing=way.settings()) for way in framings()]
    valid([*recipes, *demo_recipes().values()])
    for recipe in recipes:
        assert recipe_from_json(recipe_to_json(recipe)) == recipe


def test_every_setting_can_be_shown():
    for one in (*decoders(), *framings()):
        names = {field.name for field in one.fields}
        assert names <= set(one.settings.__struct_fields__)
        assert names == set(one.settings.__struct_fields__), f"{one.name}: a setting nobody can reach"


levels = st.builds(
    LevelSetting, channel=st.text(min_size=1, max_size=8), above=st.none() | st.floats(-9, 9), inverted=st.booleans(),
    kind=st.sampled_from(["threshold", "envelope", "tones"]), ignore_under_us=st.floats(0, 99),
)  # fmt: skip


@given(st.text(min_size=1), st.lists(levels, max_size=3), st.text(max_size=9), st.booleans())
def test_a_recipe_comes_back_from_its_json(name, made, lane, columns):
    recipe = new_recipe(
        name, levels=tuple(made), lane=lane, line=UartLine(line="x", rate=9600.5), framing=GapFraming(gap_us=1.5),
        columns=Columns(roles=("time", "channel")) if columns else None,
    )  # fmt: skip
    assert recipe_from_json(recipe_to_json(recipe)) == recipe
    valid([recipe])


def test_a_damaged_file_says_where(tmp_path):
    path = tmp_path / "a.json"
    text = recipes_to_file_text([new_recipe("a", line=UartLine(line="x"))])
    for change, words in (
        (text.replace('"uart"', '"smoke"'), "smoke"),
        (text.replace('"data_bits": 8', '"data_bits": "many"'), "a, line, data_bits: it is a whole number"),
        (text.replace("recipes\",", "letters\","), "expected"), ("[]", "no recipe file"),
    ):  # fmt: skip
        path.write_text(change)
        with pytest.raises(RecipeFormError, match=words):
            recipes_from_file(path)
    with pytest.raises(RecipeFormError, match="cannot be opened"):
        recipes_from_file(tmp_path / "none")


def test_patterns_fit_names_formats_and_channels():
    pattern = SourcePattern(file="Bilge-*.csv*", form="sample table", channels=("ch1",))
    assert pattern.fits("bilge-14.csv.gz", "sample table", ("ch1", "ch2"))
    assert not pattern.fits("deck-14.csv", "sample table", ("ch1",))
    assert not pattern.fits("bilge-14.csv", "VCD", ("ch1",)) and not pattern.fits(
        "bilge-14.csv", "sample table", ("x",)
    )


def wave(line: Edges, rate=2e6, low=0.1, high=3.2, noise=0.05) -> Samples:
    """Sample a line as an analog channel."""
    times = np.arange(int(line.end_ns * rate / 1e9)) * (1e9 / rate)
    rows = np.searchsorted(line.time_ns, times, side="right") - 1
    level = np.where(rows >= 0, line.level[np.maximum(rows, 0)], line.first)
    values = low + level * (high - low) + np.random.default_rng(1).normal(0, noise, len(times))
    return Samples(values.astype(np.float32), rate)


I2C = i2c_wires([[(0xB4, 1), (0x10, 1)], [(0xB5, 1), (0x8E, 1), (0x01, 0)]] * 6, repeated=range(1, 12, 2))


def test_levels_are_found_when_none_are_set_and_shown_resolved():
    lines = I2C.edges()
    made = recording(a=wave(lines["clock"]), b=wave(lines["data"]))
    recipe = new_recipe("x", line=I2cLine(clock="a", data="b"), framing=RegisterFraming())
    outcome = run_recipe(recipe, made)
    assert len(outcome.result.frames) == 12 and outcome.counts() == {"frames": 12, "bytes": 12}
    assert outcome.lines["a"].setting.above == pytest.approx(1.65, abs=0.1)
    assert outcome.lines["a"].asked == LevelSetting(channel="a")
    again = run_recipe(recipe, made, prepared=outcome.lines)
    assert again.lines["a"] is outcome.lines["a"], "a line whose setting did not change is not prepared again"


def test_a_part_in_view_gives_the_frames_that_lie_in_it():
    lines = I2C.edges()
    recipe = new_recipe("x", line=I2cLine(clock="clock", data="data"))
    whole = run_recipe(recipe, recording(**lines)).result.frames
    first, last = int(whole.time_ns[4]) - 10, int(whole.time_ns[8]) - 10
    part = run_recipe(recipe, recording(**lines), (first, last)).result.frames
    assert part.time_ns.tolist() == whole.time_ns[4:8].tolist()


def test_what_does_not_fit_is_refused_with_what_to_do():
    lines = I2C.edges()
    for recipe, words in (
        (new_recipe("x"), "Choose a line code"),
        (
            new_recipe("x", line=I2cLine(clock="nope", data="data")),
            "there is no channel 'nope' in the recording, which has clock and data",
        ),
        (new_recipe("x", line=I2cLine(clock="clock")), "Choose the data line"),
        (new_recipe("x", line=I2cLine(clock="clock", data="data"), framing=GapFraming()), "silent gap takes bytes"),
    ):
        with pytest.raises(MisuseError, match=words):
            run_recipe(recipe, recording(**lines))


def test_a_frame_over_an_unknown_level_is_unsure():
    line = from_levels(uart_parts([0x41, 0x42, 0x43], 1000, gap_bits=60))
    unsure = Edges(line.time_ns, line.level, line.first, line.begin_ns, line.end_ns, np.array([[84_000, 85_000]]))
    recipe = new_recipe("x", line=UartLine(line="rx", rate=1e6))
    flags = run_recipe(recipe, recording(rx=unsure)).result.frames.flags
    assert flags.tolist() == [0, F.UNSURE_LEVEL, 0]


def test_a_digital_line_can_be_cleaned_and_turned():
    line = drawn("_-___---___", 1000)
    channel = Channel("x", edges=line)
    made = prepare_line(channel, LevelSetting(channel="x", ignore_under_us=2.0, inverted=True))
    assert made.edges.time_ns.tolist() == [5000, 8000] and made.edges.level.tolist() == [0, 1]


def test_proposals_come_with_reasons_and_the_best_one_first(tmp_path):
    lines = I2C.edges()
    found = propose(tmp_path / "bilge-07.csv", recording(sda=wave(lines["data"]), scl=wave(lines["clock"])))
    best = found[0]
    assert (best.recipe.line, best.recipe.framing) == (I2cLine(clock="scl", data="sda"), RegisterFraming())
    assert best.recipe.source.file == "bilge-*.csv" and best.recipe.lane == "bilge"
    assert "100.0 kHz" in best.reasons[0] and any("two levels" in reason for reason in best.reasons)
    assert [p.score for p in found] == sorted((p.score for p in found), reverse=True)


def test_spikes_are_left_out_by_what_is_proposed(tmp_path):
    clean = I2C.edges()
    lines = {
        "scl": spiked(clean["clock"], [int(clean["clock"].time_ns[30]) + 1500], 120),
        "sda": spiked(clean["data"], [int(clean["data"].time_ns[12]) + 900], 60),
    }
    best = propose(tmp_path / "bilge.vcd", recording(**lines))[0]
    assert best.recipe.line == I2cLine(clock="scl", data="sda")
    assert {one.channel for one in best.recipe.levels} == {"scl", "sda"}
    assert any(reason.startswith("scl: 1 pulse is no longer than 0.12 µs") for reason in best.reasons)
    told = run_recipe(best.recipe, recording(**lines)).result.frames
    wanted = run_recipe(best.recipe, recording(scl=clean["clock"], sda=clean["data"])).result.frames
    assert told.payload.tolist() == wanted.payload.tolist() and told.flags.tolist() == wanted.flags.tolist()
    (unclean,) = propose(tmp_path / "bilge.vcd", recording(scl=clean["clock"], sda=clean["data"]))[:1]
    assert unclean.recipe.levels == ()


def test_what_a_lane_speaks_follows_its_recipe_unless_somebody_wrote_a_note():
    made = new_recipe("x", line=UartLine(line="x"))
    made = msgspec.structs.replace(made, lane_note=made.speaks)
    framed = with_framing(made, "Modbus RTU")
    assert (made.lane_note, framed.lane_note) == ("UART", "UART, Modbus RTU")
    assert with_line(framed, "I2C").lane_note == "I2C" and with_line(framed, "").lane_note == "Modbus RTU"
    noted = msgspec.structs.replace(made, lane_note="the winch")
    assert with_framing(noted, "Modbus RTU").lane_note == "the winch"


def test_a_table_of_reads_and_writes_has_registers(tmp_path):
    path = tmp_path / "probe.csv"
    path.write_text(
        "time,address,direction,payload\n0.000,0x48,write,05\n0.001,0x48,read,0102\n0.002,0x48,write,09AA\n0.003,0x48,read,BB\n"
    )
    chunks = []
    read_recording(path, lambda chunk, _names: chunks.append(chunk))
    frames, _ = run_on_frames(new_recipe("probe", framing=RegisterFraming()), joined(chunks))
    assert frames.address.tolist() == [0x48 << 16 | register for register in (5, 5, 9, 10)]
    assert [frames.payload_of(n) for n in range(4)] == [b"", b"\x01\x02", b"\xaa", b"\xbb"]
    path.write_text("time,address,direction,payload\n0.1,0x48,rx,05\n")
    read_recording(path, lambda chunk, _names: chunks.append(chunk))
    with pytest.raises(
        MisuseError, match="register device takes frames, and this recording holds frames that nobody reads"
    ):
        run_on_frames(new_recipe("probe", framing=RegisterFraming()), chunks[-1])


def test_text_on_a_serial_line_is_proposed_as_lines(tmp_path):
    text = b"".join(b"level %d mm, heat %d\r\n" % (n, n * 3) for n in range(30))
    line = from_levels(uart_parts(list(text), 1e9 / 38_400))
    best = propose(tmp_path / "log.vcd", recording(tx=line))[0]
    assert isinstance(best.recipe.line, UartLine) and best.recipe.framing == LineEndFraming()


def test_nothing_is_proposed_for_a_still_line(tmp_path):
    assert propose(tmp_path / "a.vcd", recording(x=drawn("_" * 50))) == []


def test_bits_without_a_framing_are_bursts():
    parts = [(0, 9e6)]
    for _ in range(3):
        for bit in (1, 0, 1, 1, 0, 0, 1, 0):
            parts += [(1, 3e5 if bit else 1e5), (0, 1e5 if bit else 3e5)]
        parts.append((0, 9e6))
    made = recording(x=from_levels(parts))
    plain = run_recipe(new_recipe("x", line=PulseLine(line="x")), made).result.frames
    assert [plain.payload_of(n) for n in range(3)] == [b"\xb2"] * 3
    voted = run_recipe(new_recipe("x", line=PulseLine(line="x"), framing=BurstFraming()), made).result.frames
    assert len(voted) == 1 and voted.flags[0] == F.VOTED


@given(st.integers(-40_000, 40_000), st.floats(0.5, 2))
def test_an_offset_is_found_by_a_signal_both_hold(ms, scale):
    rng = np.random.default_rng(7)
    time = np.arange(0, 120, 0.05)
    signal = np.cumsum(rng.normal(0, 1, len(time)))
    other = np.arange(20, 90, 0.2)
    first = ((time * 1e9).astype(np.int64), signal)
    second = ((other * 1e9).astype(np.int64) - ms * 1_000_000, np.interp(other, time, signal) * scale + 5)
    found = estimate_offset(first, second)
    assert abs(found.offset_ns / 1e6 - ms) < 30 and found.agreement > 0.99


def test_an_offset_cannot_be_found_by_nothing():
    time = np.arange(20, dtype=np.int64)
    with pytest.raises(MisuseError, match="never changes"):
        estimate_offset((time, np.ones(20)), (time, np.arange(20.0)))
    with pytest.raises(MisuseError, match="at least 8"):
        estimate_offset((time, np.full(20, np.nan)), (time, np.arange(20.0)))


def test_replacing_a_level_leaves_the_others():
    recipe = new_recipe("x", levels=(LevelSetting(channel="a", above=1.0), LevelSetting(channel="b")))
    changed = recipe.with_level(msgspec.structs.replace(recipe.level("a"), above=2.0))
    assert changed.level("a").above == 2.0 and changed.level("b") == LevelSetting(channel="b")
    assert changed.level("c") == LevelSetting(channel="c")


def test_the_published_schema_is_the_one_of_the_code():
    """After a new setting: write ``published_schema()`` to the file again."""
    assert json.loads(json.dumps(published_schema())) == SCHEMA


def by_hand(tmp_path, *recipes):
    file = tmp_path / "mine.json"
    file.write_text(json.dumps({"format": "zesty-abacus recipes", "version": 1, "recipes": list(recipes)}))
    return file


def test_a_recipe_by_hand_needs_no_identity(tmp_path):
    written = {"name": "deck", "line": {"code": "uart", "rate": 9600}, "framing": {"way": "gap"}}
    first, other = recipes_from_file(by_hand(tmp_path, written, written | {"name": "shore"}))
    assert first.line.rate == 9600 and first.id != other.id
    assert recipes_from_file(by_hand(tmp_path, written))[0].id == first.id
    assert recipes_from_file(by_hand(tmp_path, written | {"id": str(UUID(int=7))}))[0].id == UUID(int=7)


def test_all_that_is_wrong_in_all_recipes_is_told_at_once(tmp_path):
    line = {"code": "uart", "parity": "E", "rate": 9600}
    file = by_hand(tmp_path, {"name": "deck", "line": line}, {"lane": 3, "framing": {"way": "gapp"}, "extra": 1}, 7)
    with pytest.raises(RecipeFormError) as caught:
        recipes_from_file(file)
    told = caught.value.details
    assert told[0].startswith("deck, line: parity='E', expected one of ") and len(told) == 6
    assert told[1].startswith("recipe 2: nothing is called extra here. There is ")
    assert told[2] == "recipe 2: name is missing"
    assert told[3] == 'recipe 2, framing, way: "gapp" means nothing. Did you mean gap?'
    assert told[4:] == ("recipe 2, lane: it is a text, not 3", "recipe 3: it is an object in braces, not 7")


@pytest.mark.parametrize("way", framings(), ids=lambda way: way.name)
def test_a_recipe_takes_bytes_if_its_framing_puts_them_together(way):
    takes = {"silent gap", "fixed length", "start and end codes", "line end", "checked sentences", "Modbus RTU", "LIN",
             "length field"}  # fmt: skip
    assert new_recipe("x", framing=way.settings()).takes_bytes == (way.name in takes)
    assert not new_recipe("x").takes_bytes
