"""A stretch of a recording holds what was there, from its own zero on."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.waves.cutting import cut_recording
from zesty_abacus.core.waves.edges import Edges
from zesty_abacus.core.waves.recording import Channel, LineRecording
from zesty_abacus.core.waves.samples import Samples


@given(st.lists(st.integers(0, 1000), max_size=30), st.integers(0, 1), st.integers(0, 1000), st.integers(0, 1000))
def test_a_line_has_its_level_at_every_time_of_the_stretch(times, first, one, other):
    begin, end = sorted((one, other))
    line = Edges.of_toggles(np.array(sorted(times), np.int64), first, 0, 1000)
    (channel,) = cut_recording(LineRecording("x", (Channel("a", edges=line),)), begin, end).channels
    cut = channel.edges
    assert (cut.begin_ns, cut.end_ns) == (0, end - begin)
    for time in range(end - begin):
        assert cut.level_at(time) == line.level_at(time + begin)


@given(st.integers(1, 200), st.sampled_from([1e6, 125e3, 48_000.0]), st.booleans(), st.data())
def test_samples_are_those_of_the_stretch_with_their_times(count, rate, has_stamps, data):
    values = np.arange(count, dtype=np.float32)
    stamps = np.cumsum(np.arange(1, count + 1, dtype=np.int64)) * 500 if has_stamps else None
    samples = Samples(values, rate, begin_ns=0 if stamps is None else int(stamps[0]), stamps_ns=stamps)
    times = np.array([samples.time_of(number) for number in range(count)])
    low, high = sorted(data.draw(st.tuples(st.integers(0, count - 1), st.integers(0, count - 1))))
    begin, end = int(times[low]), int(times[high])
    (channel,) = cut_recording(LineRecording("x", (Channel("a", samples=samples),), 5), begin, end).channels
    cut = channel.samples
    assert cut.values.tolist() == values[low : high + 1].tolist()
    assert abs(cut.time_of(0)) <= 1 and abs(cut.time_of(len(cut) - 1) - (end - begin)) <= 1
