"""Pulse trains of every coding, told by their lengths alone; bursts, leaders, and what is cut."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import drawn, from_levels, jittered
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.clusters import cluster_lengths
from zesty_abacus.core.lines.pulses import DECODER, PulseLine, measure_pulses
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind

UNIT = 400_000


def train(bits, coding, bursts=3, gap=30, leader=False, unit=UNIT):
    parts = [(0, unit * 60)]
    for _ in range(bursts):
        if leader:
            parts += [(1, unit * 9), (0, unit * 4.5)]
        for bit in bits:
            if coding == "width":
                parts += [(1, unit * (3 if bit else 1)), (0, unit * (1 if bit else 3))]
            elif coding == "distance":
                parts += [(1, unit), (0, unit * (3 if bit else 1))]
            elif coding == "manchester":
                parts += [(0, unit), (1, unit)] if bit else [(1, unit), (0, unit)]
            else:
                parts += [(bit, unit)]
        if coding == "distance":
            parts.append((1, unit))
        parts.append((0, unit * gap))
    return from_levels([*parts, (0, unit * 60)])


def bursts_of(result):
    run = result.bit_run
    return [run.bit[a:b].tolist() for a, b in zip(run.bounds, run.bounds[1:], strict=False)]


def decode(line, **form):
    return decode_line(PulseLine(line="x", **form), {"x": line})


bits = st.lists(st.integers(0, 1), min_size=12, max_size=40).filter(lambda b: 3 <= sum(b) <= len(b) - 3)


@given(bits, st.sampled_from(["width", "distance", "manchester", "plain"]), st.integers(0, 999))
def test_what_was_drawn_is_read_back_at_eight_percent_jitter(listed, coding, seed):
    listed = [1, *listed, 1]
    line = jittered(train(listed, coding), UNIT * 0.08, seed)
    result = decode(line, coding=coding, one_is_long=True, unit_us=UNIT / 1000, burst_gap_us=UNIT / 1000 * 20)
    if coding == "plain":
        assert all(burst == listed for burst in bursts_of(result))
    else:
        assert bursts_of(result) == [listed] * 3
    assert not result.bit_run.flags.any()


@pytest.mark.parametrize("coding", ["width", "distance", "manchester", "plain"])
@pytest.mark.parametrize("leader", [False, True])
def test_coding_gap_and_unit_are_found(coding, leader):
    listed = [1, 1, 0, 1, 0, 0, 1, 0, 1, 1, 1, 0, 0, 0, 1, 0, 1, 0, 0, 1, 1]
    if leader and coding in ("manchester", "plain"):
        pytest.skip("a leader before plain levels is a part of them")
    line = jittered(train(listed, coding, bursts=6, leader=leader), UNIT * 0.05)
    result = decode(line)
    assert bursts_of(result) == [listed] * 6
    facts = {fact.name: fact for fact in result.facts}
    assert abs(facts["unit_us"].value / (UNIT / 1000) - 1) < 0.05
    assert (MarkKind.LEADER in set(result.marks.kind)) == leader


@pytest.mark.parametrize("coding", ["width", "distance", "manchester", "plain"])
@pytest.mark.parametrize("turned", [False, True])
def test_which_level_a_pulse_has_is_measured(coding, turned):
    """Receivers of infrared light pull their line low for each pulse."""
    listed = [1, 1, 0, 1, 0, 0, 1, 0, 1, 1, 1, 0, 0, 0, 1, 0, 1, 0, 0, 1, 1]
    line = train(listed, coding, bursts=6, leader=coding in ("width", "distance"))
    line = jittered(line.inverted() if turned else line, UNIT * 0.05)
    best = max(DECODER.propose({"x": line}), key=lambda one: one.score)
    assert best.settings.inverted == turned
    assert best.reason.startswith("x, inverted: " if turned else "x: ")
    # of levels that are bits themselves a high one is a 1, whichever way the line rests
    is_level = coding in ("manchester", "plain")
    wanted = [1 - bit for bit in listed] if turned and is_level else listed
    assert bursts_of(decode_line(best.settings, {"x": line})) == [wanted] * 6


def test_the_way_a_one_looks_can_be_turned():
    listed = [1, 0, 1, 1, 0, 0, 1, 0, 1, 1, 0, 1]
    first = bursts_of(decode(train(listed, "width"), one_is_long=False))[0]
    assert first == [1 - bit for bit in listed]


def test_changes_can_carry_the_bits():
    """NRZI: a 0 changes the level, a 1 leaves it."""
    line = drawn("_____ -- _ --- _ - ____ - _____", 1000)
    result = decode(line, coding="plain", transitions=True, unit_us=1.0, burst_gap_us=1e6)
    assert bursts_of(result)[0] == [0, 1, 0, 0, 1, 1, 0, 0, 0, 1, 1, 1, 0]


def test_a_burst_near_an_end_of_the_recording_is_cut_short():
    listed = [1, 0, 1, 1, 0, 0, 1, 0]
    line = train(listed, "width", bursts=4)
    part = line.between(int(line.time_ns[7]) + 1, int(line.time_ns[-5]) + 1)
    flags = decode(part, coding="width", unit_us=UNIT / 1000, burst_gap_us=UNIT / 1000 * 20).bit_run.flags
    assert flags.tolist() == [F.CUT_SHORT, 0, 0, F.CUT_SHORT]


@pytest.mark.parametrize("coding", ["width", "distance", "manchester", "plain"])
@pytest.mark.parametrize("begins_in", range(5))
def test_a_burst_whose_begin_is_lost_is_cut_short_whichever_way_the_line_was(coding, begins_in):
    line = train([1, 0, 1, 1, 0, 0, 1, 0], coding, bursts=4)
    cut = line.between(int(line.time_ns[begins_in]) + 1, line.end_ns)
    pause = 20 * UNIT
    flags = decode(cut, coding=coding, unit_us=UNIT / 1000, burst_gap_us=pause / 1000).bit_run.flags
    # where no pulse of the first burst begins any more, nothing of it is left
    is_left = cut.time_ns[cut.level == 1][0] - cut.begin_ns < pause
    assert flags.tolist() == [F.CUT_SHORT] * int(is_left) + [0, 0, 0]


@pytest.mark.parametrize(
    ("before", "after", "is_cut"), [(20, 20, False), (19.99, 20, True), (20, 19.99, True), (30, 30, False)]
)
def test_quiet_as_long_as_a_pause_on_both_sides_makes_a_burst_whole(before, after, is_cut):
    parts = [part for bit in (1, 0, 0, 1) for part in ((1, UNIT * (3 if bit else 1)), (0, UNIT * (1 if bit else 3)))]
    line = from_levels([(0, UNIT * before), *parts[:-1], (0, UNIT * after)], begin_ns=5_000)
    run = decode(line, coding="width", one_is_long=True, unit_us=UNIT / 1000, burst_gap_us=UNIT / 1000 * 20).bit_run
    assert run.bit.tolist() == [1, 0, 0, 1] and run.flags.tolist() == [F.CUT_SHORT if is_cut else 0]


def test_broken_halves_are_flagged():
    line = from_levels(
        [(0, 90_000), (1, 1000), (0, 1000), (1, 1000), (0, 3000), (1, 1000), (0, 1000), (1, 1000), (0, 90_000)]
    )
    run = decode(line, coding="manchester", unit_us=1.0, burst_gap_us=20).bit_run
    assert run.flags[0] & F.FRAMING


def test_clusters_stay_apart_at_twenty_percent_jitter():
    rng = np.random.default_rng(3)
    lengths = np.concatenate([rng.normal(size, size * 0.08, 300) for size in (1000, 2000, 4000)]).astype(np.int64)
    found = cluster_lengths(lengths)
    assert [round(cluster.center, -2) for cluster in found] == [1000, 2000, 4000]
    assert cluster_lengths(np.empty(0, np.int64)) == []


def test_one_pulse_of_its_own_length_is_a_cluster_where_one_is_enough():
    found = cluster_lengths(np.array([100] * 50 + [800]), fewest=1)
    assert [(cluster.center, cluster.count) for cluster in found] == [(100.0, 50), (800.0, 1)]
    assert [cluster.count for cluster in cluster_lengths(np.array([100] * 50 + [800]))] == [50]
    assert [cluster.count for cluster in cluster_lengths(np.array([100] * 50 + [790, 800]))] == [50, 2]


def test_too_few_pulses_tell_nothing():
    assert measure_pulses(drawn("_-_-_"), PulseLine(line="x")) is None
    assert bursts_of(decode(drawn("_-_" * 30), coding="width"))[0]
    assert DECODER.propose({"x": drawn("_-_")}) == []


def test_that_changes_are_bits_is_offered_for_a_check_to_bear_out():
    levels = np.cumsum(np.random.default_rng(5).integers(0, 2, 4000)) % 2
    found = DECODER.propose({"x": from_levels([(int(level), 1e9 / 9600) for level in levels])})
    offered = [one for one in found if one.needs_check]
    assert [(one.score, one.settings.transitions, one.settings.coding) for one in offered] == [(0.0, True, "plain")] * 2
    assert [one.settings.scrambler for one in offered] == ["", "17 12"]
    assert {one.reason for one in offered} == {"x: changes at 9600 bit/s are zeros"}


@given(bits, st.booleans(), st.integers(0, 99))
def test_a_last_half_that_is_low_is_told_by_the_bit_before_it(listed, one_is_long, seed):
    """A last bit that ends low cannot be told from the pause behind it by itself."""
    listed = [*listed, 1, 0]
    line = jittered(train(listed, "manchester"), UNIT * 0.05, seed)
    form = {"coding": "manchester", "unit_us": UNIT / 1000, "burst_gap_us": UNIT / 1000 * 20}
    read = bursts_of(decode(line, one_is_long=True, **form))
    assert read == [listed] * 3
    if not one_is_long:
        assert bursts_of(decode(line, one_is_long=False, **form)) == [[1 - bit for bit in listed]] * 3


def changing(bits, unit=UNIT, bursts=1):
    """Draw biphase mark: each bit begins with a change, a one has another in its middle (IEC 60958-1)."""
    parts = [(0, unit * 60)]
    for _ in range(bursts):
        level = 0
        for bit in bits:
            for halves in (1, 1) if bit else (2,):
                level = 1 - level
                parts.append((level, unit * halves))
        parts.append((0, unit * 30))
    return from_levels([*parts, (0, unit * 60)])


@given(bits, st.integers(0, 999))
def test_changes_within_bits_are_read(listed, seed):
    # a last level that is low cannot be seen: a one that ends high, or its first half, comes last
    listed = [*listed, 1] if (len(listed) - sum(listed)) % 2 == 0 else [*listed, 0, 1]
    form = {"coding": "biphase", "unit_us": UNIT / 1000, "burst_gap_us": UNIT / 1000 * 20}
    result = decode(jittered(changing(listed), UNIT * 0.08, seed), one_is_long=False, **form)
    assert bursts_of(result) == [listed] and not result.bit_run.flags.any()
    turned = decode(changing(listed), one_is_long=True, **form)
    assert bursts_of(turned) == [[1 - bit for bit in listed]]


def test_half_a_bit_alone_is_flagged_and_the_next_ones_are_in_step():
    unit = 1000
    levels = [2, 2, 1, 2, 1, 1, 2, 1, 1]  # the third one has no second half
    parts = [(0, 60 * unit), *((1 - n % 2, unit * halves) for n, halves in enumerate(levels)), (0, 90 * unit)]
    result = decode(from_levels(parts), coding="biphase", one_is_long=False, unit_us=1, burst_gap_us=20)
    assert bursts_of(result) == [[0, 0, 0, 1, 0, 1]] and result.bit_run.flags.tolist() == [F.FRAMING]
