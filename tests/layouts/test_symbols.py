"""Code tables: read, written, filled up; the shortest code against entropy; what published codes give."""

import math
from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.symbols import (
    NO_SYMBOL,
    PACKED,
    Symbol,
    SymbolCode,
    parse_symbols,
    shortest_code,
    symbol_problems,
    symbols_text,
)

ABC = parse_symbols("0 a, 10 b, 110 c, 111 end")


@given(st.text("abcdef äß,\\\0end", max_size=60), st.integers(0, 20))
def test_what_the_shortest_code_writes_is_read_again_whatever_room_is_left(text, more):
    symbols = shortest_code(text)
    code = SymbolCode(symbols)
    least = len("".join(one.bits for character in text for one in symbols if one.text == character))
    assert not list(symbol_problems(symbols))
    assert code.read(code.write(text, least + more)) == text
    assert len(code.write(text)) % 8 == 0 and code.read(code.write(text)) == text


@given(st.text("abcdefgh", min_size=1, max_size=200))
def test_the_shortest_code_is_within_a_bit_of_what_the_text_tells(text):
    """The mean length L of a Huffman code lies between the entropy H and H + 1 (Shannon 1948, Huffman 1952)."""
    counts = Counter(text) + Counter({"": 1})
    total = sum(counts.values())
    entropy = -sum(count / total * math.log2(count / total) for count in counts.values())
    lengths = {one.text: len(one.bits) for one in shortest_code(text)}
    mean = sum(counts[one] * length for one, length in lengths.items()) / total
    assert entropy - 1e-9 <= mean < entropy + 1
    assert sum(2.0**-length for length in lengths.values()) == pytest.approx(1), "no bits are left unused (Kraft)"


def test_the_shortest_code_of_a_text_counted_by_hand():
    # a 5, b 2, c 1, d 1, end 1: the rarest pair up, 1+1 and 1+2, then 2+3, then 5+5
    lengths = {one.text: len(one.bits) for one in shortest_code("aaaaabbcd")}
    assert sum(lengths[one] * count for one, count in {"a": 5, "b": 2, "c": 1, "d": 1, "": 1}.items()) == 20
    assert lengths["a"] == 1


@pytest.mark.parametrize(("bits", "text"), [
    ("010110", "abc"), ("0101", "ab"), ("01011100", "ab"), ("", ""), ("111", ""), ("1", ""),
])  # fmt: skip
def test_bits_are_read_to_the_end_symbol_and_a_cut_symbol_is_filling(bits, text):
    assert SymbolCode(ABC).read(bits) == text


def test_bits_of_no_symbol_are_shown_and_end_it():
    assert SymbolCode(parse_symbols("00 a, 01 b, 10 c")).read("0001110010") == f"ab{NO_SYMBOL}"


def test_room_is_filled_with_the_beginning_of_a_longer_symbol_or_with_padding():
    plain = SymbolCode(parse_symbols("0 a, 10 b, 11 c"))
    assert plain.write("b", 3) == "101" and plain.read("101") == "b"
    with pytest.raises(MisuseError, match="2 bits are left"):
        plain.write("b", 4)
    assert plain.write("b", 4, "a") == "1000"
    with pytest.raises(MisuseError, match="4 bits do not fit: it holds 3"):
        plain.write("bb", 3)
    with pytest.raises(MisuseError, match="no symbol for 'd'"):
        plain.write("ad")


def test_a_symbol_may_stand_for_several_characters():
    code = SymbolCode(parse_symbols("0 t, 10 the, 110 h, 1110 e"))
    assert code.read(code.write("thet", 6)) == "thet"
    assert code.write("thet", 6).startswith("100"), "the longest that fits"


@pytest.mark.parametrize(("table", "sentence"), [
    ("0 a, 01 b", "The symbol 0 begins 01"), ("0 a, 0 b", "The symbol 0 stands twice"),
    ("0 a, 10 a", "'a' has 2 symbols"), ("0 end, 10 end", "The end has 2 symbols"),
])  # fmt: skip
def test_tables_that_nobody_can_read_by_are_told(table, sentence):
    assert sentence in next(symbol_problems(parse_symbols(table)))


def test_bits_have_to_be_bits():
    assert "no bits of a symbol" in next(symbol_problems([Symbol("", "a")]))
    assert "no bits of a symbol" in next(symbol_problems([Symbol("0" * 65, "a")]))
    assert not list(symbol_problems([Symbol("0" * 64, "a")]))
    for wrong in ("0", "02 a", "a 0"):
        with pytest.raises(MisuseError, match="no bits and their text"):
            parse_symbols(wrong)


@given(st.lists(st.text(min_size=1, max_size=4), unique=True, max_size=12))
def test_a_table_is_read_as_it_is_written(texts):
    texts = [one for one in texts if max(map(ord, one), default=0) < 256]
    symbols = (*(Symbol(f"{number:04b}", text) for number, text in enumerate(texts)), Symbol("1111", ""))
    assert parse_symbols(symbols_text(symbols)) == symbols


def test_packed_characters_are_those_of_their_standards():
    """ITU-R M.1371: 0 to 31 are @ to _, 32 to 63 the characters from the blank on; ISO/IEC 646 by seven bits."""
    six, seven = SymbolCode(PACKED["six-bit"]), SymbolCode(PACKED["seven-bit"])
    assert six.read("000001000010100000110001") == "AB 1"
    assert six.write("@", 6) == "000000" and six.write("_", 6) == "011111" and six.write("?", 6) == "111111"
    assert seven.read("10010001101001") == "Hi"
    assert seven.write("Hi", 16, "\0") == "1001000110100100"


@pytest.mark.parametrize(
    ("encoding", "width", "there", "not_there"),
    [("six-bit", 6, "@Z[_ !?09", "a`~\x80"), ("seven-bit", 7, "\0az~\x7f", "\x80é€")],
    ids=["six bits", "seven bits"],
)
def test_packed_characters_are_no_others(encoding, width, there, not_there):
    code = SymbolCode(PACKED[encoding])
    assert all(len(code.write(character, width)) == width for character in there)
    for character in not_there:
        with pytest.raises(MisuseError, match="there is no symbol for"):
            code.write(character)
