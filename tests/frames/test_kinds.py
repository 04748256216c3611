from collections import defaultdict

import numpy as np
import pytest
from hypothesis import given

from tests.strategies import frame_tables
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.frames.kinds import index_kinds
from zesty_abacus.core.frames.table import FrameTable

LANES = (Lane("a"), Lane("b"))


@given(frame_tables())
def test_grouping_agrees_with_a_dictionary(table):
    wanted = defaultdict(list)
    for row in range(len(table)):
        key = KindKey(int(table.lane[row]), int(table.address[row]), int(table.flags[row]) & F.TELLS_KINDS_APART)
        wanted[key].append(row)
    index = index_kinds(table)
    assert list(index.keys) == sorted(wanted)
    for number, key in enumerate(index.keys):
        assert list(index.rows(number)) == wanted[key]
        assert index.keys.index(key) == number and index.count(number) == len(wanted[key])


def test_more_kinds_than_the_first_hash_table_holds():
    n = 20_000
    zeros = np.zeros(n, np.int64)
    address = np.arange(n) * 4096
    table = FrameTable(zeros, zeros.astype(np.uint16), address, zeros.astype(np.uint32), zeros, zeros.astype(np.uint32),
                       np.empty(0, np.uint8))  # fmt: skip
    assert [key.address for key in index_kinds(table).keys] == list(address)


@given(frame_tables())
def test_a_kind_matrix_holds_the_payloads_padded_with_zeros(table):
    capture = Capture.from_table(table, LANES)
    for kind in range(len(capture.kinds.keys)):
        frames = capture.kind_frames(kind)
        assert frames.matrix.shape[1] % 8 == 0 and frames.matrix.shape[1] >= capture.kind_size(kind)
        for number, row in enumerate(frames.rows):
            payload = capture.frames.at(int(row)).payload
            assert frames.matrix[number].tobytes() == payload.ljust(frames.matrix.shape[1], b"\0")
            assert frames.sizes[number] == len(payload)


def test_what_asks_for_data_carries_none():
    assert not KindKey(0, 1, F.REMOTE).is_data


def test_flags_in_words():
    assert F.direction_word(F.SENT | F.EXTENDED) == "sent" and F.direction_word(0) == ""
    assert F.flag_words(F.RECEIVED | F.LONG | F.RATE_SWITCH) == "long rate_switch"


WRONG_WORDS = {
    F.ERROR: "error", F.CUT_SHORT: "cut short", F.REFUSED: "not acknowledged", F.BAD_CHECK: "bad check",
    F.FRAMING: "framing", F.PARITY: "parity", F.UNANSWERED: "unanswered", F.LATE: "late", F.EXCEPTION: "exception",
    F.PAST_END: "past the end", F.UNSURE_LEVEL: "unsure level", F.LOST_BEFORE: "lost before",
}  # fmt: skip


@pytest.mark.parametrize("bit", [1 << place for place in range(24)])
def test_what_went_wrong_is_said_of_just_those_flags_that_say_so(bit):
    assert F.wrong_words(bit) == WRONG_WORDS.get(bit, "")
    assert F.wrong_words(bit | F.SENT | F.LONG) == WRONG_WORDS.get(bit, "")


def test_several_things_that_went_wrong_are_listed():
    assert F.wrong_words(F.PARITY | F.EXTENDED | F.CUT_SHORT) == "cut short, parity" and F.wrong_words(0) == ""
