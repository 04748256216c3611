"""Writes frames as the waves that a recipe reads as these frames: its line code and framing backwards."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..errors import MisuseError
from ..files.errors import file_errors
from ..files.writing import Target
from ..frames.table import FrameTable
from ..lines.registry import decoder_of
from ..recipes.model import Recipe
from ..waves.edges import Edges
from .errors import DrawError
from .files import pulse_text, sample_rows, vcd_text, write_sigmf, write_wav
from .parts import frames_of
from .registry import draw, lead_ns
from .sampling import carrier_hz, keyed, shortest_ns, sound, tones_rate, voltages
from .unframe import unframed

_PER_SYMBOL = 12
_LOWEST_WAV, _HIGHEST_WAV = 8000, 2_000_000
_PER_CYCLE = 8
_MOST_SAMPLES = 200_000_000


@dataclass(frozen=True, slots=True)
class WaveSettings:
    """How waves are written.

    Attributes
    ----------
    rate_hz
        Samples a second, where the file has samples; None is enough for the shortest symbol.
    jitter_ns
        Standard deviation of the moments at which lines change.
    noise
        Standard deviation of what is added to samples.
    seed
        Of both.
    """

    rate_hz: float | None = None
    jitter_ns: float = 0.0
    noise: float = 0.0
    seed: int = 1


def lines_of(recipe: Recipe, table: FrameTable, settings: WaveSettings | None = None) -> dict[str, Edges]:
    """Return the channels that a recipe reads, drawn so that it reads these frames.

    Raises
    ------
    MisuseError
        If the recipe has no line code.
    DrawError
        If it cannot be gone backwards, or not with these frames.
    """
    settings = settings or WaveSettings()
    if recipe.line is None:
        raise MisuseError("the recipe does not say what the wires speak.", where=recipe.name,
                          hint="Give one with a line code.")  # fmt: skip
    decoder = decoder_of(recipe.line)
    parts = unframed(recipe.framing, decoder.gives, frames_of(table, lead_ns(recipe.line)))
    if not parts:
        raise DrawError("there is no frame to draw.")
    drawing = draw(recipe.line, parts)
    random = np.random.default_rng(settings.seed)
    roles = [field.name for field in decoder.fields if field.kind == "channel"]
    named = {role: getattr(recipe.line, role) for role in roles if role in drawing.names}
    if not any(named.values()):
        named = {roles[0]: roles[0]}
    return {name: drawing.edges(role, settings.jitter_ns, random) for role, name in named.items() if name}


def write_wave(target: Target, recipe: Recipe, table: FrameTable, settings: WaveSettings | None = None) -> None:
    """Write frames as waves, in the format that the file's name says.

    Raises
    ------
    MisuseError
        If nothing is written under such a name.
    DrawError
        If the frames cannot be drawn, or not in this format.
    FileError
        If the file cannot be written.
    """
    settings = settings or WaveSettings()
    way = _WAYS.get(target.path.suffix.lower())
    if way is None:
        known = ", ".join(_WAYS)
        raise MisuseError(f"no waves are written as {target.path.suffix!r}.", where=str(target.path),
                          hint=f"Known are {known}.")  # fmt: skip
    target.check()
    lines = lines_of(recipe, table, settings)
    assert recipe.line is not None, "it was drawn"
    begin_ns = int(table.time_ns.min()) - round(lead_ns(recipe.line))
    way(target, _Wave(recipe, lines, max(begin_ns, 0), settings))


@dataclass(frozen=True, slots=True, eq=False)
class _Wave:
    recipe: Recipe
    lines: Mapping[str, Edges]
    begin_ns: int
    settings: WaveSettings

    @property
    def random(self) -> np.random.Generator:
        return np.random.default_rng((self.settings.seed, 1))

    def only(self, what: str) -> tuple[str, Edges]:
        """Return the one line that a format has room for."""
        if len(self.lines) != 1:
            raise DrawError(
                f"{what} holds one line, and these are {', '.join(self.lines)}.", hint="Write .vcd or .csv."
            )
        return next(iter(self.lines.items()))

    def rate(self, least: float = 0.0) -> float:
        """Return the rate of samples; raises DrawError if there would be too many."""
        rate = self.settings.rate_hz or max(_PER_SYMBOL * 1e9 / shortest_ns(list(self.lines.values())), least)
        longest = max(line.end_ns for line in self.lines.values()) / 1e9
        if longest * rate * len(self.lines) > _MOST_SAMPLES:
            raise DrawError(
                f"{longest:.4g} s at {rate:.4g} samples a second are too many.",
                hint="Write .vcd, or a shorter stretch.",
            )
        return rate


def _two_levels(lines: Mapping[str, Edges], what: str) -> None:
    bipolar = next((name for name, line in lines.items() if len(line) and int(line.level.min()) < 0), None)
    if bipolar is not None:
        raise DrawError(
            f"{bipolar} has three levels, and {what} two.",
            hint="Write .csv or .wav, or name its other wire in the recipe.",
        )


def _vcd(target: Target, wave: _Wave) -> None:
    _two_levels(wave.lines, "a value change dump")
    end = max(line.end_ns for line in wave.lines.values())
    lines = {name: (line.first, line.time_ns) for name, line in wave.lines.items()}
    target.write(vcd_text("lines", lines, wave.begin_ns, end))


def _pulses(target: Target, wave: _Wave) -> None:
    _, line = wave.only("a file of pulse lengths")
    _two_levels(wave.lines, "a file of pulse lengths")
    target.write(pulse_text(line))


def _csv(target: Target, wave: _Wave) -> None:
    rate = wave.rate()
    random = wave.random
    columns = [
        voltages(line, wave.recipe.level(name), rate, wave.settings.noise, random) for name, line in wave.lines.items()
    ]
    with target.writing() as stream, file_errors(target.path, "it cannot be written"):
        for row in sample_rows(list(wave.lines), rate, wave.begin_ns, columns, 3):
            stream.write(row)


def _wav(target: Target, wave: _Wave) -> None:
    name, line = wave.only("a sound file")
    setting = wave.recipe.level(name)
    least = float(_LOWEST_WAV)
    if setting.kind == "tones":
        least = max(least, tones_rate(setting))
    if setting.kind == "envelope":
        least = max(least, _PER_CYCLE * carrier_hz(line, setting))
    rate = round(wave.rate(least))
    if rate > _HIGHEST_WAV:
        raise DrawError(f"a sound file has no {rate} samples a second.", hint="Write .csv or .vcd.")
    values = sound(line, setting, rate, wave.settings.noise, wave.random)
    _put_made(target, ".wav", lambda path: write_wav(path, rate, values, 16), (".wav",))


def _sigmf(target: Target, wave: _Wave) -> None:
    name, line = wave.only("a recording of I/Q samples")
    _two_levels(wave.lines, "a keyed carrier")
    rate = wave.rate() * 2
    values = keyed(line, wave.recipe.level(name), rate, wave.settings.noise, wave.random)
    _put_made(
        target, ".sigmf-meta",
        lambda path: write_sigmf(path, rate, 0.0, wave.begin_ns, values, (), wave.recipe.name),
        (".sigmf-meta", ".sigmf-data"),
    )  # fmt: skip


def _put_made(target: Target, suffix: str, make: Callable[[Path], None], suffixes: tuple[str, ...]) -> None:
    """Write files in a folder of their own, and put them in place whole."""
    with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
        made = Path(folder) / f"wave{suffix}"
        with file_errors(made, "it cannot be written"):
            make(made)
        for ending in suffixes:
            part = Target(target.path.with_suffix(ending), target.replace, target.inputs)
            part.write(made.with_suffix(ending).read_bytes())


_WAYS: dict[str, Callable[[Target, _Wave], None]] = {
    ".vcd": _vcd, ".csv": _csv, ".wav": _wav, ".sigmf-meta": _sigmf, ".pulses": _pulses,
}  # fmt: skip
