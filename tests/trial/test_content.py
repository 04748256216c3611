"""What a trial says, changed thing by thing: nothing else moves, the same thing twice is there once."""

from uuid import UUID

import msgspec
import pytest

from zesty_abacus.core.problems.problem import ProblemKey
from zesty_abacus.core.trial.content import (
    HandReading,
    LaidOver,
    LaneEntry,
    Moment,
    SourceEntry,
    TrialFile,
    lane_moves,
)  # fmt: skip

ONE, OTHER = UUID(int=1), UUID(int=2)
GAP = ProblemKey("gap", "bus", 0x100, 0, "")
LOAD = ProblemKey("load", "bus", None, None)


@pytest.fixture
def said():
    sources = (SourceEntry(path="a.log"), SourceEntry(path="b.log"))
    return TrialFile(name="Sea trial", sources=sources, lanes=(LaneEntry(name="bus", note="CAN 500k", offset_ns=5),))


def test_a_lane_is_found_by_its_name_and_nothing_is_said_of_others(said):
    assert said.lane_entry("bus") == LaneEntry(name="bus", note="CAN 500k", offset_ns=5)
    assert said.lane_entry("winch") == LaneEntry(name="winch")
    changed = said.with_lane(LaneEntry(name="winch", note="SPI")).with_lane(LaneEntry(name="bus", note="new"))
    assert {lane.name: lane.note for lane in changed.lanes} == {"bus": "new", "winch": "SPI"}


def test_one_source_is_replaced_where_it_stands(said):
    changed = said.with_source(1, SourceEntry(path="c.log"))
    assert [one.path for one in changed.sources] == ["a.log", "c.log"] and changed.lanes == said.lanes


def test_a_kind_is_tied_to_one_layout_or_none(said):
    tied = said.with_tie(ONE, "bus", 0x100, 0).with_tie(ONE, "bus", 0x101, 0).with_tie(OTHER, "bus", 0x100, 0)
    assert {(tie.address, tie.layout) for tie in tied.ties} == {(0x101, ONE), (0x100, OTHER)}
    freed = tied.with_tie(None, "bus", 0x100, 0)
    assert [tie.address for tie in freed.ties] == [0x101]
    assert freed.with_tie(None, "bus", 0x101, 1) == freed, "with other flags it is another kind"


def test_conditions_limits_and_what_is_set_aside_are_there_once_and_go_again(said):
    kept = said.with_condition("hot", "heat > 80").with_condition("hot", "heat > 90").with_condition("far", "x > 1")
    assert {one.name: one.text for one in kept.conditions} == {"hot": "heat > 90", "far": "x > 1"}
    assert [one.name for one in kept.with_condition("hot", "").conditions] == ["far"]
    limited = said.with_limit(GAP, 0.5).with_limit(LOAD, 70.0).with_limit(GAP, 0.7)
    assert {one.key: one.value for one in limited.limits} == {LOAD: 70.0, GAP: 0.7}
    assert [one.key for one in limited.with_limit(GAP, None).limits] == [LOAD]
    aside = said.with_set_aside(GAP, "on purpose").with_set_aside(LOAD, "known").with_set_aside(GAP, "really")
    assert {one.key: one.reason for one in aside.set_aside} == {LOAD: "known", GAP: "really"}
    assert [one.key for one in aside.with_set_aside(LOAD, "").set_aside] == [GAP]


def test_a_reading_takes_the_place_of_one_of_its_name_at_its_time(said):
    for name, time_ns, value in (("depth", 1, 2.0), ("depth", 2, 3.0), ("heat", 1, 9.0), ("depth", 1, 4.0)):
        said = said.with_reading(HandReading(name=name, time_ns=time_ns, value=value))
    assert [(one.name, one.time_ns, one.value) for one in said.readings] == [
        ("depth", 2, 3.0), ("heat", 1, 9.0), ("depth", 1, 4.0),
    ]  # fmt: skip


def test_a_reference_is_laid_over_a_field_and_taken_off_again(said):
    entry, other = (
        LaidOver(field=ONE, source="a.csv", name="depth"),
        LaidOver(field=OTHER, source="a.csv", name="depth"),
    )
    both = said.with_laid_over(entry).with_laid_over(other)
    assert both.laid_over == (entry, other) and both.with_laid_over(entry).laid_over == (other,)


def test_moments_stand_in_order_of_time(said):
    for time_ns, text in ((5, "full astern"), (1, "cast off"), (3, "hook released")):
        said = said.with_moment(Moment(time_ns=time_ns, text=text))
    assert [one.text for one in said.moments] == ["cast off", "hook released", "full astern"]


def test_lanes_that_moved_are_told_and_anything_else_is_no_move(said):
    moved = said.with_lane(LaneEntry(name="bus", note="CAN 500k", offset_ns=9))
    assert lane_moves(said, moved) == {"bus": 4} and lane_moves(moved, said) == {"bus": -4}
    assert lane_moves(said, said.with_lane(LaneEntry(name="winch", offset_ns=7))) == {"bus": 0, "winch": 7}
    assert lane_moves(said, said.with_lane(LaneEntry(name="bus", note="other", offset_ns=5))) is None
    assert lane_moves(said, msgspec.structs.replace(said, sources=())) is None
