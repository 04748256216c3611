"""Bits in front that say how long a payload is: which of them are taken, each limit at, below and above."""

import numpy as np
import pytest

from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.layouts.places import Places, format_places
from zesty_abacus.core.unravel.sized import _selector, typed


def frames_of(types, lengths, place=0, seed=2):
    """Return payloads of noise whose byte says a type, and whose length follows from it."""
    types = np.asarray(types)
    sizes = np.array([lengths[one] for one in types.tolist()], np.uint32)
    matrix = np.random.default_rng(seed).integers(0, 256, (len(types), 24), np.uint8)
    matrix[:, place] = types
    matrix[np.arange(24) >= sizes[:, None]] = 0
    return KindFrames(np.arange(len(types), dtype=np.uint32), np.arange(len(types)), sizes, matrix)


def found_in(frames, free=None):
    most = int(frames.sizes.min()) * 8
    one = typed(frames, np.ones(most, np.bool_) if free is None else free)
    return None if one is None else (format_places(Places(one.bits)), one.sizes, one.agrees)


LENGTHS = {0x11: 6, 0x22: 9, 0x33: 14}


def test_the_byte_that_says_the_length_is_found():
    frames = frames_of(np.resize(list(LENGTHS), 60), LENGTHS)
    assert found_in(frames) == ("B0", LENGTHS, 60)
    # where the whole byte belongs to something else, half of it says as much
    free = np.ones(48, np.bool_)
    free[7] = False
    assert found_in(frames, free) == ("B0[3..0]", {1: 6, 2: 9, 3: 14}, 60)
    assert found_in(frames, np.zeros(48, np.bool_)) is None


def test_a_type_may_stand_in_the_first_eight_bytes():
    lengths = {1: 12, 2: 16, 3: 20}
    assert found_in(frames_of(np.resize([1, 2, 3], 90), lengths, place=7))[0] == "B7"
    assert found_in(frames_of(np.resize([1, 2, 3], 90), lengths, place=8)) is None


@pytest.mark.parametrize(("count", "there"), [(24, True), (23, False)])
def test_so_many_frames_are_needed(count, there):
    assert (found_in(frames_of(np.resize(list(LENGTHS), count), LENGTHS)) is not None) == there


def test_a_value_comes_four_times_and_two_of_them_differ_in_length():
    rare = [0x11] * 300 + [0x22] * 4
    assert found_in(frames_of(rare, LENGTHS)) == ("B0", {0x11: 6, 0x22: 9}, 304)
    assert found_in(frames_of(rare[:-1], LENGTHS)) is None
    assert found_in(frames_of(np.resize([0x11, 0x22], 60), {0x11: 9, 0x22: 9})) is None, "all are of one length"


def test_one_of_a_hundred_lengths_may_be_cut_short():
    frames = frames_of(np.resize(list(LENGTHS), 300), LENGTHS)
    for cut, there in ((3, True), (4, False)):
        sizes = frames.sizes.copy()
        sizes[np.arange(cut) * 3] = 5
        cut_short = KindFrames(frames.rows, frames.time_ns, sizes, frames.matrix)
        found = found_in(cut_short)
        assert (found is not None) == there and (found is None or found[2] == 300 - cut)


def test_what_the_selector_says():
    lengths = {1: 6, 2: 9, 3: 14, 4: 15, 5: 16}
    said = _selector(typed(frames_of(np.resize(list(lengths), 60), lengths), np.ones(48, np.bool_)))
    assert said.reason == (
        "Each of its 5 values has one length in all 60 frames: 1 has 6 bytes, 2 has 9 bytes, 3 has 14 bytes, "
        "4 has 15 bytes, …."
    )
    assert (said.parameters, said.confidence) == ({"values": [1, 2, 3, 4, 5]}, 0.95)
    few = _selector(typed(frames_of(np.resize([1, 2], 60), lengths), np.ones(48, np.bool_)))
    assert few.reason.endswith("1 has 6 bytes, 2 has 9 bytes.")
