"""Files of waves: value changes, sample tables, sound, I/Q samples and lengths of pulses, in their open formats."""

from __future__ import annotations

import json
import wave
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..waves.edges import Edges


def iso(time_ns: int) -> str:
    """Return a moment as ISO 8601 in UTC, to the microsecond."""
    return datetime.fromtimestamp(time_ns / 1e9, UTC).strftime("%Y-%m-%dT%H:%M:%S.%f")


def vcd_text(scope: str, lines: Mapping[str, tuple[int, NDArray[np.int64]]], begin_ns: int, end_ns: int) -> bytes:
    """Return lines, each with its first level and the times of its changes, as a value change dump (IEEE 1364-2005)."""
    codes = {name: _code(number) for number, name in enumerate(lines)}
    rows = [f"$date {iso(begin_ns)} $end", "$timescale 1 ns $end", f"$scope module {scope} $end"]
    rows += [f"$var wire 1 {codes[name]} {name.replace(' ', '_')} $end" for name in lines]
    rows += ["$upscope $end", "$enddefinitions $end", "#0", "$dumpvars"]
    rows += [f"{first}{codes[name]}" for name, (first, _) in lines.items()] + ["$end"]
    events = sorted(
        (int(time), codes[name], (first + 1 + number) & 1)
        for name, (first, times) in lines.items()
        for number, time in enumerate(times)
    )
    last = -1
    for time, code, level in events:
        if time != last:
            rows.append(f"#{time}")
            last = time
        rows.append(f"{level}{code}")
    rows.append(f"#{end_ns}")
    return ("\n".join(rows) + "\n").encode()


def _code(number: int) -> str:
    """Return the letters a line is called by: those of ASCII from ``!`` on, as many as are needed."""
    letters = ""
    while True:
        letters += chr(33 + number % 94)
        number //= 94
        if not number:
            return letters


def pulse_text(line: Edges) -> bytes:
    """Return a line as lengths in microseconds, those of pulses with a plus, those of spaces with a minus."""
    bounds = np.concatenate([[line.begin_ns], line.time_ns, [line.end_ns]])
    levels = np.concatenate([[line.first], line.level])
    words = [
        f"{'+' if level else '-'}{length / 1000:.3f}"
        for level, length in zip(levels.tolist(), np.diff(bounds).tolist(), strict=True)
        if length
    ]
    rows = [" ".join(words[at : at + 16]) for at in range(0, len(words), 16)]
    return ("\n".join(rows) + "\n").encode()


def sample_rows(
    names: Sequence[str], rate_hz: float, begin_ns: int, columns: Sequence[NDArray], digits: int = 2
) -> Iterator[bytes]:
    """Yield a table of samples: a time in seconds, then a column a channel."""
    yield ("time_s," + ",".join(names) + "\n").encode()
    step = 1e9 / rate_hz
    form = f"{{:.{digits}f}}"
    for number, values in enumerate(zip(*columns, strict=True)):
        time = begin_ns + round(number * step)
        row = f"{time // 10**9}.{time % 10**9:09d}," + ",".join(form.format(value) for value in values)
        yield (row + "\n").encode()


def write_wav(path: Path, rate_hz: int, values: NDArray[np.floating], bits: int) -> None:
    """Write one channel, values from -1 to 1, with 8 or 16 bits."""
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(bits // 8)
        file.setframerate(rate_hz)
        clipped = np.clip(values, -1, 1)
        data = (clipped * 127 + 128).astype(np.uint8) if bits == 8 else (clipped * 32767).astype("<i2")
        file.writeframes(data.tobytes())


def write_sigmf(
    path: Path, rate_hz: float, center_hz: float, begin_ns: int, values: NDArray[np.complexfloating],
    noted: Sequence[tuple[int, int, str]], description: str,
) -> None:  # fmt: skip
    """Write I/Q with eight bits a part beside its description (SigMF 1.0)."""
    pairs = np.stack([values.real, values.imag], axis=1)
    np.clip(np.rint(pairs * 127), -127, 127).astype(np.int8).tofile(path.with_suffix(".sigmf-data"))
    meta = {
        "global": {"core:datatype": "ci8", "core:sample_rate": rate_hz, "core:version": "1.0.0",
                   "core:description": description},
        "captures": [{"core:sample_start": 0, "core:frequency": center_hz, "core:datetime": iso(begin_ns) + "Z"}],
        "annotations": [
            {"core:sample_start": start, "core:sample_count": count, "core:label": text} for start, count, text in noted
        ],
    }  # fmt: skip
    path.with_suffix(".sigmf-meta").write_text(json.dumps(meta, indent=1) + "\n", encoding="utf-8")
