"""How much noise every simulated line stands: own proposal, own recipe, fresh seeds, against the undisturbed reading.

``python -m bench.noise`` prints the table of docs/figures.md. What is disturbed is the recording itself: edges are
moved and spiked, samples get noise of a part of their swing; then all is measured anew, as if nobody knew it.
"""

from __future__ import annotations

import sys
import tempfile
from collections import Counter
from dataclasses import replace
from pathlib import Path

import numpy as np

from zesty_abacus.core.captures.registry import line_formats, read_lines, recognise
from zesty_abacus.core.recipes.propose import propose
from zesty_abacus.core.recipes.run import run_recipe
from zesty_abacus.core.waves.edges import Edges
from zesty_abacus.core.waves.recording import Channel, LineRecording
from zesty_abacus.core.waves.samples import Samples
from zesty_abacus.demo.devices import DEVICES
from zesty_abacus.demo.trial import write_trial

SEEDS = (101, 102, 103)
LEVELS = (0.0, 0.05, 0.1, 0.2, 0.3)
SPIKES = 3
LENGTH_S = 60.0


def main() -> None:
    """Print a row a recording: the share of its frames that come out at each level, over all seeds."""
    rows: dict[str, list[list[float]]] = {}
    with tempfile.TemporaryDirectory(prefix="zesty-noise-") as folder:
        for seed in SEEDS:
            trial = Path(folder) / str(seed)
            write_trial(trial, LENGTH_S, seed)
            for path in _recordings(trial):
                print(f"{seed} {path.name}", file=sys.stderr)
                rows.setdefault(path.name, []).append(_shares(path, seed))
    print("| recording | " + " | ".join(f"{level:.0%}" for level in LEVELS) + " |")
    print("| --- |" + " --- |" * len(LEVELS))
    for name, shares in rows.items():
        print(f"| {name} | " + " | ".join(_cell([one[n] for one in shares]) for n in range(len(LEVELS))) + " |")


def _recordings(trial: Path) -> list[Path]:
    forms = {one.name for one in line_formats()}
    found = (path for device in DEVICES for path in [trial / device.file] if path.exists())
    return [path for path in found if recognise(path) in forms]


def _cell(shares: list[float]) -> str:
    low, high = min(shares), max(shares)
    return f"{low:.0%}" if f"{low:.0%}" == f"{high:.0%}" else f"{low:.0%}–{high:.0%}"


def _shares(path: Path, seed: int) -> list[float]:
    with tempfile.TemporaryDirectory(prefix="zesty-noise-") as folder:
        recording, _ = read_lines(path, Path(folder), recognise(path))
        wanted = _frames(path, recording)
        random = np.random.default_rng(seed)
        return [_share(wanted, _frames(path, _disturbed(recording, level, random))) for level in LEVELS]


def _share(wanted: Counter, found: Counter) -> float:
    return (wanted & found).total() / max(wanted.total(), 1)


def _frames(path: Path, recording: LineRecording) -> Counter:
    """Count the frames that the best proposal reads, by address and payload."""
    found = propose(path, recording)
    if not found:
        return Counter()
    table = run_recipe(found[0].recipe, recording).result.frames
    return Counter((int(table.address[n]), table.payload_of(n)) for n in range(len(table)))


def _disturbed(recording: LineRecording, level: float, random: np.random.Generator) -> LineRecording:
    lines = [one.edges for one in recording.channels if one.edges is not None and len(one.edges) > 1]
    # what moves the edges of one wire moves those of all: it goes by the shortest pulses there are
    short = min((float(np.quantile(line.widths(), 0.1)) for line in lines), default=0.0)
    return replace(recording, channels=tuple(_channel(one, level, short, random) for one in recording.channels))


def _channel(channel: Channel, level: float, short: float, random: np.random.Generator) -> Channel:
    if not level:
        return channel
    if channel.edges is not None:
        return replace(channel, edges=_moved(channel.edges, level, short, random))
    samples = channel.samples
    assert samples is not None
    return replace(channel, samples=_noisy(samples, level, random))


def _noisy(samples: Samples, level: float, random: np.random.Generator) -> Samples:
    """Add noise whose deviation is a part of the swing."""
    values = np.asarray(samples.values, np.float32)
    low, high = np.quantile(values, (0.005, 0.995))
    noise = random.normal(0, level * (high - low) / 2, values.shape).astype(np.float32)
    return replace(samples, values=values + noise, lows=samples.lows[:0], highs=samples.highs[:0])


def _moved(edges: Edges, level: float, short: float, random: np.random.Generator) -> Edges:
    """Move each edge by a part of a short pulse at most, and put a few spikes in."""
    moved = edges.time_ns + np.rint(np.clip(random.normal(0, 1, len(edges)), -2, 2) * level * short / 2).astype(
        np.int64
    )
    times = np.maximum.accumulate(moved)
    begins = np.sort(random.integers(edges.begin_ns, edges.end_ns, SPIKES))
    spikes = np.ravel(np.column_stack([begins, begins + max(int(short * 0.03), 1)]))
    levels = np.array([edges.level_at(int(time)) for time in begins])
    spiked = np.ravel(np.column_stack([1 - levels, levels]))
    order = np.argsort(np.concatenate([times, spikes]), kind="stable")
    return replace(
        edges,
        time_ns=np.concatenate([times, spikes])[order],
        level=np.concatenate([edges.level, spiked]).astype(np.int8)[order],
    )


if __name__ == "__main__":
    main()
