"""Frames out of samples while they come: a recipe runs on the last seconds again and again, and gives what is over."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..frames.table import FrameTable
from ..recipes.measured import measured_proposal, with_measured
from ..recipes.model import Recipe
from ..recipes.propose import propose
from ..recipes.run import run_recipe
from ..waves.recording import Channel, LineRecording
from ..waves.sample_forms import SampleForm
from ..waves.samples import Samples

_LOOK_S = 0.1
"""So often new samples are looked at, if that takes no time."""
_TIMES_AS_LONG = 2.0
"""Otherwise so many times as long as the last look took: more samples than can be read must not fill the memory."""
_LONGEST_REST_S = 1.0
_SETTLES_NS = 150_000_000
"""What ended so long ago is over."""
_QUIET_NS = 1_000_000_000
"""So much is looked at in any case: what is loud and what is quiet is judged by it."""
_LONGEST_NS = 4_000_000_000
"""Longer messages are not read."""
_MOST_BYTES = 128 << 20
_ASTRAY_NS = 300_000_000
"""Samples that come so much earlier or later than counted belong to another stretch: somebody paused."""
_LOOKS_FOR_NS = 2_000_000_000
_WORTH = 0.4
"""A proposal is taken from this score on."""


class Demodulator:
    """Turns samples into frames as a recipe says, or as the samples themselves propose.

    Frames are those that the recipe gives of the whole stream, each once, as long as messages are shorter than four
    seconds. What a recipe leaves to be measured is measured where the first frames are, and stays.

    Parameters
    ----------
    form, rate_hz
        Of the samples.
    recipe
        None looks for one while samples come.
    found
        Told of a recipe that was found.

    Attributes
    ----------
    recipe
        None as long as none was found.
    """

    def __init__(
        self, form: SampleForm, rate_hz: float, recipe: Recipe | None = None,
        found: Callable[[Recipe, float, str], None] = lambda _recipe, _score, _reason: None,
    ) -> None:  # fmt: skip
        self._form, self._rate_hz, self.recipe, self._found = form, rate_hz, recipe, found
        self._is_measured = False
        self._parts: deque[NDArray] = deque()
        self._begin_ns = self._newest_ns = self._done_ns = self._looked_ns = 0
        self._sought_ns = 0
        self._rests_until_s = 0.0

    def add(self, data: bytes, time_ns: int) -> FrameTable:
        """Add samples whose last one came at a time; return what is over by now."""
        values = self._form.values(data)
        length_ns = round(len(values) * 1e9 / self._rate_hz)
        given = FrameTable.empty()
        if self._parts and abs(self._newest_ns + length_ns - time_ns) > _ASTRAY_NS:
            given = self.finish()
        if not self._parts:
            self._begin_ns = self._newest_ns = self._looked_ns = self._sought_ns = time_ns - length_ns
            self._done_ns = self._begin_ns - 1
        if len(values):
            self._parts.append(values)
            self._newest_ns += length_ns
        return FrameTable.joined([given, self._due()])

    def _due(self) -> FrameTable:
        """Return what is over, if it is time to look."""
        is_soon = self._newest_ns < self._looked_ns + _LOOK_S * 1e9 or time.monotonic() < self._rests_until_s
        if is_soon and self._newest_ns < self._begin_ns + 2 * _LONGEST_NS:
            return FrameTable.empty()
        began = time.monotonic()
        self._looked_ns = self._newest_ns
        table = self._look(self._newest_ns - self._settles_ns)
        self._forget()
        took_s = time.monotonic() - began
        self._rests_until_s = time.monotonic() + min(_TIMES_AS_LONG * took_s, _LONGEST_REST_S)
        return table

    def idle(self, now_ns: int) -> FrameTable:
        """Return what is left if nothing has come for so long that nothing more belongs to it."""
        is_over = self._parts and now_ns > self._newest_ns + self._settles_ns + _ASTRAY_NS
        return self.finish() if is_over else FrameTable.empty()

    def finish(self) -> FrameTable:
        """Return what is left, as if nothing came any more, and begin anew."""
        self._sought_ns = -_LOOKS_FOR_NS
        table = self._look(self._newest_ns + 1) if self._parts else FrameTable.empty()
        self._parts.clear()
        return table

    @property
    def _settles_ns(self) -> int:
        framing = self.recipe.framing if self.recipe is not None else None
        # a message is over when nothing that belongs to it can follow any more, such as a repeat
        return _SETTLES_NS + round(framing.waits_ms * 1e6 if framing is not None else 0.0)

    def _look(self, until_ns: int) -> FrameTable:
        recording = self._recording()
        if self.recipe is None:
            self._seek(recording)
            if self.recipe is None:
                return FrameTable.empty()
        recipe = _on_channel(self.recipe, recording.channels[0].name)
        outcome = run_recipe(recipe, recording)
        frames = outcome.result.frames
        if len(frames) and not self._is_measured:
            self.recipe, self._is_measured = with_measured(recipe, outcome), True
        over = np.flatnonzero((frames.time_ns > self._done_ns) & (outcome.result.ends_ns < until_ns))
        if not len(over):
            return FrameTable.empty()
        self._done_ns = int(outcome.result.ends_ns[over].max())
        return frames.chosen(over).compact()

    def _recording(self) -> LineRecording:
        # one array again and again would be copied all the same
        values = np.concatenate(list(self._parts)) if len(self._parts) > 1 else self._parts[0]
        self._parts = deque([values])
        name = "I/Q" if self._form.parts == 2 else "channel 1"
        samples = Samples(values, self._rate_hz, self._form.scale, self._form.offset, begin_ns=self._begin_ns)
        return LineRecording("SigMF", (Channel(name, samples),))

    def _seek(self, recording: LineRecording) -> None:
        """Look what the samples may be."""
        if self._newest_ns < self._sought_ns + _LOOKS_FOR_NS:
            return
        self._sought_ns = self._newest_ns
        best = next(iter(propose(Path("samples"), recording)), None)
        if best is None or best.score < _WORTH or best.recipe.line is None:
            return
        try:
            self.recipe = measured_proposal(best, recording).recipe
        except MisuseError:
            return
        self._is_measured = True
        self._found(self.recipe, best.score, best.reasons[0] if best.reasons else "")

    def _forget(self) -> None:
        """Let go of samples that are over; they were put together when they were looked at."""
        settled = max(min(self._done_ns, self._newest_ns - _QUIET_NS), self._newest_ns - _LONGEST_NS)
        most = min(_MOST_BYTES // self._form.size, round(_LONGEST_NS * self._rate_hz / 1e9))
        (values,) = self._parts
        gone = max(round((settled - self._begin_ns) * self._rate_hz / 1e9), len(values) - most, 0)
        if gone:
            self._parts = deque([values[gone:]])
            self._begin_ns += round(gone * 1e9 / self._rate_hz)


def _on_channel(recipe: Recipe, name: str) -> Recipe:
    """Return a recipe that was made for a recording of one channel with the only channel there is."""
    named = recipe.channels()
    if len(named) != 1:
        raise MisuseError(f"its recipe takes {len(named)} channels, and samples come on one.", where=recipe.name)
    if named[0] == name or recipe.line is None:
        return recipe
    places = [place for place in recipe.line.__struct_fields__ if getattr(recipe.line, place) == named[0]]
    level = msgspec.structs.replace(recipe.level(named[0]), channel=name)
    line = msgspec.structs.replace(recipe.line, **dict.fromkeys(places, name))
    return msgspec.structs.replace(recipe, line=line, levels=(level,))
