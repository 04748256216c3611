"""Characters, and bits that say how long a payload is: known answers, and nothing found in noise."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.unravel.judge import judged
from zesty_abacus.core.unravel.known import Known
from zesty_abacus.core.unravel.questions.lengths import lengths
from zesty_abacus.core.unravel.questions.texts import texts
from zesty_abacus.core.unravel.seen import Seen


def frames_of(payloads):
    width = max(map(len, payloads))
    matrix = np.zeros((len(payloads), width), np.uint8)
    for row, payload in enumerate(payloads):
        matrix[row, : len(payload)] = list(payload)
    count = np.arange(len(payloads))
    return KindFrames(
        count.astype(np.uint32), count.astype(np.int64) * 10_000_000,
        np.array([len(one) for one in payloads], np.uint32), matrix,
    )  # fmt: skip


def seen_of(payloads):
    return Seen.of(frames_of(payloads), len(payloads[0]))


def everything(seen):
    return np.ones(seen.size * 8, np.bool_)


def random_bytes(seed, shape):
    return np.random.default_rng(seed).integers(0, 256, shape, dtype=np.uint8)


def test_a_name_that_never_changes_is_text():
    seen = seen_of([b"\x01\x90TUG-07\x00"] * 20)
    (found,) = texts(seen, everything(seen))
    assert found.places == "B2..B7" and "“TUG-07”" in found.reason


def test_numbers_written_in_digits_are_text():
    seen = seen_of([f"{row / 7:7.2f}".encode() + bytes([row % 256]) for row in range(90)])
    (found,) = texts(seen, everything(seen))
    assert found.places == "B0..B6" and found.parameters == {"encoding": "ascii"}


@given(st.integers(0, 10_000))
def test_noise_and_counting_are_no_text(seed):
    matrix = random_bytes(seed, (40, 8))
    matrix[:, 0] = np.arange(40)
    seen = seen_of([bytes(row) for row in matrix])
    assert texts(seen, everything(seen)) == []


@pytest.mark.parametrize(
    ("header", "unit", "offset", "inverted", "places"),
    [
        (lambda n: bytes([0xA5, n, 7]), 1, 3, False, "B1"),
        (lambda n: bytes([0xA5, n + 3, 7]), 1, 0, False, "B1"),
        (lambda n: bytes([n << 4 & 255 | 5, 7, 9]), 1, 3, False, "B0[7..4]"),
        (lambda n: bytes([1, n // 2, 7, 9]), 2, 4, False, "B1"),
        (lambda n: bytes([9, ~n & 255]), 1, 2, True, "B1"),
        (lambda n: bytes([0x40 | n, 3]), 1, 2, False, "B0[5..0]"),
    ],
)
def test_a_length_is_found_with_its_rule(header, unit, offset, inverted, places):
    noise = random_bytes(3, (60, 20))
    payloads = [header(row % 7 * 2 + 2) + bytes(noise[row, : row % 7 * 2 + 2]) for row in range(60)]
    (found,) = lengths(frames_of(payloads))
    rule = found.parameters
    for payload in payloads:
        raw = parse_places(found.places).raw_in(payload)
        raw = (1 << len(found.bits)) - 1 - raw if rule["inverted"] else raw
        assert raw * rule["unit"] + rule["offset"] == len(payload)
    assert (rule["unit"], rule["offset"], rule["inverted"]) == (unit, offset, inverted)
    assert set(parse_places(places).bits) <= set(found.bits)
    assert found.against == 0 and found.kind == "length" and rule["of"] == "payload"


def test_used_bytes_before_padding_are_counted():
    noise = random_bytes(5, (80, 8))
    payloads = []
    for row in range(80):
        used = row % 7 + 1
        payloads.append(bytes([used]) + bytes(noise[row, :used] | 1) + b"\0" * (7 - used))
    (found,) = lengths(frames_of(payloads))
    assert found.parameters == {"of": "payload", "unit": 1, "offset": 1, "inverted": False}
    assert set(range(3)) <= set(found.bits) <= set(range(8))


@given(st.integers(0, 10_000))
def test_noise_says_no_length(seed):
    sizes = np.random.default_rng(seed).integers(3, 9, 60)
    noise = random_bytes(seed, (60, 9))
    assert lengths(frames_of([bytes(noise[row, : sizes[row]]) for row in range(60)])) == []


def test_a_length_is_no_constant_besides():
    noise = random_bytes(7, (90, 8))
    payloads = [bytes([size := (4 if row % 3 else row % 4 + 2), *noise[row, :size]]) for row in range(90)]
    frames = frames_of(payloads)
    seen = Seen.of(frames, 5)
    found = judged(seen, Known(np.zeros(40, np.bool_)), lengths(frames))
    owned = [bit for one in found for bit in one.bits]
    assert sorted(owned) == list(range(40)), "they tile the payload"
    assert next(one for one in found if 0 in one.bits).kind == "length"
