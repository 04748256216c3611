"""Values, counters, checks, sizes, flags: what was put in is found, and nothing else."""

from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.problems.made import MS, capture_of, found, stream
from zesty_abacus.core.expressions.expression import Expression
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.layouts.checks.counter import Counter
from zesty_abacus.core.layouts.checks.coverage import Coverage
from zesty_abacus.core.layouts.checks.sum import Sum
from zesty_abacus.core.layouts.model import Applies, FieldKind, RawSet, new_field, new_layout
from zesty_abacus.core.layouts.names import parse_names
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.problems.counting import Counted
from zesty_abacus.core.problems.limits import Limit, Limits
from zesty_abacus.core.problems.look import look_for_problems
from zesty_abacus.core.reading.meaning import Meaning

RAW = new_field("raw", at("B1 B0"), FieldKind.SIGNED, unit="kN", low=-100, high=100, unavailable=RawSet.of(-32768))
COUNT = new_field("count", at("B2[3..0]"))


def winch(*checks, fields=(RAW, COUNT)):
    return new_layout("Winch", Applies(address=0x100), 4, list(fields), checks=list(checks))


def payloads(values, counts=None):
    counts = np.zeros(len(values), int) if counts is None else counts
    return [
        int(value).to_bytes(2, "little", signed=True) + bytes([count & 15, 0])
        for value, count in zip(values, counts, strict=True)
    ]


def every(count, period_ms=100):
    return np.arange(count) * period_ms * MS


def test_values_outside_their_limits():
    values = np.random.default_rng(1).integers(-90, 90, 200)
    values[[20, 50]] = 120, -170
    capture = capture_of(stream(every(200), payloads(values)))
    problem = found(capture, [winch()])["outside-limits", "raw"]
    assert problem.time_ns.tolist() == [2000 * MS, 5000 * MS]
    assert (problem.worst, problem.worst_ns, problem.message) == (-170, 5000 * MS, "Winch")
    assert problem.reason == "2 values are outside −100 to 100 kN, at worst −170 kN."


def test_a_value_that_hangs_is_told_and_one_that_is_slow_or_off_is_not():
    random = np.random.default_rng(2)
    lively = random.integers(-90, 90, 600)
    hangs = lively.copy()
    hangs[300:400] = 37
    rests = lively.copy()
    rests[300:400] = 0
    slow = (60 * np.sin(np.arange(600) / 600)).astype(int)
    slow[250:420] = 40
    assert not found(capture_of(stream(every(600), payloads(lively))), [winch()])
    assert not found(capture_of(stream(every(600), payloads(rests))), [winch()])
    assert not found(capture_of(stream(every(600), payloads(slow))), [winch()])
    stuck = found(capture_of(stream(every(600), payloads(hangs))), [winch()])
    assert set(stuck) == {("stuck", "raw")}
    assert (stuck["stuck", "raw"].count, stuck["stuck", "raw"].first_ns) == (1, 30_000 * MS)
    assert stuck["stuck", "raw"].worst == pytest.approx(9.9)
    limit = [Limit(problem="stuck", lane="deck", address=0x100, flags=0, field="raw", value=20)]
    assert not found(capture_of(stream(every(600), payloads(hangs))), [winch()], limit)


def test_only_a_number_without_names_that_no_check_holds_can_hang():
    values = np.random.default_rng(2).integers(1, 90, 600)
    values[300:400] = 37
    capture = capture_of(stream(every(600), [bytes([value, value, 0, 0]) for value in values.tolist()]))
    number, other = new_field("raw", at("B0")), new_field("other", at("B1"))
    flag = new_field("lowest", at("B0[0]"), FieldKind.FLAG)
    named = new_field("named", at("B0"), FieldKind.NAMES, names=parse_names("37 = ahead"))
    mostly = new_field("mostly", at("B0"), names=parse_names("0 = off"))
    text = new_field("text", at("B0"), FieldKind.TEXT)
    check = Sum(id=uuid4(), name="s", field=other.id, coverage=Coverage(end=Expression("1")))

    def hanging(*fields, checks=()):
        return set(found(capture, [winch(*checks, fields=fields)]))

    assert hanging(number) == {("stuck", "raw")}
    assert hanging(flag, named, mostly, text) == set()
    assert hanging(number, other) == {("stuck", "raw"), ("stuck", "other")}
    assert hanging(number, other, checks=[check]) == {("stuck", "raw")}


def test_stretches_without_a_value():
    values = np.random.default_rng(3).integers(-90, 90, 300)
    values[40:45] = values[200] = -32768
    problem = found(capture_of(stream(every(300), payloads(values))), [winch()])["unavailable", "raw"]
    assert problem.time_ns.tolist() == [4000 * MS, 20_000 * MS] and problem.worst == pytest.approx(0.4)
    never = np.full(300, -32768)
    assert not found(capture_of(stream(every(300), payloads(never))), [winch()]), "no sensor is no fault"
    often = np.random.default_rng(4).integers(-90, 90, 300)
    often[::10] = -32768
    often[150:158] = -32768
    problem = found(capture_of(stream(every(300), payloads(often))), [winch()])["unavailable", "raw"]
    assert problem.time_ns.tolist() == [15_000 * MS], "only what is longer than usual"


@given(st.data())
def test_losses_are_counted_however_many_frames_each(data):
    count = data.draw(st.integers(40, 100))
    step = data.draw(st.sampled_from([1, 2, 3]))
    jumps = data.draw(st.dictionaries(st.integers(1, count - 1), st.integers(1, 4), max_size=6))
    numbers, now = [], 0
    for n in range(count):
        now += step * (1 + jumps.get(n, 0))
        numbers.append(now % 15)
    layout = winch(Counter(id=uuid4(), name="goes up", field=COUNT.id, step=step, wraps_at=15))
    values = np.random.default_rng(count).integers(-90, 90, count)
    problems = found(capture_of(stream(every(count), payloads(values, numbers))), [layout])
    told = {place: lost for place, lost in jumps.items() if step * (1 + lost) % 15 and step * lost % 15}
    if not told:
        assert not problems
        return
    assert set(problems) == {("lost-count", "count")}
    assert problems["lost-count", "count"].time_ns.tolist() == [n * 100 * MS for n in sorted(told)]
    if step == 1:
        assert problems["lost-count", "count"].worst == max(told.values())


@pytest.mark.parametrize(
    ("step", "numbers", "lost"),
    [(2, [0, 2, 8, 10, 14], {2: 2, 4: 1}), (2, [0, 2, 5], {2: 1}), (3, [0, 3, 12, 15 - 16], {2: 2}),
     (1, [14, 15, 2, 3], {2: 2}), (-1, [3, 2, 15], {2: 2})],
    ids=["steps of two", "no whole step", "steps of three", "over the end", "down"],
)  # fmt: skip
def test_how_many_are_missing_by_hand(step, numbers, lost):
    """0 2 8 by twos of 16: 4 and 6 did not come; from 2 to 5 is no number of steps, so it is one loss."""
    count = len(numbers)
    here = np.arange(count)
    counted = Counted(here, np.array(numbers) % 16, np.zeros(count, np.int64), here, step, 16)
    before, missing = counted.losses()
    assert dict(zip(before.tolist(), missing.tolist(), strict=True)) == lost


def test_a_frame_that_is_broken_or_comes_twice_is_not_missing():
    numbers = list(range(30))
    twice = [*numbers[:10], 9, *numbers[10:]]
    layout = winch(Counter(id=uuid4(), name="goes up", field=COUNT.id))
    values = np.random.default_rng(5).integers(-90, 90, 31)
    assert not found(capture_of(stream(every(31), payloads(values, twice))), [layout])
    flags = [F.BAD_CHECK if n == 12 else 0 for n in range(30)]
    broken = [n if n != 12 else 3 for n in numbers]
    problems = found(capture_of(stream(every(30), payloads(values[:30], broken), flags=flags)), [layout])
    assert set(problems) == {("check", 0x100)}


def test_two_counters_beside_each_other_are_two_senders():
    layout = winch(Counter(id=uuid4(), name="goes up", field=COUNT.id))
    values = np.random.default_rng(6).integers(-90, 90, 120)
    first = stream(every(120), payloads(values, range(120)))
    second = stream(every(40) + 2_033 * MS, payloads(values[:40], range(7, 47)))
    problems = found(capture_of(first, second), [layout])
    assert set(problems) == {("two-senders", 0x100)}
    assert problems["two-senders", 0x100].time_ns.tolist()[:3] == [frame[0] for frame in second[:3]]
    lossy = [n for n in range(160) if n % 7]
    problems = found(capture_of(stream(every(160)[lossy], payloads(np.resize(values, len(lossy)), lossy))), [layout])
    assert ("two-senders", 0x100) not in problems and problems["lost-count", "count"].count == 22


def test_checks_of_link_and_layout_are_told_once():
    held = new_field("sum", at("B3"))
    adds_up = Sum(id=uuid4(), name="adds up", field=held.id, coverage=Coverage(end=Expression("3")))
    layout = winch(adds_up, fields=(RAW, COUNT, held))
    values = np.random.default_rng(7).integers(-90, 90, 50)
    data = [payload[:3] + bytes([sum(payload[:3]) & 255]) for payload in payloads(values)]
    data[10] = data[10][:3] + bytes([data[10][3] ^ 1])
    data[20] = data[20][:3] + bytes([data[20][3] ^ 1])
    capture = capture_of(stream(every(50), data, flags=[F.BAD_CHECK if n == 20 else 0 for n in range(50)]))
    problems = found(capture, [layout])
    assert problems["check", "sum"].time_ns.tolist() == [1000 * MS]
    assert problems["check", 0x100].time_ns.tolist() == [2000 * MS]
    assert set(problems) == {("check", "sum"), ("check", 0x100)}


def test_flags_of_the_link_say_what_they_are():
    flags = [0, F.FRAMING, F.UNANSWERED, F.REFUSED, 0, F.PARITY | F.FRAMING]
    problems = found(capture_of(stream(every(6), flags=flags), lanes=(Lane("deck", "modbus"),)))
    assert {key[0]: problem.count for key, problem in problems.items()} == {
        "line-fault": 2, "unanswered": 1, "refused": 1,
    }  # fmt: skip
    assert problems["line-fault", 0x100].reason == "2 frames of 6: framing, parity in 1."


def test_sizes_that_change_and_sizes_that_are_free():
    data = [b"\x00" * 8] * 40
    changed = [b"\x00" * (8 if n < 30 else 6) for n in range(40)]
    text = [b"x" * (n * 7 % 11 + 1) for n in range(40)]
    assert not found(capture_of(stream(every(40), data))) and not found(capture_of(stream(every(40), text)))
    problem = found(capture_of(stream(every(40), changed)))["size-changed", 0x100]
    assert (problem.count, problem.first_ns, problem.worst) == (10, 3000 * MS, 6)


def test_a_last_frame_that_is_shorter_was_cut_where_the_recording_ends():
    def sizes(*last):
        return found(capture_of(stream(every(40), [b"\x80" * size for size in (8,) * (40 - len(last)) + last])))

    assert not sizes(6)
    assert sizes(9) and sizes(6, 8) and sizes(6, 6), "longer, not the last, more than one"


def test_lines_of_text_may_grow_by_a_digit_and_bytes_may_not():
    grows = [b"depth %d m\r\n" % n for n in range(40)]
    lanes = (Lane("deck", "serial"),)
    assert not found(capture_of(stream(every(40), grows), lanes=lanes))
    raw = [bytes([0x80] * (8 if n < 30 else 6)) for n in range(40)]
    assert list(found(capture_of(stream(every(40), raw), lanes=lanes))) == [("size-changed", 0x100)]
    # what CAN carries may look like letters and is none
    assert list(found(capture_of(stream(every(40), [b"A" * (8 if n < 30 else 6) for n in range(40)])))) == [
        ("size-changed", 0x100)
    ]


def test_unknown_messages_are_told_where_there_is_a_library():
    capture = capture_of(stream(every(20), payloads(np.arange(20) % 2)), stream(every(5) + MS, address=7))
    assert ("unknown-message", 7) not in found(capture)
    assert found(capture, [winch()])["unknown-message", 7].count == 5


def test_slow_answers():
    asked = every(40)
    took = np.full(40, 8 * MS)
    took[[5, 30]] = 60 * MS, 90 * MS
    capture = capture_of(stream(asked, flags=0), stream(asked + took, flags=F.ANSWER), lanes=(Lane("shore", "modbus"),))
    slow = [one for one in look_for_problems(Meaning.of(capture, [])).problems if one.kind == "slow-answer"]
    assert [one.count for one in slow] == [2] and slow[0].worst == pytest.approx(0.09)
    assert slow[0].time_ns.tolist() == [500 * MS + 60 * MS, 3000 * MS + 90 * MS]
    assert slow[0].reason == "Usually takes 8 ms; 2 answers took longer, at worst 90 ms."


def test_kinds_that_mean_the_same_are_not_looked_through_again(monkeypatch):
    from zesty_abacus.core.problems import look

    seen = []
    whole = look.KindSeen
    monkeypatch.setattr(look, "KindSeen", lambda meaning, kind, *rest: seen.append(kind) or whole(meaning, kind, *rest))
    one, other = winch(), new_layout("Other", Applies(address=0x200), 4, [])
    capture = capture_of(stream(every(20)), stream(every(20) + MS, address=0x200))
    meaning = Meaning.of(capture, [one])
    before = look_for_problems(meaning)
    assert sorted(seen) == [0, 1] and ("unknown-message", 0x200) in [(p.kind.value, p.address) for p in before.problems]
    seen.clear()
    more = meaning.changed({other.id: other})
    after = look_for_problems(more, before=before)
    assert seen == [1] and not [p for p in after.problems if p.kind == "unknown-message"]
    seen.clear()
    limits = Limits([Limit(problem="gap", lane="deck", address=0x100, flags=0, value=0.05)])
    limited = look_for_problems(more, limits, before=after)
    assert seen == [0] and [p.count for p in limited.problems if p.kind == "gap"] == [19]


def test_counters_and_silences_are_not_measured_from_one_day_to_another():
    counter = Counter(id=uuid4(), name="goes up", field=COUNT.id)
    days = 4 * 86_400_000 * MS
    values = np.random.default_rng(4).integers(-90, 90, 80)
    values[70:] = -32768
    monday = capture_of(stream(every(80), payloads(values, np.arange(80))))
    friday_values = np.roll(values, 10)
    friday = capture_of(stream(every(80) + days, payloads(friday_values, np.arange(80) + 5)))
    problems = found(monday.grown(friday.segments), [winch(counter)])
    assert set(problems) == {("unavailable", "raw")}
    # the last ten frames of monday and the first ten of friday, a tenth of a second each, and not the days between
    assert problems["unavailable", "raw"].worst == pytest.approx(1.8)
    jump = np.arange(80) + 3 * (np.arange(80) >= 40)
    lost = capture_of(stream(every(80) + days, payloads(friday_values, jump + 5)))
    assert found(monday.grown(lost.segments), [winch(counter)])["lost-count", "count"].worst == 3
