"""Checks of every sort found again, with parameters that give each frame's check; and nothing found in noise."""

import itertools
import re
from functools import reduce
from operator import xor

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.unravel.made import asked, findings_of, message, places_of, put, slow
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.places import format_places, parse_places
from zesty_abacus.core.unravel import look
from zesty_abacus.core.unravel.checking.folded import _left_out, _left_out_at_the_ends
from zesty_abacus.core.unravel.checking.linear import Dependencies, combination, frames_needed
from zesty_abacus.core.unravel.checking.polynomials import common_divisor, divided, reflected, remainder
from zesty_abacus.core.unravel.checking.refuting import could_be_crc
from zesty_abacus.core.unravel.judge import judged
from zesty_abacus.core.unravel.keeping import kept
from zesty_abacus.core.unravel.known import Known
from zesty_abacus.core.unravel.questions.counters import counters
from zesty_abacus.core.unravel.seen import Seen
from zesty_abacus.core.words import grouped

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


@pytest.mark.parametrize(
    ("width", "polynomial", "start", "final", "reflects"),
    [
        (8, 0x07, 0x00, 0x00, False), (8, 0x1D, 0xFF, 0xFF, False), (8, 0x2F, 0xFF, 0xFF, False),
        (8, 0x31, 0x00, 0x00, True), (8, 0x9B, 0x00, 0x00, False), (16, 0x1021, 0xFFFF, 0x0000, False),
        (16, 0x8005, 0xFFFF, 0x0000, True), (32, 0x04C11DB7, 0xFFFFFFFF, 0xFFFFFFFF, True),
        (32, 0xF4ACFB13, 0xFFFFFFFF, 0xFFFFFFFF, True),
    ],
)  # fmt: skip
def test_start_and_final_value_are_those_that_go_with_the_polynomial(width, polynomial, start, final, reflects):
    """Of frames of one length many pairs of them give the same; the rows are as standards and papers have them."""
    matrix = moving(260, 5 + width // 8)
    for row in matrix:
        row[5:] = list(crc(bytes(row[:5]), width, polynomial, start, final, reflects).to_bytes(width // 8, "big"))
    said = the_check(matrix)
    assert said is not None and said.parameters["check"] == "crc"
    found = [said.parameters.get(name, 0) for name in ("polynomial", "start", "final")]
    assert found == [polynomial, start, final]


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


def around(total, width):
    """Bring the carry round, as RFC 1071 does."""
    while total >> width:
        total = (total & (1 << width) - 1) + (total >> width)
    return total


def words_of(own, order):
    """Return words of two bytes, the last filled up with zero."""
    data = bytes(own.astype(np.uint8))
    data += bytes(len(data) % 2)
    return sum(int.from_bytes(data[place : place + 2], order) for place in range(0, len(data), 2))


def test_the_oracles_are_those_of_the_standards():
    # the examples of RFC 1071, section 3, and of ISO 17987 for a classic checksum
    assert around(words_of(np.array([0, 1, 0xF2, 3, 0xF4, 0xF5, 0xF6, 0xF7]), "big"), 16) == 0xDDF2
    assert 255 - around(0x4A + 0x55 + 0x93 + 0xE5, 8) == 0xE6


_AROUND = {
    "a carry brought round": lambda own: around(int(own.sum()), 8),
    "and turned": lambda own: 255 - around(int(own.sum()), 8),
    "with a start": lambda own: around(int(own.sum()) + 0x7D, 8),
    "turned with a start": lambda own: 255 - around(int(own.sum()) + 0x7D, 8),
}


@pytest.mark.parametrize("rule", _AROUND.values(), ids=_AROUND)
@pytest.mark.parametrize("size", [3, 8])
def test_sums_whose_carry_is_brought_round_are_found(rule, size):
    matrix = moving(300, 9)[:, :size]
    matrix[5, : size - 1] = 0
    matrix[:, size - 1] = [rule(row[: size - 1].astype(int)) for row in matrix]
    said = the_check(matrix)
    assert said is not None and said.places == f"B{size - 1}" and said.parameters["carry"] == "around"
    assert said.against == 0 and agrees(matrix, said) == 300 and "its carry brought round" in said.reason


@pytest.mark.parametrize("order", ["big", "little"])
@pytest.mark.parametrize("held", ["big", "little"])
@pytest.mark.parametrize(("first", "size"), [(0, 8), (1, 9), (2, 8)])
@pytest.mark.parametrize("rule", [
    lambda total: total & 0xFFFF, lambda total: -total & 0xFFFF, lambda total: around(total, 16),
    lambda total: 0xFFFF - around(total, 16), lambda total: ~(total + 0x1234) & 0xFFFF,
], ids=["plain", "negated", "around", "around, turned", "turned, with a start"])  # fmt: skip
def test_sums_of_words_are_found(order, held, first, size, rule):
    matrix = moving(300, size, seed=5)
    for row in matrix:
        value = rule(words_of(row[first : size - 2], order))
        row[size - 2 :] = np.frombuffer(value.to_bytes(2, held), np.uint8)
    said = the_check(matrix)
    high_first, low_first = f"B{size - 2} B{size - 1}", f"B{size - 1} B{size - 2}"
    # with the carry brought round it is the same sum, all words and itself turned round (RFC 1071)
    either = {high_first, low_first} if said.parameters.get("carry") == "around" else set()
    assert said.places in either | {high_first if held == "big" else low_first}
    assert said.parameters["word_bytes"] == 2 and said.against == 0 and agrees(matrix, said) == 300


@pytest.mark.parametrize("held", ["big", "little"])
def test_a_sum_of_bytes_in_sixteen_bits_is_found_though_most_of_them_stand_still(held):
    matrix = moving(300, 8)
    for row in matrix:
        row[6:] = np.frombuffer(int(row[:6].sum()).to_bytes(2, held), np.uint8)
    said = the_check(matrix)
    assert said.places == ("B6 B7" if held == "big" else "B7 B6") and agrees(matrix, said) == 300
    assert said.parameters == {"check": "sum", "coverage": {"end": "6"}}


def test_the_checksum_within_a_header_is_found():
    """As RFC 791 has it: over all words of the header, its own as zero."""
    random, count = np.random.default_rng(7), np.arange(400)
    matrix = np.tile(
        np.frombuffer(bytes.fromhex("4500 0000 0000 4000 4011 0000 0A2A0001 0A2A0009"), np.uint8), (400, 1)
    )
    put(matrix, "B2 B3", 40 + random.integers(0, 900, 400))
    put(matrix, "B4 B5", count * 163)
    matrix[:, 15] = 1 + count % 7
    for row in matrix:
        row[10:12] = 0
        value = 0xFFFF - around(words_of(row, "big"), 16)
        row[10:12] = np.frombuffer(value.to_bytes(2, "big"), np.uint8)
    said = the_check(matrix)
    assert said is not None and said.places == "B10 B11" and agrees(matrix, said) == 400
    assert (said.parameters["carry"], said.parameters["negated"]) == ("around", "ones")


def test_frames_that_are_wrong_are_counted():
    matrix = moving(400, 8)
    matrix[:, 7] = np.bitwise_xor.reduce(matrix[:, :7], axis=1)
    matrix[[17, 230], 7] ^= 0x21
    said = the_check(matrix)
    assert (said.frames, said.against) == (398, 2) and said.reason.endswith("in 398 of 400 frames.")


@settings(max_examples=20)
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
    frames = random.integers(0, 256, (frames_needed(32) + 8, 5)).astype(np.uint8)
    for frame in frames:
        frame[4] = crc(frame[:4].tobytes(), 8, 0x1D, 0xC7, 0x11, False) if linear else frame[4]
    found = Dependencies(frames)
    assert found.decide(range(32, 40)) == linear
    assert found.decide(range(8)) == linear, "what a check is worked out from can be worked out from it"


def depends(frames, own):
    """Return whether nothing speaks against it that some bits are combinations of the others, frame by frame."""
    basis = {}
    for frame in frames[1:]:
        row = frame ^ frames[0]
        while rest := row & ~own:
            if rest.bit_length() not in basis:
                basis[rest.bit_length()] = row
                break
            row ^= basis[rest.bit_length()]
        else:
            if row:
                return False
    return True


@given(st.integers(0, 10_000), st.integers(2, 40), st.sets(st.integers(0, 23), min_size=1, max_size=10),
       st.integers(0, (1 << 24) - 1))  # fmt: skip
def test_what_depends_is_what_no_frame_speaks_against(seed, count, bits, left_out):
    """In few frames and many, with bits that stand still, that are others, or exclusive ors of others."""
    random = np.random.default_rng(seed)
    plain = random.integers(0, 2, (count, 24))
    for bit in random.integers(0, 24, 8):
        plain[:, bit] = plain[:, random.integers(0, 24, random.integers(0, 4))].sum(axis=1) % 2
    frames = np.packbits(plain, axis=1, bitorder="little")
    own = sum(1 << bit for bit in bits)
    left_out &= ~own
    wanted = depends([int.from_bytes(row.tobytes(), "little") & ~left_out for row in frames], own)
    assert Dependencies(frames, left_out).decide(bits) == wanted


def wide(size, frames, polynomial=0x1021, seed=0, noise=False):
    """Return frames of random bytes, of which the last two are a CRC unless they are noise as well."""
    random = np.random.default_rng(seed)
    matrix = random.integers(0, 256, (frames, size)).astype(np.uint8)
    for row in matrix if not noise else ():
        row[-2:] = list(crc(row[:-2].tobytes(), 16, polynomial, 0xFFFF, 0, False).to_bytes(2, "big"))
    return matrix


@pytest.mark.parametrize("frames", [30, 133, 700])
def test_checks_of_long_messages_are_found_however_many_frames_there_are(frames):
    found = the_check(wide(64, frames))
    assert places_of(found) == "B62 B63" and found.parameters["polynomial"] == 0x1021


@pytest.mark.parametrize("frames", [40, 133, 700])
def test_long_messages_of_noise_have_none(frames):
    assert the_check(wide(64, frames, noise=True)) is None


def test_of_many_bytes_fewer_are_left_out_of_a_sum():
    """All ways to leave some out are looked at, and of long messages they would be tens of thousands."""
    for count, most in ((4, 3), (29, 3), (30, 2), (90, 2), (91, 1)):
        outs = [{one for one in out if one < count} for out in _left_out(count).tolist()]
        wanted = [set(out) for n in range(most + 1) for out in itertools.combinations(range(count), n)]
        assert outs == wanted
    assert len(_left_out(0)) == len(_left_out_at_the_ends(0)) == 0 and _left_out(1).tolist() == [[1, 1, 1]]
    ends = [[one for one in out if one < 9] for out in _left_out_at_the_ends(9).tolist()]
    assert ends == [[], [8], [0], [7, 8], [0, 8], [0, 1], [6, 7, 8], [0, 7, 8], [0, 1, 8], [0, 1, 2]]


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


_BYTE = np.arange(120)
_REORDERED = {
    "twice the number": _BYTE * 2, "four times": _BYTE * 4, "half": _BYTE // 2, "rotated": _BYTE << 3 | _BYTE >> 5,
    "half bytes swapped": _BYTE << 4 | _BYTE >> 4, "turned round, twice": ~(_BYTE * 2),
    "mirrored": [int(f"{byte:08b}"[::-1], 2) for byte in _BYTE], "the upper half of it": _BYTE >> 4,
}  # fmt: skip


@pytest.mark.parametrize("other", _REORDERED.values(), ids=_REORDERED)
@pytest.mark.parametrize("between", [None, 0, 0xFF], ids=["beside it", "behind zeros", "behind ones"])
def test_bits_that_are_only_bits_of_another_number_are_no_check(other, between):
    """Each is linear in the rest, and some polynomial gives it: nobody worked it out all the same."""
    columns = [_BYTE, *([] if between is None else [np.full(120, between)]), np.array(other) & 0xFF]
    matrix = np.stack(columns, axis=1).astype(np.uint8)
    assert the_check(matrix) is None
    assert the_check(np.pad(matrix, ((0, 0), (0, 3)), constant_values=0xFF)) is None


@pytest.mark.parametrize("polynomial", [0x07, 0x1D, 0x2F, 0x31, 0x9B])
@pytest.mark.parametrize("wrap", [4, 15, 16])
def test_a_crc_over_little_more_than_a_counter_is_one_all_the_same(polynomial, wrap):
    matrix = np.zeros((240, 4), np.uint8)
    matrix[:, 1] = np.arange(240) % wrap | (np.arange(240) // 60) << 6
    matrix[:, 3] = [crc(row[:3].tolist(), 8, polynomial, 0xFF, 0xFF, False) for row in matrix]
    said = the_check(matrix)
    assert said is not None and said.places == "B3" and said.against == 0 and agrees(matrix, said) == 240


@pytest.mark.parametrize(("frames", "told"), [
    (20, " and begins again after 16 values."),
    (16, "; they end before it begins again, at the latest after 16 values."),
])  # fmt: skip
def test_where_a_counter_begins_again_is_only_said_where_it_was_seen(frames, told):
    matrix = np.zeros((frames, 1), np.uint8)
    matrix[:, 0] = np.arange(frames) % 16
    (said,) = asked(counters, matrix)
    assert said.reason == f"It goes up by 1 from frame to frame in all {frames - 1} pairs{told}"
    assert said.parameters == {"step": 1, "wraps_at": 16}


@pytest.mark.parametrize(("step", "wrap", "places"), [
    (37, 3600, "B1[3..0] B0"), (-37, 3600, "B1[3..0] B0"), (25, 1000, "B1[1..0] B0"), (3, 24, "B0[4..0]"),
    (3, 3600, "B1[3..0] B0"), (7, 3595, "B1[3..0] B0"),
])  # fmt: skip
def test_a_counter_begins_again_where_it_falls_back_to(step, wrap, places):
    """As an angle in tenths of a degree at an even speed does, or the milliseconds of a minute."""
    count = 3000
    values = np.arange(count, dtype=np.int64) * step % wrap
    (found,) = asked(counters, put(np.zeros((count, 2), np.uint8), "B1 B0", values))
    assert (places_of(found), found.parameters) == (places, {"step": step, "wraps_at": wrap})
    assert (found.frames, found.against) == (count - 1, 0)
    assert f" begins again after {grouped(wrap // int(np.gcd(step, wrap)))} values." in found.reason


@pytest.mark.parametrize("last", [170, 255])
def test_where_a_counter_was_reset_once_it_does_not_begin_again(last):
    values = np.concatenate([np.arange(5, 256), np.arange(0, last + 1), np.arange(3, 120)])
    (found,) = asked(counters, values[:, None].astype(np.uint8))
    assert found.parameters == {"step": 1, "wraps_at": 256} and found.against == 1


def test_what_was_only_reset_is_not_said_to_begin_again():
    values = np.concatenate([np.arange(5, 171), np.arange(3, 120)])
    (found,) = asked(counters, values[:, None].astype(np.uint8))
    # the lower bits do begin again
    assert (places_of(found), found.parameters) == ("B0[6..0]", {"step": 1, "wraps_at": 128})


@pytest.mark.parametrize(("values", "there"), [((1, 4), False), ((1, 4, 7), False), ((1, 4, 7, 10), True)])
def test_what_goes_round_between_few_values_does_not_count(values, there):
    column = np.tile(np.array(values, np.uint8), 60) << 1
    assert bool(asked(counters, column[:, None])) == there
