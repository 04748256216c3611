"""One stream on several lanes: lag, losses and differences as they were made."""

from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.problems.made import MS, capture_of, stream
from zesty_abacus.core.beside.choosing import kinds_at, kinds_like, kinds_named
from zesty_abacus.core.beside.compare import compare
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.layouts.checks.counter import Counter
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.reading.meaning import Meaning

LANES = tuple(Lane(f"lane {number}") for number in range(5))
COUNT = new_field("count", at("B0"))
LEVEL = new_field("level", at("B2 B1"), unit="mm")


def layout(*, counts):
    checks = (Counter(id=uuid4(), name="goes up", field=COUNT.id),) if counts else ()
    return new_layout("Level", Applies(address=0x100), 4, [COUNT, LEVEL], checks=checks)


def payloads(count, *, counter=True, seed=1, still=False):
    random = np.random.default_rng(seed)
    values = np.full(count, 700) if still else np.cumsum(random.integers(-9, 10, count)) % 5000
    return [bytes([n & 255 if counter else 0, v & 255, v >> 8, 0]) for n, v in enumerate(values.tolist())]


@settings(deadline=None)
@given(st.data())
def test_lag_losses_and_changes_are_those_that_were_made(data):
    count = data.draw(st.integers(60, 200))
    period = data.draw(st.sampled_from([10, 50, 100])) * MS
    lag = data.draw(st.sampled_from([-70_000_000_000, -3 * MS, 0, 2 * MS, 13 * MS, 3_600_000_000_000]))
    counts = data.draw(st.booleans())
    still = counts and data.draw(st.booleans())
    lost = sorted(data.draw(st.sets(st.integers(2, count - 3), max_size=8)))
    changed = sorted(data.draw(st.sets(st.integers(2, count - 3), max_size=5)) - set(lost))
    random = np.random.default_rng(count)
    times = np.arange(count) * period + random.integers(0, MS // 2, count)
    sent = payloads(count, still=still)
    other = [bytes([p[0], p[1] ^ 4, p[2], 0]) if n in changed else p for n, p in enumerate(sent)]
    kept = [n for n in range(count) if n not in lost]
    late = times + lag + random.integers(0, MS // 4, count)
    capture = capture_of(stream(times, sent, lane=0), stream(late[kept], [other[n] for n in kept], lane=1), lanes=LANES)
    meaning = Meaning.of(capture, [layout(counts=counts)])
    first, side = compare(meaning, kinds_named(meaning, "Level"))
    assert side.matched.by == "payload", "a counter makes every payload another one"
    assert side.matched.lag_ns == pytest.approx(lag, abs=MS // 2)
    assert side.missing.tolist() == times[lost].tolist() and not len(side.added)
    assert side.parts_ns.tolist() == late[changed].tolist()
    assert side.differs == ((("level", len(changed)),) if changed else ())
    assert first.frames == count and not len(first.matched)


def test_where_nothing_changes_but_the_counter_is_shared_it_tells():
    count, period = 300, 20 * MS
    times = np.arange(count) * period
    ours = [bytes([n & 255, n % 7, 1, 0]) for n in range(count)]
    theirs = [bytes([n & 255, (n * 3) % 11, 2, 9]) for n in range(count)]
    kept = [n for n in range(count) if n % 50 != 20]
    capture = capture_of(
        stream(times, ours, lane=0), stream((times + 5 * MS)[kept], [theirs[n] for n in kept], lane=1), lanes=LANES
    )
    meaning = Meaning.of(capture, [layout(counts=True)])
    _, side = compare(meaning, kinds_named(meaning, "Level"))
    assert side.matched.by == "counter" and side.matched.lag_ns == 5 * MS and len(side.missing) == 6
    assert side.differs[0][0] == "level" and len(side.parts_ns) == len(kept)


@pytest.mark.parametrize(("late", "is_found"), [(3, True), (31, True), (32, True), (33, False)])
def test_a_shared_counter_finds_what_is_late_by_up_to_half_a_turn(late, is_found):
    """Of a counter of 64 values the same number comes again after 64 frames."""
    count, period = 300, 20 * MS
    bits = new_field("count", at("B0[5..0]"))
    counter = Counter(id=uuid4(), name="goes up", field=bits.id)
    counted = new_layout("Level", Applies(address=0x100), 4, [bits, LEVEL], checks=(counter,))
    times = np.arange(count) * period
    ours = [bytes([n & 63, n % 7, 1, 0]) for n in range(count)]
    theirs = [bytes([n & 63, (n * 3) % 11, 2, 9]) for n in range(count)]
    delayed = times + 5 * MS
    delayed[100] += late * period - MS * (late == 32)
    capture = capture_of(stream(times, ours, lane=0), stream(delayed, theirs, lane=1), lanes=LANES)
    meaning = Meaning.of(capture, [counted])
    _, side = compare(meaning, kinds_named(meaning, "Level"))
    assert side.matched.by == "counter"
    assert side.missing.tolist() == ([] if is_found else [times[100]])


def test_without_anything_to_go_by_the_beat_tells():
    count, period = 200, 100 * MS
    times = np.arange(count) * period
    capture = capture_of(
        stream(times, [b"\x01"] * count, address=1), stream(times + 30 * MS, [b"\x02"] * count, address=2)
    )
    meaning = Meaning.of(capture, [])
    first, side = compare(meaning, kinds_at(capture, ["deck:1", "deck:2"]))
    assert side.matched.by == "time" and side.matched.lag_ns == 30 * MS
    assert side.differs == (("B0[1]", 200), ("B0[0]", 200))
    assert "same rate, every 100 ms" in side.words(first) and "30 ms later (matched by time)" in side.words(first)


def test_streams_that_have_nothing_in_common_are_not_matched():
    random = np.random.default_rng(5)
    one = np.cumsum(random.exponential(50, 300) * MS).astype(np.int64)
    two = np.cumsum(random.exponential(3000, 5) * MS).astype(np.int64)
    capture = capture_of(
        stream(one, payloads(300, seed=2), address=1), stream(two, [bytes([n]) for n in range(5)], address=2)
    )
    first, side = compare(Meaning.of(capture, []), [0, 1])
    assert side.matched.by in ("", "time") and (side.words(first).startswith("Nothing says") or len(side.parts_ns))


def test_five_lanes_at_once_each_with_its_lag():
    count, lags = 250, (0, 1, 2, 40, 7)
    times, sent = np.arange(count) * 50 * MS, payloads(250, counter=False)
    capture = capture_of(*(stream(times + lag * MS, sent, lane=number) for number, lag in enumerate(lags)), lanes=LANES)
    meaning = Meaning.of(capture, [])
    kinds = kinds_like(meaning, 3)
    sides = compare(meaning, kinds)
    assert kinds == [3, 0, 1, 2, 4]
    assert [side.matched.lag_ns // MS for side in sides[1:]] == [-40, -39, -38, -33]
    assert all(side.words(sides[0]).endswith("all that match hold the same.") for side in sides[1:])


def test_what_cannot_be_compared_is_told():
    capture = capture_of(stream([0, MS], address=1))
    meaning = Meaning.of(capture, [])
    with pytest.raises(MisuseError, match="beside nothing"):
        compare(meaning, [0])
    with pytest.raises(MisuseError, match="no message here is called 'Level'"):
        kinds_named(meaning, "Level")
    for text, said in (("deck:7", "nothing of address 7 was seen on deck"), ("deck", "no lane and address")):
        with pytest.raises(MisuseError, match=said):
            kinds_at(capture, [text])
