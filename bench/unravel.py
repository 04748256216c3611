"""How much of made-up buses is found out, on seeds that nothing was tuned on; and what a large capture takes."""

from __future__ import annotations

import resource
import time
from pathlib import Path

import numpy as np

from bench.buses.asked import actions_of, references_of, score_reactions, score_references
from bench.buses.bus import make_bus
from bench.buses.captured import captured
from bench.buses.score import Score, score
from bench.table import Line
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.look import unravel

SEEDS = (511, 512, 513, 514, 515, 516, 517, 518)
_KINDS, _FRAMES = 300, 5_000_000
_WANTED = {
    "field": ("fields, exact bits", 0.95), "counter": ("counters", 0.97), "check": ("checks located", 0.97),
    "selector": ("selectors", 0.95), "mirror": ("mirrors", 0.9), "reaction": ("what answers moments", 0.95),
    "reference": ("what follows references", 0.98),
}  # fmt: skip
_SHARES = {
    "reading": ("  kinds of those fields", 0.95), "polynomial": ("  polynomials of the CRCs", 0.98),
    "scale and lag": ("  scale and lag of those", 0.98),
}  # fmt: skip


def measure(_folder: Path) -> list[Line]:
    """Measure both."""
    return [*_quality(), *_large(), _long()]


def _quality() -> list[Line]:
    made, seconds, first = Score(), 0.0, 0.0
    for seed in SEEDS:
        bus = make_bus(seed)
        references, truth = references_of(bus, seed)
        meaning, begin = Meaning.of(captured(bus), []), time.perf_counter()
        clock = _Clock()
        found = unravel(meaning, None, references, actions_of(bus), early=clock.take)
        seconds += time.perf_counter() - begin
        first = max(first, clock.first - begin)
        findings = [one for kind in found.kinds for one in kind.findings]
        score(bus, findings, made)
        score_reactions(bus, findings, made)
        score_references(bus, truth, findings, made)
    seeds = ", ".join(map(str, SEEDS))
    lines = [Line(f"unravelled buses of 60 messages, 120 s, seeds {seeds}", f"{seconds / len(SEEDS):.1f} s each")]
    for what, (words, wanted) in _WANTED.items():
        lines.append(Line(f"{words} (F1)", f"{made.f1(what):.3f}", f"{wanted}", made.f1(what) >= wanted))
        for inner, (inner_words, share) in _SHARES.items():
            if {"reading": "field", "polynomial": "check", "scale and lag": "reference"}[inner] == what:
                lines.append(Line(inner_words, f"{made.recall(inner):.3f}", f"{share}", made.recall(inner) >= share))
    lines.append(
        Line("references that nothing follows, claimed", str(made.wrong["decoy"]), "0", not made.wrong["decoy"])
    )
    for tenth in (9, 8, 7, 6):
        right, wrong = made.sure[tenth]
        share = right / max(right + wrong, 1)
        said = f"0.{tenth}"
        lines.append(
            Line(f"findings given {said} that are true, of {right + wrong}", f"{share:.2f}", said, share >= tenth / 10)
        )
    lines.append(Line("first finding after", f"{first:.2f} s", "2 s", first < 2))
    return lines


class _Clock:
    """Takes the time of the first finding."""

    first = 0.0

    def take(self, _of: object) -> None:
        """Take the time, once."""
        self.first = self.first or time.perf_counter()


def _large() -> list[Line]:
    meaning = Meaning.of(_capture(), [])
    begin = time.perf_counter()
    found = unravel(meaning)
    seconds = time.perf_counter() - begin
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    count = sum(len(kind.findings) for kind in found.kinds)
    return [
        Line(f"unravelled: 5 M frames of 300 kinds, {count} findings", f"{seconds:.1f} s", "60 s", seconds < 60),
        Line("  memory at most, with making the frames up", f"{most:.0f} MB", "1 500 MB", most < 1500),
    ]


def _long() -> Line:
    """Measure the dearest messages: as long as CAN FD has them, and nothing in them to be found."""
    random = np.random.default_rng(1)
    count = np.arange(3000)
    sizes = np.full(len(count), 64, np.uint32)
    zeros = np.zeros(len(count), np.uint32)
    payload = random.integers(0, 256, 64 * len(count), dtype=np.uint8)
    table = FrameTable(count * 10_000_000, zeros.astype(np.uint16), count % 3, zeros, count * 64, sizes, payload)
    meaning = Meaning.of(Capture.from_table(table, (Lane("port"),)), [])
    begin = time.perf_counter()
    unravel(meaning)
    seconds = time.perf_counter() - begin
    return Line(
        "unravelled: 3 messages of 64 bytes of noise, 1 000 frames each", f"{seconds:.1f} s", "20 s", seconds < 20
    )


def _capture() -> Capture:
    """Return made-up buses again and again, each with addresses of its own, until there are frames enough."""
    tables: list[tuple[np.ndarray, ...]] = []
    for number in range(_KINDS // 60):
        bus = make_bus(300 + number, seconds=1200.0)
        for message in bus.messages:
            times = np.rint(message.times_s * 1e9).astype(np.int64)
            tables.append((times, np.full(len(times), message.key[1] + number * 0x1000), message.matrix))
    share = _FRAMES / sum(len(one[0]) for one in tables)
    tables = [tuple(part[: max(int(len(one[0]) * min(share, 1)), 1)] for part in one) for one in tables]
    times = np.concatenate([one[0] for one in tables])
    order = np.argsort(times, kind="stable")
    sizes = np.concatenate([np.full(len(one[0]), one[2].shape[1], np.uint32) for one in tables])
    start = np.cumsum(sizes.astype(np.int64)) - sizes
    address = np.concatenate([one[1] for one in tables]).astype(np.int64)
    zeros = np.zeros(len(times), np.uint32)
    data = np.concatenate([one[2].reshape(-1) for one in tables])
    table = FrameTable(
        times[order], zeros.astype(np.uint16), address[order], zeros, start[order], sizes[order], data
    )  # fmt: skip
    return Capture.from_table(table, (Lane("port"),))
