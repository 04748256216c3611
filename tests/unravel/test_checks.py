"""Checks of every sort found again, with parameters that give each frame's check; and nothing found in noise."""

import re
from functools import reduce
from operator import xor

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.unravel.made import findings_of, message, put, slow
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.places import format_places, parse_places
from zesty_abacus.core.unravel import look
from zesty_abacus.core.unravel.checking.linear import combination, frames_needed, is_linear
from zesty_abacus.core.unravel.checking.polynomials import common_divisor, divided, reflected, remainder
from zesty_abacus.core.unravel.checking.refuting import could_be_crc
from zesty_abacus.core.unravel.judge import judged
from zesty_abacus.core.unravel.keeping import kept
from zesty_abacus.core.unravel.known import Known
from zesty_abacus.core.unravel.seen import Seen

ADDRESS = 0x1A0


def crc(data, width, polynomial, start, final, reflects):
    """Divide bit by bit, as the definition says (Williams, 1993)."""
    register = start
    for byte in data:
        for bit in range(8) if reflects else range(7, -1, -1):
            top = register >> (width - 1) & 1 ^ (byte >> bit & 1)
            register = (register << 1 & (1 << width) - 1) ^ (polynomial if top else 0)
    if reflects:
        register = int(f"{register:0{width}b}"[::-1], 2)
    return register ^ final


def seen_of(matrix):
    count = np.arange(len(matrix))
    frames = KindFrames(
        count.astype(np.uint32), count * 10_000_000, np.full(len(matrix), matrix.shape[1], np.uint32), matrix
    )
    return Seen.of(frames, matrix.shape[1])


def moving(count, size, seed=1):
    """Return payloads of a slow number, a counter, a state and noise: none is worked out from the others."""
    random = np.random.default_rng(seed)
    matrix = np.zeros((count, size), np.uint8)
    number = np.round(9000 + 4000 * np.sin(np.arange(count) / 30) + random.normal(0, 3, count)).astype(int)
    matrix[:, 0], matrix[:, 1] = number >> 8, number & 255
    matrix[:, 2] = np.arange(count) % 16 | (np.arange(count) // 90 % 3) << 5
    for byte in range(3, size):
        matrix[:, byte] = random.integers(0, 256, count)
    return matrix


def the_check(matrix):
    seen = seen_of(matrix)
    found = [one for one in judged(seen, Known(np.zeros(seen.size * 8, np.bool_))) if one.kind == "check"]
    assert len(found) <= 1, found
    return found[0] if found else None


def agrees(matrix, said):
    """Return in how many frames the check agrees, kept as a layout and decoded as any other."""
    layout = kept(new_layout("found", Applies(address=ADDRESS), matrix.shape[1]), said.of("can0", ADDRESS, "", ""))
    sizes = np.full(len(matrix), matrix.shape[1], np.uint32)
    (column,) = decode(compile_layout(layout), matrix, sizes, address=ADDRESS).checks.values()
    return column.count(CheckState.AGREES)


@settings(max_examples=25)
@given(
    width=st.sampled_from([8, 16, 24, 32]), polynomial=st.integers(0, 2**32), start=st.integers(0, 2**32),
    final=st.integers(0, 2**32), reflects=st.booleans(), low_first=st.booleans(), seed=st.integers(0, 99),
)  # fmt: skip
def test_any_crc_is_found_with_parameters_that_hold(width, polynomial, start, final, reflects, low_first, seed):
    mask = (1 << width) - 1
    polynomial, start, final = polynomial & mask | 1, start & mask, final & mask
    # one of a few terms is an exclusive or of some bytes as well
    assume(polynomial.bit_count() > 3)
    # a multiple of x**4 + 1 makes the exclusive or of all half bytes constant as well
    assume(remainder(1 << width | polynomial, 0b10001))
    octets = width // 8
    matrix = moving(260, 5 + octets, seed)
    for row in matrix:
        value = crc(bytes(row[:5]), width, polynomial, start, final, reflects)
        row[5:] = list(value.to_bytes(octets, "little" if low_first else "big"))
    said = the_check(matrix)
    assert said is not None and set(parse_places(said.places).bits) == set(range(40, 40 + width))
    if said.parameters["check"] == "crc":
        assert said.parameters["polynomial"] == polynomial
    assert agrees(matrix, said) == len(matrix) and said.against == 0


@pytest.mark.parametrize(
    ("places", "polynomial", "start"),
    [
        ("B7[3..0]", 0x3, 0), ("B7[4..0]", 0x15, 0x1F), ("B7[5..0]", 0x2F, 0), ("B7[6..0]", 0x09, 0),
        ("B6[1..0] B7", 0x233, 0), ("B6[2..0] B7", 0x385, 0), ("B7[2..0] B6", 0x385, 0), ("B6[3..0] B7", 0x80F, 0),
        ("B0[3..0] B1", 0x80F, 0xFFF), ("B6[6..0] B7", 0x4599, 0), ("B5[4..0] B6 B7", 0x1864CF & 0x1FFFFF, 0),
    ],
)  # fmt: skip
def test_a_crc_of_any_width_is_found_beside_restless_numbers(places, polynomial, start):
    matrix = np.zeros((500, 8), np.uint8)
    put(matrix, "B3 B2", slow(500, seed=3, noise=2))
    put(matrix, "B4[7..2]", slow(500, seed=4, low=3, high=60))
    width = len(parse_places(places))
    put(matrix, places, [crc(bytes(row), width, polynomial, start, 0, False) for row in matrix])
    said = the_check(matrix)
    assert said is not None and said.places == places and said.frames == 500
    assert (said.parameters["width"], said.parameters["polynomial"]) == (width, polynomial)


@pytest.mark.parametrize("combine", [np.bitwise_xor.reduce, np.add.reduce], ids=["exclusive or", "sum"])
def test_a_check_is_found_in_six_frames_and_not_in_four(combine):
    """Eight bits a frame against the way it was chosen: among bytes, sorts and starts."""
    matrix = moving(40, 6)
    matrix[:, 5] = combine(matrix[:, :5], axis=1)
    few, many = the_check(matrix[:6]), the_check(matrix)
    assert the_check(matrix[:4]) is None and few is not None and few.frames == 6
    assert few.confidence < many.confidence <= 0.99


def test_the_widest_crc_is_found():
    """64 bits, with the polynomial of ECMA-182."""
    matrix = moving(400, 24)
    for row in matrix:
        row[16:] = list(crc(bytes(row[:16]), 64, 0x42F0E1EBA9EA3693, 0, 0, False).to_bytes(8, "big"))
    said = the_check(matrix)
    assert said is not None and said.parameters["polynomial"] == 0x42F0E1EBA9EA3693
    assert agrees(matrix, said) == 400


@given(st.lists(st.integers(0, 2**24 - 1), max_size=30), st.integers(0, 2**30 - 1), st.integers(0, 2**24 - 1))
def test_a_combination_gives_the_number_and_none_is_missed(columns, mask, other):
    wanted = reduce(xor, (column for n, column in enumerate(columns) if mask >> n & 1), 0)
    found = combination(columns, wanted)
    assert found is not None
    assert reduce(xor, (column for n, column in enumerate(columns) if found >> n & 1), 0) == wanted
    found = combination(columns, other)
    if found is not None:
        assert reduce(xor, (column for n, column in enumerate(columns) if found >> n & 1), 0) == other


def test_a_key_before_the_data_is_found():
    matrix = moving(300, 7)
    for row in matrix:
        row[6] = crc(bytes([0x3C, *row[:6]]), 8, 0x2F, 0xFF, 0xFF, False)
    said = the_check(matrix)
    assert said is not None and said.parameters["polynomial"] == 0x2F and agrees(matrix, said) == 300


@pytest.mark.parametrize(
    ("name", "rule", "kind"),
    [
        ("exclusive or", lambda own: int(np.bitwise_xor.reduce(own)), "xor"),
        ("sum", lambda own: int(own.sum()) & 255, "sum"),
        ("sum and start", lambda own: int(own.sum()) + 0x5A & 255, "sum"),
        ("one's complement of the sum", lambda own: ~int(own.sum()) & 255, "sum"),
        ("two's complement of the sum", lambda own: -int(own.sum()) & 255, "sum"),
    ],
)
def test_sums_and_exclusive_ors_are_found(name, rule, kind):
    matrix = moving(200, 8)
    matrix[:, 7] = [rule(row[:7].astype(int)) for row in matrix]
    said = the_check(matrix)
    assert said is not None and said.places == "B7" and said.parameters["check"] == kind, name
    assert agrees(matrix, said) == 200


def test_frames_that_are_wrong_are_counted():
    matrix = moving(400, 8)
    matrix[:, 7] = np.bitwise_xor.reduce(matrix[:, :7], axis=1)
    matrix[[17, 230], 7] ^= 0x21
    said = the_check(matrix)
    assert (said.frames, said.against) == (398, 2) and said.reason.endswith("in 398 of 400 frames.")


@given(st.integers(0, 10_000))
def test_noise_has_no_check(seed):
    matrix = np.random.default_rng(seed).integers(0, 256, (120, 6), dtype=np.uint8)
    assert the_check(matrix) is None


@given(st.integers(1, 2**20), st.integers(2, 2**12), st.integers(2, 2**12))
def test_polynomials_divide_as_they_multiply(one, other, common):
    product = multiplied(one, common)
    assert remainder(product, common) == 0 and divided(product, common) == one
    shared = common_divisor(product, multiplied(other, common))
    assert remainder(shared, common) == 0, "what both have is in their greatest common divisor"


def multiplied(one, other):
    made = 0
    for bit in range(other.bit_length()):
        if other >> bit & 1:
            made ^= one << bit
    return made


@given(st.integers(0, 10_000), st.booleans())
def test_a_linear_check_is_told_from_another_one(seed, linear):
    random = np.random.default_rng(seed)
    count = frames_needed(32) + 8
    words = [int(random.integers(0, 2**32)) for _ in range(count)]
    frames = []
    for word in words:
        value = crc(word.to_bytes(4, "big"), 8, 0x1D, 0xC7, 0x11, False) if linear else int(random.integers(0, 256))
        frames.append(word << 8 | value)
    assert is_linear(frames, 0xFF) == linear


@pytest.mark.parametrize(("step", "wrap"), [(1, 16), (1, 15), (3, 16), (1, 256), (2, 15), (1, 4)])
def test_counters_are_found_with_step_and_wrap(step, wrap):
    matrix = moving(500, 5, seed=3)
    bits = max((wrap - 1).bit_length(), 2)
    matrix[:, 2] = (np.arange(500) * step % wrap) << (8 - bits)
    seen = seen_of(matrix)
    found = [one for one in judged(seen, Known(np.zeros(40, np.bool_))) if one.kind == "counter"]
    assert [one.places for one in found] == [format_places(parse_places(f"B2[7..{8 - bits}]" if bits < 8 else "B2"))]
    assert found[0].parameters["step"] == step and found[0].parameters["wraps_at"] == wrap and found[0].against == 0


@pytest.mark.parametrize("sign", [1, -1])
def test_a_check_of_half_bytes_is_found_and_can_be_kept(sign):
    matrix = moving(600, 6)
    matrix[:, 5] = 0
    total = (matrix >> 4).sum(axis=1, dtype=np.int64) + (matrix & 15).sum(axis=1, dtype=np.int64)
    matrix[:, 5] |= (sign * total & 15).astype(np.uint8)
    finding = the_check(matrix)
    assert finding is not None and finding.places == "B5[3..0]" and finding.parameters["word_bits"] == 4
    layout = kept(new_layout("m", Applies(address=ADDRESS), 6), finding)
    decoded = decode(compile_layout(layout), np.pad(matrix, ((0, 0), (0, 2))), np.full(600, 6, np.uint32))
    (column,) = decoded.checks.values()
    assert column.count(CheckState.AGREES) == 600


@pytest.mark.parametrize("byte", [0, 3, 7])
@pytest.mark.parametrize("rule", [lambda own: int(np.bitwise_xor.reduce(own)), lambda own: -int(own.sum()) & 255])
def test_of_bytes_that_fold_each_other_the_one_that_is_worked_out_is_the_check(byte, rule):
    matrix = np.zeros((900, 8), np.uint8)
    others = [number for number in range(8) if number != byte]
    matrix[:, others[0]] = np.arange(900) % 256
    put(matrix, f"B{others[2]} B{others[1]}", slow(900, seed=4, low=100, high=9000))
    put(matrix, f"B{others[3]}[5..0]", slow(900, seed=5, low=2, high=60))
    put(matrix, f"B{others[4]}[1..0]", np.arange(900) // 150 % 3)
    for row in matrix:
        row[byte] = rule(np.delete(row, byte).astype(int))
    said = the_check(matrix)
    assert said is not None and said.places == f"B{byte}"


def test_a_crc_as_wide_as_its_data_stands_where_nothing_counts():
    matrix = np.zeros((1500, 4), np.uint8)
    put(matrix, "B2[3..0]", np.arange(1500) % 15)
    put(matrix, "B3[1..0] B2[7..4]", slow(1500, seed=6, low=2, high=60))
    put(matrix, "B3[5..3]", np.arange(1500) // 200 % 6)
    for row in matrix:
        row[0], row[1] = crc(bytes(row[2:]), 16, 0x3D65, 0, 0xFFFF, False).to_bytes(2, "little")
    said = the_check(matrix)
    assert said is not None and said.places == "B1 B0" and said.parameters["polynomial"] == 0x3D65


def test_one_check_with_a_key_an_address_is_told_together():
    keys = {0x100: 0x3C, 0x101: 0x5A, 0x102: 0xA1}
    messages = []
    for address, key in keys.items():
        matrix = moving(200, 5 + address % 2, seed=address)
        for row in matrix:
            row[-1] = crc(bytes([key, *row[:-1]]), 8, 0x2F, 0xFF, 0xFF, False)
        messages.append(message(np.arange(200) * 0.02 + address / 1e5, matrix))
    found = findings_of(*messages, kinds=("check",))
    reason = found[0x100][0].reason
    assert {address: one[0].parameters["coverage"]["key_before"] for address, one in found.items()} == {
        address: f"{key:02X}" for address, key in keys.items()
    }  # fmt: skip
    told = "The same check holds in other messages of this lane, each with a key of its own: "
    assert reason.endswith(f" {told}0x101 with 5A, 0x102 with A1.")
    alone = findings_of(messages[0], kinds=("check",))[0x100][0]
    assert "other messages" not in alone.reason and alone.confidence <= found[0x100][0].confidence


@pytest.mark.parametrize("turned", [False, True], ids=["as begun", "last first"])
def test_what_is_said_does_not_depend_on_which_message_is_done_first(monkeypatch, turned):
    """Three messages side by side: the reasons name the others in order of their addresses."""
    messages = []
    for address in (0x100, 0x101, 0x102):
        matrix = moving(200, 5 + address % 2, seed=address)
        for row in matrix:
            row[-1] = crc(bytes([address * 7 & 0xFF, *row[:-1]]), 8, 0x2F, 0xFF, 0xFF, False)
        messages.append(message(np.arange(200) * 0.02 + address / 1e5, matrix))

    def one_by_one(kinds, work):
        done = [work(kind) for kind in kinds]
        return reversed(done) if turned else done

    monkeypatch.setattr(look, "as_done", one_by_one)
    found = findings_of(*messages, kinds=("check",))
    named = {address: re.findall(r"(0x10\d) with", one[0].reason) for address, one in found.items()}
    assert named == {0x100: ["0x101", "0x102"], 0x101: ["0x100", "0x102"], 0x102: ["0x100", "0x101"]}


@given(st.lists(st.binary(min_size=3, max_size=3), min_size=5, max_size=5, unique=True), st.integers(4, 64), st.data())
def test_the_quick_refutation_says_what_long_division_says(rows, width, data):
    drawn = st.integers(0, 2**width - 1)
    if data.draw(st.booleans()):
        # such as a CRC gives
        polynomial, reflects = data.draw(drawn) | 1, data.draw(st.booleans())
        checks = [crc(row, width, polynomial, 0, 0, reflects) for row in rows]
    else:
        checks = data.draw(st.lists(drawn, min_size=5, max_size=5))
    found = False
    for turned_in in (False, True):
        numbers = [
            int.from_bytes(bytes(reflected(byte, 8) for byte in row) if turned_in else row, "big") for row in rows
        ]
        for turned_out in (False, True):
            ends = [reflected(check, width) for check in checks] if turned_out else checks
            both = [number << width ^ end for number, end in zip(numbers, ends, strict=True)]
            common = reduce(common_divisor, (one ^ both[0] for one in both[1:]), 0)
            found |= common.bit_length() > width
    matrix = np.frombuffer(b"".join(rows), np.uint8).reshape(5, 3)
    assert could_be_crc(matrix, np.array(checks, np.uint64), width) == found
