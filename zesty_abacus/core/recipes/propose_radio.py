"""Proposes recipes for radio and audio: a keyed carrier, two tones, packets in tones."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

import msgspec
import numpy as np

from ..errors import AbacusError
from ..lines.bipolar import is_bipolar, without_passing
from ..lines.pulses import PulseLine
from ..lines.registry import decode_line
from ..lines.settings import LineSettings
from ..lines.spectrum import measure_tones
from ..lines.timing import bit_time
from ..lines.uart import DECODER as UART
from ..lines.uart import UartLine
from ..lines.unscramble import USUAL_SCRAMBLER
from ..links.framing import Framing
from ..progress import Progress
from ..waves.recording import Channel, LineRecording
from .model import LevelSetting
from .prepare import PreparedLine, prepare_line
from .proposal import MOST_EDGES, SURE, RecipeProposal, first_part, framing_for, named_recipe


class Heard(NamedTuple):
    """What was made of a channel of radio or sound.

    Attributes
    ----------
    proposals
    is_two_tones
        Whether it clearly goes from one tone to another; levels and pulses of it are those of their waves then.
    """

    proposals: list[RecipeProposal]
    is_two_tones: bool


def propose_radio(path: Path, recording: LineRecording, channel: Channel, progress: Progress) -> Heard:
    """Try on-off keying and two tones; what comes out of the pulses decides."""
    assert channel.samples is not None
    is_iq = channel.samples.is_iq
    lines: dict[str, PreparedLine] = {}

    def look(setting: LevelSetting) -> None:
        with suppress(AbacusError):
            lines[setting.kind] = prepare_line(channel, setting, first_part(channel), progress.quiet())

    progress.step(0.1, "looking for carrier")
    look(LevelSetting(channel=channel.name, kind="envelope"))
    progress.step(0.1, "looking for tones")
    if (tones := measure_tones(channel.samples)) is not None:
        look(LevelSetting(channel=channel.name, kind="tones", carrier_hz=tones[0], high_hz=tones[1]))
    # a carrier that is silent while another one sounds is one of two tones
    toned = "tones" in lines and _changes_between_tones(lines["tones"], is_iq)
    found = []
    for way, line in lines.items():
        share = (1.0 if toned else _TONES_RUN_ON) if way == "tones" else (_ONE_OF_TWO if toned else 1.0)
        sent = _Sent(path, recording, channel.name, line)
        found += [one for one in (sent.pulses(share), sent.characters(share)) if one is not None]
    return Heard(found, toned)


_TONES_RUN_ON, _ONE_OF_TWO = 0.6, 0.3
_PART_OF_EACH, _STRAIGHT_OVER = 0.1, 0.6
_WAVES_A_BIT = 0.75
"""Of the low tone, at the least: of pulses that are no tones it is half a wave, as in biphase."""


def _changes_between_tones(line: PreparedLine, is_iq: bool) -> bool:
    """Return whether a difference of tones goes from one to the other within bursts, and not in and out of silence."""
    edges = without_passing(line.edges)
    if not is_bipolar(edges) or len(edges) < 2:
        return False
    widths, level = edges.widths(), edges.level
    # tones of I/Q lie anywhere beside a frequency that was chosen, also at none
    if not is_iq and not bit_time(widths[level[:-1] != 0])[0] * 1e-9 * (line.setting.carrier_hz or 0.0) >= _WAVES_A_BIT:
        return False
    each = [int(widths[level[:-1] == sign].sum()) for sign in (-1, 1)]
    straight = float(np.mean(level[1:] * level[:-1] == -1))
    return min(each) >= _PART_OF_EACH * sum(each) and straight >= _STRAIGHT_OVER


_START_AND_STOP, _MOST_OF_CHARACTERS = 1.15, 0.89
"""That each character begins and ends as it has to says more than bursts that are alike, and less than a check."""


class _Sent:
    """What is sent on a prepared channel, and how it may be read."""

    def __init__(self, path: Path, recording: LineRecording, name: str, line: PreparedLine) -> None:
        self._path, self._recording, self._name, self._line = path, recording, name, line
        self._is_tones = line.setting.kind == "tones"
        self._least_us = round((line.setting.smooth_us or 0.0) * 0.8, 1)
        self._edges = line.edges.without_glitches(round(self._least_us * 1000)).first_part(MOST_EDGES)

    def pulses(self, share: float) -> RecipeProposal | None:
        """Return how its pulses are put together to bits; ``share`` says how likely it is to be that."""
        if len(self._edges) < 16:
            return None
        plain = PulseLine(line=self._name, coding="plain")
        packets = msgspec.structs.replace(plain, transitions=True, burst_gap_us=1e9)
        scrambled = msgspec.structs.replace(packets, scrambler=USUAL_SCRAMBLER)
        best: tuple[float, PulseLine, Framing | None, str] = (0.0, plain, None, "")
        for settings in (plain, packets, scrambled) if self._is_tones else (PulseLine(line=self._name),):
            result = decode_line(settings, {self._name: self._edges})
            framing, score, why = framing_for(settings, result)
            if settings.transitions and score < SURE:
                # changes explain any bits, so only a check says that they are meant
                continue
            facts = {fact.name: fact.words for fact in result.facts}
            bits = len(result.bit_run) if result.bit_run is not None else 0
            if bits >= 16 and score > best[0]:
                best = (score, settings, framing, f"{facts.get('coding', '')}; {why}")
        score, chosen, framing, reason = best
        if score <= 0:
            return None
        if self._is_tones:
            score *= 1.0 if score >= SURE else share
        else:
            score *= _keyed_share(self._line) * share
        return self._proposal(chosen, framing, score, reason)

    def characters(self, share: float) -> RecipeProposal | None:
        """Return how it is read as characters with start and stop bits; these bear themselves out."""
        best = UART.best_of(self._name, self._edges)
        if best is None:
            return None
        framing, better, why = framing_for(best.settings, decode_line(best.settings, {self._name: self._edges}))
        score = best.score * (0.7 + 0.3 * better) * (1.0 if self._is_tones else _keyed_share(self._line) * share)
        score = min(score * _START_AND_STOP, max(score, _MOST_OF_CHARACTERS))
        return self._proposal(best.settings, framing, score, f"{best.reason}; {why}")

    def _proposal(self, settings: LineSettings, framing: Framing | None, score: float, reason: str) -> RecipeProposal:
        low, high = self._line.setting.carrier_hz or 0.0, self._line.setting.high_hz or 0.0
        is_turned = isinstance(settings, UartLine) and settings.inverted
        heard = (
            f"two tones at {low:.0f} and {high:.0f} Hz{', the low one a 1' if is_turned else ''}" if self._is_tones
            else f"a carrier at {low / 1e3:.2f} kHz, keyed on and off{', off a 1' if is_turned else ''}"
        )  # fmt: skip
        keeps = LevelSetting(channel=self._name, kind=self._line.setting.kind, ignore_under_us=self._least_us)
        name, form = self._name, self._recording.format_name
        recipe = named_recipe(self._path, form, (name,), settings, framing=framing, levels=(keeps,))
        return RecipeProposal(recipe, min(score, 1.0), (heard, reason))


def _keyed_share(line: PreparedLine) -> float:
    """Return near 1 if the carrier is clearly on or off, less if its level hardly changes."""
    assert line.wave is not None
    values = np.asarray(line.wave.values)
    low, high = np.quantile(values, (0.1, 0.995)) if len(values) else (0.0, 0.0)
    return 1.0 if high > 4 * low else 0.4
