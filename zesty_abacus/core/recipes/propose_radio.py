"""Proposes recipes for radio and audio: a keyed carrier, two tones, packets in tones."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import msgspec
import numpy as np

from ..errors import AbacusError
from ..lines.bipolar import is_bipolar, without_passing
from ..lines.pulses import PulseLine
from ..lines.registry import decode_line
from ..lines.spectrum import measure_tones
from ..lines.timing import bit_time
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
    progress.step(0.1, "looking for carrier")
    settings = [LevelSetting(channel=channel.name, kind="envelope")]
    progress.step(0.1, "looking for tones")
    if (tones := measure_tones(channel.samples)) is not None:
        settings.append(LevelSetting(channel=channel.name, kind="tones", carrier_hz=tones[0], high_hz=tones[1]))
    for setting in settings:
        try:
            lines[setting.kind] = prepare_line(channel, setting, first_part(channel), progress.quiet())
        except AbacusError:
            continue
    # a carrier that is silent while another one sounds is one of two tones
    toned = "tones" in lines and _changes_between_tones(lines["tones"], is_iq)
    found = []
    for way, line in lines.items():
        share = (1.0 if toned else _TONES_RUN_ON) if way == "tones" else (_ONE_OF_TWO if toned else 1.0)
        proposal = _radio_line(path, recording, channel.name, line, share)
        if proposal is not None:
            found.append(proposal)
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


def _radio_line(
    path: Path, recording: LineRecording, name: str, line: PreparedLine, share: float
) -> RecipeProposal | None:
    """Return how the bits of a prepared channel are put together; ``share`` says how likely it is to be that."""
    least = _least_pulse(line)
    edges = {name: line.edges.without_glitches(round(least * 1000)).first_part(MOST_EDGES)}
    if len(edges[name]) < 16:
        return None
    tones = line.setting.kind == "tones"
    plain = PulseLine(line=name, coding="plain")
    packets = msgspec.structs.replace(plain, transitions=True, burst_gap_us=1e9)
    scrambled = msgspec.structs.replace(packets, scrambler=USUAL_SCRAMBLER)
    best: tuple[float, PulseLine, Framing | None, str] = (0.0, plain, None, "")
    for settings in (plain, packets, scrambled) if tones else (PulseLine(line=name),):
        result = decode_line(settings, edges)
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
    if tones:
        low, high = line.setting.carrier_hz or 0.0, line.setting.high_hz or 0.0
        score *= 1.0 if score >= SURE else share
        heard = f"two tones at {low:.0f} and {high:.0f} Hz"
    else:
        score *= _keyed_share(line) * share
        heard = f"a carrier at {(line.setting.carrier_hz or 0.0) / 1e3:.2f} kHz, keyed on and off"
    keeps = LevelSetting(channel=name, kind=line.setting.kind, ignore_under_us=least)
    recipe = named_recipe(path, recording.format_name, (name,), chosen, framing=framing, levels=(keeps,))
    return RecipeProposal(recipe, min(score, 1.0), (heard, reason))


def _least_pulse(line: PreparedLine) -> float:
    return round((line.setting.smooth_us or 0.0) * 0.8, 1)


def _keyed_share(line: PreparedLine) -> float:
    """Return near 1 if the carrier is clearly on or off, less if its level hardly changes."""
    assert line.wave is not None
    values = np.asarray(line.wave.values)
    low, high = np.quantile(values, (0.1, 0.995)) if len(values) else (0.0, 0.0)
    return 1.0 if high > 4 * low else 0.4
