"""Lines of hardly any changes and lines of chance: every code reads them, or says nothing, and runs over nowhere."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.waves.edges import Edges

CODES = {one.name: one for one in decoders()}
MEASURED = {"rate": 9_600.0, "half_bit_us": 3.0, "tick_us": 3.0, "bit_us": 3.0, "unit_us": 3.0}
"""What a line of a few changes does not tell."""


@st.composite
def lines(draw, most=40):
    """Draw a line that changes at any times: none, a few, at once, or in bits of one length."""
    gaps = st.sampled_from((0, 1, 500, 3_000, 6_000, 9_000, 104_167, 1_000_000)) | st.integers(0, 50_000)
    times = np.cumsum(np.array([1_000, *draw(st.lists(gaps, max_size=most))], np.int64))[1:]
    begin, end = 0, int(times[-1]) + draw(gaps) if len(times) else 5_000
    return Edges.of_toggles(times, draw(st.integers(0, 1)), begin, end)


def recorded_together(lines):
    """Return lines as a recording has them, from one begin to one end."""
    end = max(one.end_ns for one in lines.values())
    return {name: replace(one, end_ns=end) for name, one in lines.items()}


def line_settings(code, draw):
    """Return settings with a channel for every line that has to be there, and for some that may be."""
    channels = [one for one in code.fields if one.kind == "channel"]
    named = {one.name: one.name for one in channels if not one.optional or draw(st.booleans())}
    if {"data_2", "data_3"} & set(named):
        named |= {"data_2": "data_2", "data_3": "data_3"}  # three of them work together nowhere
    usual = {name: value for name, value in MEASURED.items() if name in code.settings.__struct_fields__}
    return code.settings(**named, **(usual if draw(st.booleans()) else {})), named


@pytest.mark.parametrize("name", CODES)
@settings(max_examples=60)
@given(data=st.data())
def test_any_lines_are_read_within_what_was_recorded(name, data):
    code = CODES[name]
    chosen, named = line_settings(code, data.draw)
    recorded = recorded_together({one: data.draw(lines(), one) for one in named})
    result = code.decode(chosen, recorded)
    result.frames.check()
    begin, end = next((one.begin_ns, one.end_ns) for one in recorded.values())
    rows = result.marks.rows
    assert len(result.ends_ns) == len(result.frames)
    assert (result.frames.time_ns >= begin).all() and (result.frames.time_ns <= end).all()
    assert (rows[:, 0] <= rows[:, 1]).all() and (np.diff(rows[:, 0]) >= 0).all()
    assert set(rows[:, 5].tolist()) <= {-1, *range(len(result.frames))}
    held = rows[rows[:, 5] >= 0]
    frames = held[:, 5]
    assert (held[:, 0] >= result.frames.time_ns[frames]).all()
    assert (held[:, 1] <= result.ends_ns[frames]).all()


@pytest.mark.parametrize("name", CODES)
@settings(max_examples=60)
@given(data=st.data())
def test_what_any_lines_propose_can_be_read(name, data):
    code = CODES[name]
    recorded = recorded_together({f"ch{number}": data.draw(lines()) for number in range(data.draw(st.integers(1, 4)))})
    for proposal in code.propose(recorded):
        assert 0 <= proposal.score <= 1 and proposal.reason
        used = {one.name: getattr(proposal.settings, one.name) for one in code.fields if one.kind == "channel"}
        assert set(used.values()) - {None, ""} <= set(recorded)
        code.decode(proposal.settings, {one: recorded[channel] for one, channel in used.items() if channel})
