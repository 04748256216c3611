"""Decimal digits, Gray code, lines of text and items: each limit at, below and above."""

import numpy as np
import pytest

from tests.unravel.made import asked, places_of, put
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.unravel.questions.digits import decimals, grays
from zesty_abacus.core.unravel.questions.telegrams import telegrams
from zesty_abacus.core.unravel.questions.varying import varying

# decimal digits


def of_digits(numbers, size=2, low_first=False):
    """Return numbers as two decimal digits a byte."""
    made = [[number // 100 ** (size - 1 - place) % 100 for place in range(size)] for number in numbers]
    codes = np.array([[one // 10 << 4 | one % 10 for one in row] for row in made], np.uint8)
    return codes[:, ::-1] if low_first else codes


@pytest.mark.parametrize(("low_first", "places"), [(False, "B0 B1"), (True, "B1 B0")])
def test_decimal_digits_go_back_where_a_higher_one_goes_on(low_first, places):
    numbers = np.arange(150, 1350, 7)
    (found,) = asked(decimals, of_digits(numbers, low_first=low_first))
    assert (places_of(found), found.parameters, found.confidence) == (places, {"reading": "bcd"}, 0.95)
    assert found.reason == (
        "No digit is above nine in 172 frames, and the 12 times that higher digits go on the lower ones go back, "
        "so that the whole goes a small step; it runs from 150 to 1\u2009347."
    )


@pytest.mark.parametrize(
    ("numbers", "there"),
    [
        # the lowest digit takes eight values, and a higher one goes on three times
        ([n // 8 * 10 + n % 8 for n in range(40)], True), ([n // 7 * 10 + n % 7 for n in range(40)], False),
        (range(33), True), (range(29), False), (range(500, 520), False), (range(0, 20 * 7, 7), True),
        (range(0, 19 * 7, 7), False),
    ],
)  # fmt: skip
def test_how_much_says_that_digits_are_decimal(numbers, there):
    assert bool(asked(decimals, of_digits(list(numbers), 1))) == there


def test_one_digit_above_nine_is_none():
    matrix = of_digits(range(60), 1)
    assert len(asked(decimals, matrix)) == 1
    for strange in (0x0A, 0xA0):
        spoilt = matrix.copy()
        spoilt[30] = strange
        assert asked(decimals, spoilt) == []


def test_digits_that_have_nothing_to_do_with_one_another_are_no_number():
    random = np.random.default_rng(3)
    assert asked(decimals, of_digits(random.integers(0, 10, 200) * 10 + random.integers(0, 10, 200), 1)) == []


# Gray code


def gray(numbers, places="B0", size=2):
    numbers = np.asarray(numbers)
    return put(np.zeros((len(numbers), size), np.uint8), places, numbers ^ numbers >> 1)


def up_and_down(most, count=300):
    """Return numbers that go up by one to an end and down again."""
    return np.resize([*range(most), *range(most, 0, -1)], count)


def test_a_number_of_which_one_bit_turns_at_every_step():
    (found,) = asked(grays, gray(up_and_down(255, 600)))
    assert (places_of(found), found.parameters, found.confidence) == ("B0", {"reading": "gray"}, 0.93)
    assert found.reason == "In all 599 changes one bit turns and the number goes by one; it runs from 0 to 255."


@pytest.mark.parametrize("places", ["B0[3..0]", "B1[6..1]", "B0[1..0] B1", "B0[3..0] B1"])
def test_gray_code_of_every_width_and_place(places):
    width = sum(8 if "[" not in part else int(part[3]) - int(part[6]) + 1 for part in places.split())
    (found,) = asked(grays, gray(up_and_down((1 << width) - 1, max(3 << width, 200)), places))
    assert places_of(found) == places


@pytest.mark.parametrize(
    ("numbers", "there"),
    [
        # more than half of the values of its bits are needed: of fewer a narrower number would do
        (up_and_down(32), True), (up_and_down(31), False),
        # the lowest bit turns at every second step, and 24 of the others are enough
        (range(49), True), (range(48), False),
        (np.where(np.arange(300) == 150, 0, up_and_down(63)), True), (up_and_down(63) * 2 % 64, False),
    ],
)  # fmt: skip
def test_how_much_says_that_it_is_gray_code(numbers, there):
    found = asked(grays, gray(numbers, "B0[5..0]"))
    assert any(places_of(one) == "B0[5..0]" for one in found) == there


# lines of text


def frames_of(lines):
    sizes = np.array([len(line) for line in lines], np.uint32)
    matrix = np.zeros((len(lines), max(int(sizes.max()), 8)), np.uint8)
    for row, line in enumerate(lines):
        matrix[row, : len(line)] = np.frombuffer(line, np.uint8)
    return KindFrames(np.arange(len(lines), dtype=np.uint32), np.arange(len(lines)), sizes, matrix)


def with_check(text, fold="xor", mark="*", begins=1):
    value = 0
    for code in text.encode()[begins:]:
        value = value ^ code if fold == "xor" else value + code
    return f"{text}{mark}{value & 255:02X}\r\n".encode()


def test_the_columns_of_a_sentence():
    lines = [with_check(f"$YZROT,{n / 2 - 3:.1f},{'AV'[n % 7 == 0]},{n % 3}") for n in range(40)]
    *columns, check = telegrams(frames_of(lines))
    assert [(one.parameters["reading"], one.reason, one.confidence) for one in columns] == [
        ("text", "Column 1, between “,”, is always “$YZROT” in 40 lines.", 0.95),
        ("signed", "Column 2, between “,”, is a number from -3 to 16.5 in 40 lines.", 0.95),
        ("names", "Column 3, between “,”, is one of “A”, “V” in 40 lines.", 0.95),
        ("unsigned", "Column 4, between “,”, is a number from 0 to 2 in 40 lines.", 0.95),
    ]
    assert [one.parameters["column"] for one in columns] == [0, 1, 2, 3]
    assert check.reason == (
        "The two hex digits behind “*” are the exclusive or of all characters before it but its first one, "
        "in all 40 lines."
    )
    assert check.parameters == {"check": "xor", "text_base": 16, "behind": "*",
                                "coverage": {"end": "size - 5", "first": "1"}}  # fmt: skip


@pytest.mark.parametrize(
    ("fold", "begins", "what"),
    [
        ("sum", 0, "sum of all characters before it, in"),
        ("sum", 1, "sum of all characters before it but its first one, in"),
        ("xor", 0, "exclusive or of all characters before it, in"),
    ],
)
def test_checks_of_lines(fold, begins, what):
    lines = [with_check(f"T {n} {n * n % 17}", fold, ";", begins) for n in range(1, 41)]
    check = telegrams(frames_of(lines))[-1]
    assert what in check.reason and check.parameters["coverage"] == {"end": "size - 5"} | (
        {"first": "1"} if begins else {}
    )  # fmt: skip


def test_one_of_twenty_checks_may_be_wrong():
    lines = [with_check(f"T,{n}") for n in range(100, 140)]
    spoilt = [line if n > 1 else line[:-4] + b"00\r\n" for n, line in enumerate(lines)]
    check = telegrams(frames_of(spoilt))[-1]
    assert (check.frames, check.against) == (38, 2) and check.confidence == pytest.approx(0.98 * 0.95)
    more = [line if n > 2 else line[:-4] + b"00\r\n" for n, line in enumerate(lines)]
    assert all(one.kind == "text" for one in telegrams(frames_of(more)))


@pytest.mark.parametrize("separator", list(",;\t|/: "))
def test_whatever_stands_between_columns(separator):
    lines = [separator.join(("pump", str(n), str(n * 7 % 50))).encode() for n in range(40)]
    found = telegrams(frames_of(lines))
    quoted = {" ": "blanks", "\t": "tabs"}.get(separator, f"“{separator}”")
    assert len(found) == 3 and f"between {quoted}, " in found[1].reason


@pytest.mark.parametrize(
    ("lines", "columns"),
    [
        # four of five lines have as many columns; the others speak against them
        ([b"pump,10,2"] * 32 + [b"pump,1"] * 8, 3), ([b"pump,10,2"] * 31 + [b"pump,1"] * 9, 0),
        ([b"pump 12345"] * 4, 2), ([b"pump 12345"] * 3, 0), ([b"pump 123"] * 4, 0), ([b"pump 1234"] * 4, 2),
        ([b"pump 12345"] * 98 + [b"\x01ump 12345"] * 2, 2), ([b"pump 12345"] * 97 + [b"\x01ump 12345"] * 3, 0),
    ],
)  # fmt: skip
def test_what_are_lines_with_columns(lines, columns):
    found = telegrams(frames_of(lines))
    assert len(found) == columns
    if columns == 3:
        assert (found[0].frames, found[0].against) == (32, 8) and found[0].confidence == pytest.approx(0.95 * 0.8)


@pytest.mark.parametrize(
    ("cells", "reading"),
    [
        (["a", "a"], "text"), ([str(n) for n in range(40)], "unsigned"), (["+1", "2"] * 20, "signed"),
        (["-.5", "1."] * 20, "signed"), (["", "3"] * 20, "unsigned"), (["1e5", "2"] * 20, "names"),
        # names are at most a quarter of the lines, and sixteen
        ([f"n{n % 10}" for n in range(40)], "names"), ([f"n{n % 11}" for n in range(40)], "text"),
        ([f"n{n % 16}" for n in range(80)], "names"), ([f"n{n % 17}" for n in range(80)], "text"),
    ],
)  # fmt: skip
def test_what_a_column_is(cells, reading):
    lines = [f"column,{cell},end".encode() for cell in cells * (1 if len(cells) > 2 else 4)]
    assert telegrams(frames_of(lines))[1].parameters["reading"] == reading


# items


def items(counts, head=2, step=3, tail=0, unit=1):
    """Return payloads that say how many items they hold, each a slow number and a state."""
    rows = []
    for number, count in enumerate(counts):
        body = b"".join(
            bytes([*(1000 + 5 * number + 40 * place).to_bytes(2, "big"), place % 2]) for place in range(count)
        )
        rows.append(bytes([count * unit, *[7] * (head - 1)]) + body[: count * step] + bytes(tail))
    return frames_of(rows)


def test_items_of_one_shape_are_counted():
    counts = np.resize([1, 2, 3, 4, 2], 200)
    found = varying(items(counts))
    count = next(one for one in found.said if one.kind == "count")
    assert found.head == 2 and places_of(count) == "B0"
    items_of = {"places": "B2..B4", "step_bits": 24}
    assert count.parameters == {"of": items_of, "unit": 1, "offset": 0, "inverted": False}
    assert count.reason.startswith(
        "It says how many items of 3 bytes there are beside 2 bytes of others: as many bytes are"
    )
    fields = [one for one in found.said if "array" in one.parameters]
    assert all(one.parameters["array"] == {"step_bits": 24, "count": None, "high_end_first": False} for one in fields)
    assert all(one.reason.startswith("In each item of 3 bytes: ") and one.confidence <= 0.95 for one in fields)
    number = next(one for one in fields if places_of(one).startswith("B2"))
    # of the two items that most payloads hold, the number of each is taken
    assert set(number.takes) == {bit + 24 * n for n in range(2) for bit in number.bits}


def test_four_numbers_of_items_are_needed():
    assert varying(items(np.resize([1, 2, 3, 4], 200))).head == 2
    assert varying(items(np.resize([1, 2, 3], 200))).head is None
