"""The list of what was sent and heard: columns as wide as their words, and never so wide that nothing is said."""

from __future__ import annotations

from itertools import pairwise

import pytest

from zesty_abacus.desk.app.hearing import LogRow
from zesty_abacus.desk.desks.rehearse.log import Log
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.paint import advance
from zesty_abacus.desk.widgets.theme import SMALL_PX, text_font


@pytest.fixture
def log():
    make_application()
    made = Log()
    made.resize(730, 140)
    yield made
    made.deleteLater()


def row(message, lane="thruster", where="0x1A8"):
    return LogRow(
        1_778_572_815_000_000_000, lane, where, message, "angle set 0.00 deg, thrust set −13.5 %", False, "00"
    )


def columns_after(log, *rows):
    """Return the columns of the list once rows were painted."""
    log.add(list(rows))
    log.grab()
    return log._columns([], log.viewport().width())


def test_a_name_is_whole_where_there_is_room_and_what_is_said_has_the_rest(log):
    short = columns_after(log, row("Motion"))
    name = "Azimuth command starboard"
    long = columns_after(log, row(name))
    assert long[4][1] >= advance(name, text_font(SMALL_PX)) > short[4][1]
    assert long[5][1] == pytest.approx(short[5][1] - (long[4][1] - short[4][1]))
    # those after it stand where it stood
    assert columns_after(log, row("Motion")) == long
    assert all(x + room <= after for (x, room), (after, _) in pairwise(long))
    assert sum(long[5]) == pytest.approx(log.viewport().width() - 14)


@pytest.mark.parametrize("width", [430, 730, 1500])
def test_names_of_eighty_letters_leave_room_for_what_is_said(log, width):
    log.resize(width, 140)
    columns = columns_after(log, row("message " * 10, "lane " * 16, "address " * 10))
    free = log.viewport().width() - columns[2][0]
    assert columns[5][1] > 0.25 * (free - 14 - 3 * 12)
    assert sum(columns[5]) == pytest.approx(log.viewport().width() - 14)
