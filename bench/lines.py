"""Waves: levels, line codes and radio against a NumPy pass over the same data; 100 million samples at any zoom."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path

import numpy as np

from bench.table import Line, best
from zesty_abacus.core.captures.registry import read_lines
from zesty_abacus.core.draw.codes.i2c import put_stop
from zesty_abacus.core.lines.can_wave import CanLine
from zesty_abacus.core.lines.clocked import ClockedLine
from zesty_abacus.core.lines.i2c import I2cLine
from zesty_abacus.core.lines.levels import find_edges
from zesty_abacus.core.lines.manchester import ManchesterLine
from zesty_abacus.core.lines.pulses import PulseLine
from zesty_abacus.core.lines.radio import envelope, keyed_edges, tone_difference
from zesty_abacus.core.lines.registry import decode_line, decoder_of
from zesty_abacus.core.lines.settings import LineSettings
from zesty_abacus.core.lines.spi import SpiLine
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.waves.edges import Edges
from zesty_abacus.core.waves.samples import Samples
from zesty_abacus.demo.files import write_vcd
from zesty_abacus.demo.wires import Drawing, send_characters, send_i2c, send_manchester, send_spi

SAMPLES = 100_000_000
RADIO_SAMPLES = 20_000_000
EDGES = 2_000_000


def measure(folder: Path) -> list[Line]:
    """Measure levels, every line code, radio, and zooming through a long recording."""
    return [*_zoom_lines(folder), *_level_lines(), *_code_lines(), *_radio_lines(), *_vcd_lines(folder)]


def _zoom_lines(folder: Path) -> list[Line]:
    path = folder / "long.i16"
    wave = np.tile(np.concatenate([np.linspace(-9000, 9000, 500), np.full(500, -9000)]).astype(np.int16), 1000)
    with path.open("wb") as file:
        for _ in range(SAMPLES // len(wave)):
            file.write(wave.data)
    samples = Samples(np.memmap(path, np.int16, "r"), 1e8)
    summed = best(samples.with_ranges, rounds=2)
    samples = samples.with_ranges()
    lines = [Line("sum up 100 M mapped samples once", f"{summed:.2f} s")]
    for share, words in ((1, "all"), (10, "a tenth"), (1000, "a thousandth"), (1_000_000, "100 samples")):
        span = samples.end_ns // share
        starts = iter(np.linspace(0, samples.end_ns - span, 50).astype(np.int64).tolist() * 4)
        took = best(partial(_column, samples, starts, span), rounds=20)
        lines.append(
            Line(f"1280 columns of 100 M samples, {words} shown", f"{took * 1e3:.2f} ms", "16 ms", took < 0.016)
        )
    return lines


def _column(samples: Samples, starts: Iterator[int], span: int) -> None:
    first = next(starts)
    samples.columns(first, first + span, 1280)


def _level_lines() -> list[Line]:
    count = 20_000_000
    rng = np.random.default_rng(1)
    level = np.repeat(rng.integers(0, 2, count // 20), 20).astype(np.float32) * 3.3
    samples = Samples(level + rng.normal(0, 0.05, len(level)).astype(np.float32), 1e8)
    ours = best(lambda: find_edges(samples, 1.65, 0.3), rounds=3)
    values = samples.values

    def numpy_pass() -> None:
        above = values > 1.65
        np.flatnonzero(above[1:] != above[:-1])

    other = best(numpy_pass, rounds=3)
    return [
        Line("edges of 20 M samples, with dead band", f"{count / ours / 1e6:.0f} M samples/s"),
        Line("  against comparing them in NumPy", f"{other / ours:.2f} x"),
    ]


def _tiled(first: int, times: np.ndarray, period: float, copies: int) -> Edges:
    shifts = (np.arange(copies) * period).astype(np.int64)
    whole = (shifts[:, None] + times[None, :]).ravel()
    return Edges.of_toggles(whole, first, 0, int(copies * period))


def _lines_of(wires: Drawing) -> dict[str, Edges]:
    random = np.random.default_rng(1)
    drawn = {name: wires.toggles(name, 0, random) for name in wires.names}
    longest = max(len(times) for _, times in drawn.values())
    copies = EDGES // longest
    # only lines that come back to where they began can follow themselves
    return {
        name: _tiled(first, times[: len(times) // 2 * 2], wires.now_ns, copies)
        for name, (first, times) in drawn.items()
    }


def _drawings() -> dict[str, tuple[LineSettings, dict[str, Edges]]]:
    rng = np.random.default_rng(2)
    i2c = Drawing(clock=1, data=1)
    spi = Drawing(clock=0, select=1, to_cell=0, from_cell=0)
    uart = Drawing(rx=1)
    words = Drawing(line=0)
    for _ in range(40):
        send_i2c(i2c, 5000, 0x5A, False, [(int(b), True) for b in rng.integers(0, 256, 6)])
        put_stop(i2c, 5000)
        i2c.wait(50_000)
        send_spi(spi, 250, rng.integers(0, 256, 4).tolist(), rng.integers(0, 256, 4).tolist())
        spi.set(to_cell=0, from_cell=0)
        spi.wait(20_000)
        send_characters(uart, 8681, rng.integers(0, 256, 12, dtype=np.uint8).tobytes(), "rx")
        uart.wait(100_000)
        for _ in range(4):
            send_manchester(words, 500, "000111", int(rng.integers(0, 65_536)), "line")
        words.set(line=0)
        words.wait(20_000)
    can = Drawing(rx=1)
    for _ in range(60):
        _send_can(can, int(rng.integers(0, 2048)), rng.integers(0, 256, 8, dtype=np.uint8).tobytes())
    clocked = Drawing(clock=0, data=0)
    pulses = Drawing(line=0)
    for _ in range(30):
        for bit in rng.integers(0, 2, 11).tolist():
            clocked.set(data=bit)
            clocked.wait(500)
            clocked.set(clock=1)
            clocked.wait(500)
            clocked.set(clock=0)
        clocked.set(data=0)
        clocked.wait(20_000)
        for bit in rng.integers(0, 2, 24).tolist():
            pulses.set(line=1)
            pulses.wait(1_050_000 if bit else 350_000)
            pulses.set(line=0)
            pulses.wait(350_000 if bit else 1_050_000)
        pulses.wait(10_000_000)
    return {
        "I2C": (I2cLine(clock="clock", data="data"), _lines_of(i2c)),
        "SPI, two data lines": (
            SpiLine(clock="clock", select="select", to_device="to_cell", from_device="from_cell", mode=1),
            _lines_of(spi)),
        "UART": (UartLine(line="rx", parity="even"), _lines_of(uart)),
        "CAN": (CanLine(line="rx", rate=500_000), _lines_of(can)),
        "clocked bursts": (ClockedLine(clock="clock", data="data"), _lines_of(clocked)),
        "Manchester words": (ManchesterLine(line="line", half_bit_us=0.5), _bipolar(words)),
        "pulses": (PulseLine(line="line"), _lines_of(pulses)),
    }  # fmt: skip


def _bipolar(wires: Drawing) -> dict[str, Edges]:
    random = np.random.default_rng(1)
    _, times = wires.toggles("line", 0, random)
    levels = wires.levels_at("line", times.astype(float)).astype(np.int8)
    copies = EDGES // len(times)
    whole = ((np.arange(copies) * int(wires.now_ns))[:, None] + times[None, :]).ravel()
    return {"line": Edges(whole, np.tile(levels, copies), 0, 0, int(copies * wires.now_ns))}


def _send_can(wires: Drawing, identifier: int, data: bytes) -> None:
    bits = [0, *(identifier >> (10 - n) & 1 for n in range(11)), 0, 0, 0, *(len(data) >> (3 - n) & 1 for n in range(4))]
    bits += [byte >> (7 - n) & 1 for byte in data for n in range(8)]
    crc = 0
    for bit in bits:
        crc = (crc << 1 ^ 0x4599 if bit ^ (crc >> 14 & 1) else crc << 1) & 0x7FFF
    run, last = 0, 1
    for bit in [*bits, *(crc >> (14 - n) & 1 for n in range(15))]:
        wires.set(rx=bit)
        wires.wait(2000)
        run = run + 1 if bit == last else 1
        last = bit
        if run == 5:
            last, run = 1 - bit, 1
            wires.set(rx=last)
            wires.wait(2000)
    for bit in (1, 0, *(1,) * 12):
        wires.set(rx=bit)
        wires.wait(2000)


def _code_lines() -> list[Line]:
    found = []
    for words, (settings, channels) in _drawings().items():
        used = {getattr(settings, f.name) for f in decoder_of(settings).fields if f.kind == "channel"}
        edges = [line for name, line in channels.items() if name in used]
        count = sum(map(len, edges))
        ours = best(lambda s=settings, c=channels: decode_line(s, c), rounds=3)  # type: ignore[misc]

        def numpy_pass(edges: list[Edges] = edges) -> None:
            for line in edges:
                np.median(np.diff(line.time_ns))

        other = best(numpy_pass, rounds=3)
        found.append(Line(f"decode {words}", f"{count / ours / 1e6:.1f} M edges/s"))
        found.append(Line("  against the median of its pulse widths in NumPy", f"{other / ours:.2f} x"))
    return found


def _radio_lines() -> list[Line]:
    rng = np.random.default_rng(3)
    iq = rng.normal(0, 0.1, (RADIO_SAMPLES, 2)).astype(np.float32)
    samples = Samples(iq, 1e6)
    ours = best(lambda: keyed_edges(envelope(samples, 17_400, 100)), rounds=2)
    other = best(lambda: np.hypot(iq[:, 0], iq[:, 1]), rounds=2)
    audio = Samples(iq[:, 0].copy(), 48_000)
    tones = best(lambda: tone_difference(audio, 1200, 2200, 800), rounds=2)
    plain = best(lambda: np.abs(audio.values), rounds=2)
    return [
        Line("keyed carrier out of 20 M I/Q samples", f"{RADIO_SAMPLES / ours / 1e6:.0f} M samples/s"),
        Line("  against the size of each pair in NumPy", f"{other / ours:.2f} x"),
        Line("two tones out of 20 M audio samples", f"{RADIO_SAMPLES / tones / 1e6:.0f} M samples/s"),
        Line("  against their absolute value in NumPy", f"{plain / tones:.2f} x"),
    ]


def _vcd_lines(folder: Path) -> list[Line]:
    path = folder / "long.vcd"
    random = np.random.default_rng(4)
    lines = {name: (0, np.cumsum(random.integers(50, 900, 500_000))) for name in ("a", "b")}
    write_vcd(path, "bench", lines, 0, int(5e8))
    ours = best(lambda: read_lines(path, folder / "columns"), rounds=2)
    return [Line("read a value change dump", f"{path.stat().st_size / ours / 1e6:.0f} MB/s")]
