"""Rows of painted lists: whole ones at every height, and the mouse finds the one that it is on."""

import pytest

from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.row_list import RowList

HEAD, FOOT, ROW = 22, 40, 23


class Hundred(RowList):
    def __init__(self):
        super().__init__("A hundred", ROW, HEAD, FOOT)

    def count(self):
        return 100

    def go(self, step):
        raise AssertionError


@pytest.fixture
def listed(no_faults):
    make_application()
    made = Hundred()
    made.show()
    yield made
    made.close()


@pytest.mark.parametrize("height", [86, 105, 106, 110, 177, 200, 321, 555, 800])
def test_no_row_is_cut_and_none_lies_below_the_last(listed, height):
    listed.resize(300, height)
    listed.set_first(7)
    rows = listed.rows_in_view()
    room = height - HEAD - FOOT
    # a row may be a twentieth lower than usual: 43 pixels have one row of 23, 44 have two
    assert [row for row, _ in rows] == list(range(7, 7 + int(room / 21.85)))
    tops = [top for _, top in rows]
    assert tops[0] == HEAD and all(top == int(top) for top in tops)
    # rows share what a list of whole ones has left, so each is as high as the next but for a pixel
    steps = [below - above for above, below in zip(tops, [*tops[1:], HEAD + room], strict=True)]
    assert min(steps) >= 21 and max(steps) - min(steps) <= 1
    for row, top in rows:
        assert [listed.row_under(top + dy) for dy in (1, 11, 20)] == [row] * 3


def test_a_list_without_room_for_a_row_shows_one(listed):
    listed.resize(300, HEAD + FOOT + 4)
    listed.set_first(0)
    assert listed.rows_in_view() == [(0, float(HEAD))] and listed.row_height == pytest.approx(21.85)
