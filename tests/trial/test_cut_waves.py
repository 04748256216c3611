"""Waves of a stretch: which frames they give, and what does not go along."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
import pytest

from tests.lines.drawing import from_levels, uart_parts
from zesty_abacus.core.captures.registry import read_lines
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.run import run_recipe
from zesty_abacus.core.trial.cut_waves import cut_wave
from zesty_abacus.core.waves.edges import Edges
from zesty_abacus.core.waves.recording import Channel, LineRecording

SAID = [b"depth 12.5\n", b"depth 12.7\n", b"depth 13.1\n", b"depth 12.9\n", b"depth 12.2\n"]
BIT_NS = 1e9 / 9600
BEGIN_NS = 5_000_000_000


def line_of(texts):
    """Draw messages a tenth of a second apart, the first one seconds behind the recording's zero."""
    parts = [(1, BEGIN_NS)]
    for text in texts:
        parts += [*uart_parts(list(text), BIT_NS), (1, 100_000_000)]
    return from_levels(parts)


RECORDING = LineRecording("VCD", (Channel("rx", edges=line_of(SAID)), Channel("tx", edges=line_of(SAID[::-1]))))
RECIPE = msgspec.structs.replace(new_recipe("rx"), line=UartLine(line="rx"))


def cut(recording, first, last, folder):
    """Cut out messages by their numbers; return the wave and what it gives when it is read again."""
    times = run_recipe(RECIPE, recording).result.frames.time_ns
    span = int(times[first]), int(times[last])
    made = cut_wave(recording, RECIPE, span, folder / "cut", Progress())
    if made is None:
        return None, None, []
    again, _ = read_lines(made.files[0], folder / "again", "", made.recipe.columns)
    frames = run_recipe(made.recipe, again).result.frames
    return made, again, [frames.payload_of(row) for row in range(len(frames))]


@pytest.mark.parametrize(("first", "last"), [(0, 4), (0, 0), (1, 3), (4, 4)])
def test_the_messages_of_a_stretch_are_in_its_wave_and_no_others(tmp_path, first, last):
    made, again, payloads = cut(RECORDING, first, last, tmp_path)
    assert payloads == SAID[first : last + 1]
    assert made.recipe.line.rate == pytest.approx(9600, rel=1e-3), "what was measured over the whole recording"
    assert again.span_ns[1] < 50_000_000 * 2 + (last - first + 1) * 150_000_000, "no more silence than it takes"


def test_channels_of_other_lanes_stay(tmp_path):
    _, again, _ = cut(RECORDING, 1, 2, tmp_path)
    assert [channel.name for channel in again.channels] == ["rx"]


def test_what_no_file_of_ours_can_say_stays(tmp_path):
    blind = replace(RECORDING.channels[0].edges, unknown=np.array([[5_010_000_000, 5_011_000_000]]))
    assert cut(replace(RECORDING, channels=(Channel("rx", edges=blind),)), 0, 4, tmp_path)[0] is None


def test_where_nothing_was_said_there_is_no_wave(tmp_path):
    assert cut_wave(RECORDING, RECIPE, (0, BEGIN_NS - 1), tmp_path / "cut", Progress()) is None
    silent = LineRecording("VCD", (Channel("rx", edges=Edges.of_toggles(np.empty(0, np.int64), 1, 0, 10**9)),))
    assert cut_wave(silent, RECIPE, (0, 10**9), tmp_path / "cut", Progress()) is None
