"""Histograms, clouds and arrays: against plain counting."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.problems.made import MS, capture_of, stream
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.layouts.json_form import layout_from_json
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.values.pictures import array_picture, cloud, distances, histogram


@given(st.lists(st.integers(-500, 500), min_size=1, max_size=400), st.sampled_from([0.0, 0.1, 1.0, 25.0]))
def test_every_value_is_counted_once_and_none_lies_on_an_edge(raw, step):
    values = np.array(raw, np.float64) * (step or 0.37)
    made = histogram(np.append(values, [np.nan, np.inf]), step)
    assert made.total == len(raw) and len(made.edges) == len(made.counts) + 1 <= 130
    counted = [int(((values >= a) & (values < b)).sum()) for a, b in zip(made.edges[:-1], made.edges[1:], strict=True)]
    counted[-1] += int((values == made.edges[-1]).sum())
    assert made.counts.tolist() == counted
    if step and len(set(raw)) > 1:
        steps = np.round(np.diff(made.edges) / step, 6)
        assert (steps == steps[0]).all() and steps[0] >= 1 and abs(steps[0] - round(steps[0])) < 1e-6


def test_distances_in_a_stretch():
    times = np.array([0, 10, 30, 60, 100], np.int64) * MS
    assert distances(times, 10 * MS, 60 * MS).tolist() == [0.02, 0.03]
    assert histogram(np.array([np.nan])).total == 0


@given(st.data())
def test_a_cloud_takes_the_newest_value_of_the_other(data):
    x_times = sorted(data.draw(st.sets(st.integers(0, 200), min_size=1, max_size=20)))
    y_times = sorted(data.draw(st.sets(st.integers(0, 200), min_size=1, max_size=20)))
    first, last = data.draw(st.integers(0, 100)), data.draw(st.integers(100, 200))
    along = Curve.build(np.array(x_times, np.int64), np.array([float(t) for t in x_times]))
    up = Curve.build(np.array(y_times, np.int64), np.array([float(-t) for t in y_times]))
    made = cloud(along, up, first, last)
    wanted = [
        (float(max(x for x in x_times if x <= t)), float(-t))
        for t in y_times if first <= t <= last and any(x <= t for x in x_times)
    ]  # fmt: skip
    assert list(zip(made.x.tolist(), made.y.tolist(), strict=True)) == wanted
    assert all(0 <= share <= 1 for share in made.share)


SCAN = """{"id": "5f3c4c1e-2b53-4f8e-9d4e-1d2f7c9a1b01", "name": "Scan", "applies": {"address": 256}, "size": 1,
 "fields": [{"id": "5f3c4c1e-2b53-4f8e-9d4e-1d2f7c9a1b02", "name": "beams", "places": "B0"}],
 "parts": [{"part": "group", "id": "5f3c4c1e-2b53-4f8e-9d4e-1d2f7c9a1b03", "name": "beam", "size": 1,
  "fields": [{"id": "5f3c4c1e-2b53-4f8e-9d4e-1d2f7c9a1b04", "name": "range", "places": "B0", "ratio": "0.5",
   "unit": "m", "unavailable": "255"}], "repeat": "count", "amount": "beams",
  "axis": {"name": "bearing", "start": "0", "step": "30", "unit": "deg"}}]}"""


def test_an_array_over_time_with_its_axis():
    layout = layout_from_json(SCAN.encode())
    payloads = [bytes([12 if n != 3 else 8, *(((n * 7 + k) % 100) if k != 5 else 255 for k in range(12))])
                for n in range(10)]  # fmt: skip
    payloads[3] = payloads[3][:9]
    capture = capture_of(stream(np.arange(10) * 100 * MS, payloads))
    meaning = Meaning.of(capture, [layout])
    group = layout.parts[0]
    made = array_picture(meaning, 0, group.id, group.fields[0].id, 200 * MS, 700 * MS)
    assert made.values.shape == (12, 6) and made.time_ns.tolist() == [n * 100 * MS for n in range(2, 8)]
    assert made.axis.tolist() == [k * 30.0 for k in range(12)]
    assert (made.axis_name, made.axis_unit, made.name, made.unit) == ("bearing", "deg", "range", "m")
    assert made.values[2, 0] == ((2 * 7 + 2) % 100) * 0.5 and np.isnan(made.values[5]).all()
    assert np.isnan(made.values[8:, 1]).all(), "the fourth frame has eight beams"
    assert made.column_at(310 * MS)[2] == ((3 * 7 + 2) % 100) * 0.5 and np.isnan(made.column_at(0)).all()
