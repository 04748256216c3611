"""Half bytes of a sensor, drawn tick by tick, with the table of the standard for the CRC."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import from_levels, jittered
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.nibbles import DECODER, NibbleLine, crc_of
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind
from zesty_abacus.core.recipes.json_form import recipe_from_json, recipe_to_json
from zesty_abacus.core.recipes.measured import with_measured
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.run import run_recipe
from zesty_abacus.core.waves.recording import Channel, LineRecording

TICK = 3000.0
TABLE = (0, 13, 7, 10, 14, 3, 9, 4, 1, 12, 6, 11, 15, 2, 8, 5)
"""Printed in SAE J2716 beside its program for the check."""


def check(data, legacy=False):
    crc = 5
    for value in data:
        crc = TABLE[crc] ^ value
    return crc if legacy else TABLE[crc]


def parts_of(frames, tick=TICK, pause=0, legacy=False, wrong=0):
    """Return levels: each frame is a status with its data; a pause of so many ticks stands behind each."""
    parts = [(1, 200 * tick)]
    for nibbles in frames:
        crc = check(nibbles[1:], legacy) ^ wrong
        for ticks in [56, *(12 + value for value in (*nibbles, crc)), *([pause] if pause else [])]:
            parts += [(0, 5 * tick), (1, (ticks - 5) * tick)]
    return [*parts, (0, 5 * tick), (1, 300 * tick)]


def read(line, **form):
    result = decode_line(NibbleLine(line="x", **form), {"x": line})
    table = result.frames
    return result, [(int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def packed(nibbles):
    text = "".join(f"{value:X}" for value in nibbles)
    return bytes.fromhex(text + "0" * (len(text) % 2))


def test_the_check_is_that_of_the_printed_table():
    rng = np.random.default_rng(3)
    data = rng.integers(0, 16, (200, 6))
    assert crc_of(data, "recommended").tolist() == [check(row) for row in data.tolist()]
    assert crc_of(data, "legacy").tolist() == [check(row, legacy=True) for row in data.tolist()]


nibbles_of = st.integers(1, 6).flatmap(
    lambda count: st.lists(st.lists(st.integers(0, 15), min_size=count + 1, max_size=count + 1), min_size=1, max_size=6)
)


@given(nibbles_of, st.sampled_from([0, 12, 20, 56, 300]), st.sampled_from([0.82, 1.0, 1.19]), st.booleans(),
       st.integers(0, 999))  # fmt: skip
def test_what_was_drawn_is_read_back_by_a_clock_that_is_off(frames, pause, off, legacy, seed):
    line = jittered(from_levels(parts_of(frames, TICK * off, pause, legacy)), 0.05 * TICK, seed)
    form = {"tick_us": 3.0, "nibbles": len(frames[0]) - 1, "check": "legacy" if legacy else "recommended"}
    assert read(line, **form)[1] == [(0, packed(nibbles)) for nibbles in frames]


@pytest.mark.parametrize("count", [1, 3, 6])
@pytest.mark.parametrize("pause", [0, 20, 77])
@pytest.mark.parametrize("legacy", [False, True])
def test_tick_count_and_check_are_measured_and_proposed(count, pause, legacy):
    rng = np.random.default_rng(count * 100 + pause + legacy)
    frames = rng.integers(0, 16, (60, count + 1)).tolist()
    line = jittered(from_levels(parts_of(frames, 12_000, pause, legacy)), 1000, 5)
    result, found = read(line)
    assert found == [(0, packed(nibbles)) for nibbles in frames]
    facts = {fact.name: fact.value for fact in result.facts}
    assert facts["tick_us"] == pytest.approx(12, rel=0.01)
    assert (facts["nibbles"], facts["check"]) == (count, int(legacy))
    (proposal,) = DECODER.propose({"x": line})
    recording = LineRecording("drawn", (Channel("x", edges=line),))
    recipe = new_recipe("n", line=proposal.settings)
    made = with_measured(recipe, run_recipe(recipe, recording))
    again = recipe_from_json(recipe_to_json(made)).line
    assert (again.nibbles, again.check) == (count, "legacy" if legacy else "recommended")
    assert proposal.score == 1 and "60 of 60 frames" in proposal.reason and f"{count} half" in proposal.reason


def test_what_is_wrong_is_flagged_and_the_next_frame_is_read():
    good = [1, 2, 3, 4]
    form = {"tick_us": 3.0, "nibbles": 3, "check": "recommended"}
    assert read(from_levels(parts_of([good], wrong=2)), **form)[1] == [(F.BAD_CHECK, b"\x12\x34")]
    parts = parts_of([good, good, good])
    # the third distance of the second frame: a half byte that lasts 40 ticks
    at = 1 + 2 * (6 + 3) + 1
    parts[at] = (1, 35 * TICK)
    result, found = read(from_levels(parts), **form)
    assert found == [(0, b"\x12\x34"), (F.FRAMING, b"\x12"), (0, b"\x12\x34")]
    kinds = result.marks.kind.tolist()
    assert kinds[:7] == [MarkKind.SYNC, MarkKind.CONTROL, *[MarkKind.DATA] * 3, MarkKind.CHECK, MarkKind.SYNC]
    assert result.marks.rows[:6, 3].tolist() == [0, 1, 2, 3, 4, check([2, 3, 4])]
    starts = result.marks.rows[:6, 0]
    assert (starts[1:] - starts[0]).tolist() == [round(TICK * ticks) for ticks in (56, 69, 83, 98, 114)]
    assert result.marks.rows[:6, 1].tolist() == [*starts[1:].tolist(), int(result.ends_ns[0])]
    cut = from_levels(parts_of([good, good])[: 1 + 2 * (6 + 3)])
    assert read(cut, **form)[1][-1] == (F.CUT_SHORT, b"\x10")


def test_lines_of_other_kinds_are_not_proposed():
    rng = np.random.default_rng(1)
    assert (
        DECODER.propose({"x": from_levels([(n % 2, float(w)) for n, w in enumerate(rng.integers(1, 30, 400) * 1000)])})
        == []
    )
    assert read(from_levels([(1, 1e6)]))[1] == []
