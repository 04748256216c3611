"""How soon a question is answered, and how many times as fast as they come samples are read."""

from __future__ import annotations

import json
import time
from pathlib import Path

import numpy as np

from bench.table import Line
from zesty_abacus.core.captures import sigmf
from zesty_abacus.core.captures.report import ReadReport
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.live.demodulating import Demodulator
from zesty_abacus.core.live.watch import Watch
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.recipes.json_form import recipes_from_file
from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.core.rehearse.listening import Listening
from zesty_abacus.core.rehearse.message import OutgoingMessage
from zesty_abacus.core.rehearse.occasion import InAnswer
from zesty_abacus.core.rehearse.schedule import Schedule
from zesty_abacus.core.waves.sample_forms import SAMPLE_FORMS
from zesty_abacus.demo.layouts import make_field
from zesty_abacus.demo.trial import SHIPPED

_QUESTIONS = 400
_LOOPS = 20


def measure(_folder: Path) -> list[Line]:
    return [_answers(), _samples()]


def _answers() -> Line:
    """How long after a frame is handed over its answer goes out."""
    layout = new_layout("Answer", Applies(address=0x124), 2, [make_field("echo", "B0 B1")])
    asked, answered = [], []
    listening = Listening(lambda: [layout], lambda text: Watch(text, ["bus"], [layout]))
    schedule = Schedule(lambda _lane, _frame: answered.append(time.perf_counter()), listening)
    try:
        message = OutgoingMessage(layout, {"echo": parse_feed("7")})
        schedule.start("answer", message, "bus", InAnswer("address == 0x123"))
        for number in range(_QUESTIONS):
            batch = Batch()
            batch.add(number * 1_000_000, b"\1\2", 0x123, F.RECEIVED)
            asked.append(time.perf_counter())
            schedule.hear(batch.table(), [Lane("bus")])
            until = time.perf_counter() + 1
            while len(answered) <= number and time.perf_counter() < until:
                time.sleep(0.0001)
    finally:
        schedule.close()
    late = np.array(answered[20:]) - np.array(asked[20 : len(answered)])
    return Line("answer to a frame heard, in the middle", f"{np.median(late) * 1e3:.1f} ms")


def _samples() -> Line:
    """How many times as fast as they come samples of a pendant are read."""
    path = SHIPPED / "pendant.sigmf-meta"
    samples = sigmf.LINES.read(path, Path(), None, ReadReport(str(path)), Progress()).channels[0].samples
    form = SAMPLE_FORMS[json.loads(path.read_text())["global"]["core:datatype"]]
    recipe = next(one for one in recipes_from_file(SHIPPED / "recipes.json") if one.name == "pendant")
    data = np.ascontiguousarray(samples.values).tobytes()
    demodulator, step = Demodulator(form, samples.rate_hz, recipe), form.size * 2048
    frames, came, begin = 0, 0, time.perf_counter()
    for _ in range(_LOOPS):
        for place in range(0, len(data), step):
            part = data[place : place + step]
            came += len(part) // form.size
            # every look is taken, as if nothing had to be waited for
            demodulator._rests_until_s = 0.0
            frames += len(demodulator.add(part, round(came * 1e9 / samples.rate_hz)))
    took = time.perf_counter() - begin
    assert frames >= 2 * (_LOOPS - 1), "each press of each round is read"
    times = came / samples.rate_hz / took
    return Line("keyed carrier, 125 k I/Q samples/s, read live", f"{times:.1f} times as fast as they come")
