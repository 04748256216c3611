"""The load cell of the winch on SPI."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from .. import files
from ..wires import Drawing, send_spi
from .device import Device, Trial, TrueFrame


def write_winch(path: Path, trial: Trial) -> list[TrueFrame]:
    """Load-cell converter on SPI at 2 MHz, mode 1: a command out, status and 24 bits back."""
    random = trial.random("winch")
    wires = Drawing(clock=0, select=1, to_cell=0, from_cell=0)
    truth: list[TrueFrame] = []
    zero = trial.at_ns(0)
    for number, second in enumerate(np.arange(0.25, trial.length_s - 0.1, 0.2)):
        wires.wait_until(second * 1e9)
        pull = trial.signal("tow_pull", second) + 0.02 * random.standard_normal()
        raw = round(pull * 8000) & 0xFFFFFF
        out, back = b"\x21\x00\x00\x00", bytes((0x80 | number & 0x0F,)) + raw.to_bytes(3, "big")
        at = zero + round(wires.now_ns)
        cut = number % 200 == 77
        kept = 2 if cut else 4
        faults = ("cut short",) if cut else ()
        truth.append(TrueFrame(at, 0, out[:kept], faults))
        truth.append(TrueFrame(at, 1, back[:kept], ("answer", *faults)))
        send_spi(wires, 250.0, out, back, 20 if cut else None)
    lines = {name: wires.toggles(name, 8.0, random) for name in ("clock", "select", "to_cell", "from_cell")}
    files.write_vcd(path, "winch", lines, zero, round(wires.now_ns + 1e6))
    return truth


WINCH = Device("winch", "SPI 2 MHz", "winch-load.vcd.gz", write_winch)
