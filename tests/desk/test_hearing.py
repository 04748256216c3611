"""What comes live, as it is listed."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.desk.app.hearing import Hearing, newest_of_each

LANES = (Lane("a"),)


def heard(hearing, frames):
    batch = Batch()
    for time_ns, address, flags in frames:
        batch.add(time_ns, b"\x01", address, flags, 0)
    return hearing.take(batch.table(), LANES, [])


@given(kinds=st.lists(st.integers(0, 5), max_size=40), most=st.integers(0, 40))
def test_the_newest_of_each_kind_is_listed_before_others(kinds, most):
    rows = newest_of_each(np.array(kinds, np.int32), most).tolist()
    assert rows == sorted(set(rows)) and len(rows) == min(most, len(kinds))
    newest = {kind: row for row, kind in enumerate(kinds)}
    if most >= len(newest):
        assert set(newest.values()) <= set(rows)
    else:
        assert set(rows) <= set(newest.values())


def test_who_sends_besides_is_remembered_and_not_what_we_send_ourselves():
    hearing = Hearing(list)
    heard(hearing, [(1, 0x10, F.RECEIVED), (2, 0x20, F.SENT)])
    heard(hearing, [(3, 0x10, F.RECEIVED), (4, 0x30, F.RECEIVED)])
    assert set(hearing.others_on("a")) == {(0x10, False), (0x30, False)}


def test_while_nobody_looks_little_is_put_into_words_and_everything_is_counted():
    hearing = Hearing(list)
    hearing.know([type("Bus", (), {"lanes": LANES, "address": "bench:yuzu"})])
    assert len(heard(hearing, [(number, 0x10, 0) for number in range(100)])) == 24
    hearing.is_watched = False
    assert len(heard(hearing, [(10**9 + number, 0x10, 0) for number in range(100)])) == 1
    assert len(heard(hearing, [(10**9 + 10**8 + number, 0x10, 0) for number in range(100)])) == 0
    assert len(heard(hearing, [(10**9 + 2 * 10**8, 0x10, F.SENT)])) == 1, "what is sent is always told"
    assert hearing.lanes["a"].heard == 300 and hearing.lanes["a"].sent == 1
