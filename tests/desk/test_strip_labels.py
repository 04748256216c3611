"""Where words stand at flags on one line."""

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.desk.around.strip.labels import label_places


def test_words_stand_after_their_flag_where_they_fit():
    one, two = label_places([100, 200], [80, 50], 0, 300)
    assert (one.left, one.right, one.is_before) == (111, 191, False)
    assert (two.left, two.right, two.is_before) == (211, 261, False)


def test_words_that_the_next_flag_would_cut_stand_before_theirs():
    one, two = label_places([200, 270], [90, 60], 0, 400)
    assert (one.left, one.right, one.is_before) == (106, 196, True)
    assert (two.left, two.right, two.is_before) == (281, 341, False)


def test_at_the_end_of_the_line_they_stand_before():
    (only,) = label_places([380], [90], 0, 400)
    assert (only.left, only.right, only.is_before) == (286, 376, True)


def test_without_room_on_either_side_they_are_shortened_after_it():
    (one, _two) = label_places([30, 80], [90, 20], 0, 400)
    assert (one.left, one.right, one.is_before) == (41, 76, False)


def test_words_before_a_flag_keep_clear_of_those_of_the_one_before():
    # from 71 on is free; 16 more, the words and 4 make 187 the first place for the flag of words that are 96 wide
    places = [label_places([0, flag, flag + 30], [53, 96, 5], 0, 900)[1] for flag in (186, 187)]
    assert [place.is_before for place in places] == [False, True]


def test_without_any_room_there_are_no_words():
    one, two, three = label_places([30, 40, 50], [90, 90, 90], 0, 400)
    assert one is None and two is None and three.left == 61


@given(
    st.lists(st.floats(0, 1000), min_size=1, max_size=12).map(sorted),
    st.lists(st.floats(1, 300), min_size=12, max_size=12),
)
def test_words_never_meet_one_another_nor_a_flag(flags, widths):
    places = label_places(flags, widths[: len(flags)], 0, 1000)
    there = sorted((place.left, place.right) for place in places if place is not None)
    for (_, end), (begin, _) in pairwise(there):
        assert end <= begin
    for begin, end in there:
        assert begin >= 0 and end <= 1000
        assert not any(begin < flag < end for flag in flags)


def test_at_the_begin_of_the_line_nothing_is_to_be_kept_clear_of():
    (one, _two) = label_places([100, 150], [96, 20], 0, 400)
    assert (one.left, one.right, one.is_before) == (0, 96, True)
    (one, _two) = label_places([100, 150], [97, 20], 0, 400)
    assert not one.is_before
