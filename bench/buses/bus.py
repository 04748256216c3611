"""A made-up bus: two lanes, some sixty messages of several makers, a reference, moments, and the truth."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from .makers import Room, Style, add_check, number_width, put, scaled
from .signals import Random, Signal, quantity, state, switched
from .truth import Key, TrueField, TrueMessage

LANES = ("port", "starboard")
BEGIN_S = 1_700_000_000
_PERIODS = (0.01, 0.02, 0.02, 0.05, 0.05, 0.1, 0.1, 0.2, 0.5, 1.0)


@dataclass(slots=True, eq=False)
class Bus:
    """What was made.

    Attributes
    ----------
    seconds
    messages
    signals
        By name.
    moments
        Seconds, and what was done.
    """

    seconds: float
    messages: list[TrueMessage]
    signals: dict[str, Signal]
    moments: list[tuple[float, str]]

    def log(self, path: Path) -> None:
        """Write all frames in order of time as SocketCAN text."""
        rows = [
            (time, f"({BEGIN_S + time:.6f}) {lane} {address:0{8 if extended else 3}X}#{frame.tobytes().hex().upper()}")
            for (lane, address, extended), message in ((one.key, one) for one in self.messages)
            for time, frame in zip(message.times_s.tolist(), message.matrix, strict=True)
        ]  # fmt: skip
        path.write_text("\n".join(line for _, line in sorted(rows)) + "\n")

    def moments_csv(self, path: Path) -> None:
        """Write the moments."""
        lines = [f"{BEGIN_S * 1_000_000_000 + round(at * 1e9)},{text}" for at, text in self.moments]
        path.write_text("time_ns,text\n" + "\n".join(lines) + "\n")

    def reference_csv(self, path: Path, name: str, random: Random, noise: float = 0.0) -> None:
        """Write a signal as an instrument of its own sees it, ten times a second."""
        times = np.arange(0, self.seconds, 0.1)
        values = self.signals[name].at(times, random) * 40 - 7 + random.normal(0, 1, len(times)) * noise
        rows = [f"{BEGIN_S * 1_000_000_000 + round(t * 1e9)},{v:.4f}" for t, v in zip(times, values, strict=True)]
        path.write_text("time_ns,value\n" + "\n".join(rows) + "\n")


def make_bus(seed: int, seconds: float = 120.0, messages: int = 60) -> Bus:
    """Return a bus; the same seed makes the same one."""
    random = np.random.default_rng(seed)
    signals = {name: quantity(name, seconds, random) for name in (f"quantity {n}" for n in range(24))}
    signals |= {name: state(name, seconds, random) for name in (f"state {n}" for n in range(10))}
    moments = _moments(seconds, random)
    for text in sorted({text for _, text in moments}):
        signals[f"switch {text}"] = switched(text, seconds, [at + 0.03 for at, one in moments if one == text])
    makers = [Style.of(random) for _ in range(6)]
    addresses = random.choice(np.arange(0x80, 0x7F0), messages, replace=False).tolist()
    made = []
    for number, address in enumerate(addresses):
        style = makers[int(random.integers(len(makers)))]
        lane = LANES[int(random.random() < 0.4)]
        extended = int(random.random() < 0.2)
        made.append(
            _message((lane, address | (0x18F00000 if extended else 0), extended), style, signals, random, seconds)
        )
        del number
    return Bus(seconds, made, signals, moments)


def _moments(seconds: float, random: Random) -> list[tuple[float, str]]:
    names = ["horn", "lamp", "pump", "valve"]
    times = np.sort(random.uniform(5, seconds - 5, 24))
    return [(float(at), names[int(random.integers(len(names)))]) for at in times]


def _times(style_period: float, seconds: float, random: Random) -> NDArray[np.float64]:
    count = int(seconds / style_period)
    jitter = random.normal(0, min(style_period * 0.01, 0.0005), count)
    return np.clip(np.arange(count) * style_period + random.uniform(0, style_period) + jitter, 0, seconds - 1e-3)


_Signals = dict[str, Signal]


def _message(key: Key, style: Style, signals: _Signals, random: Random, seconds: float) -> TrueMessage:
    size = int(random.choice([8, 8, 8, 8, 6, 5, 4, 3]))
    on_change = random.random() < 0.12
    period = float(random.choice(_PERIODS))
    times = _times(0.02 if on_change else period, seconds, random)
    if random.random() < 0.06:
        # awake only for a while
        times = times[(times > seconds * 0.3) & (times < seconds * 0.55)]
    matrix = np.full((len(times), size), 0xFF if style.filler else 0, np.uint8)
    message = TrueMessage(key, times, matrix, [], None if on_change else period)
    room = Room(size, style.low_first)
    check_bits = _check_place(room, style, size) if not on_change and size >= 4 else ()
    if not on_change:
        _add_counter(message, room, style, random)
    pages = int(random.integers(2, 5)) if random.random() < 0.12 and size >= 6 and not on_change else 0
    if pages:
        _add_pages(message, room, style, signals, random, pages)
    else:
        _fill(message, room, style, signals, random, None, np.arange(len(times)))
    if on_change:
        _only_changes(message)
    if check_bits and len(message.times_s):
        add_check(message, style, check_bits, random)
    return message


def _check_place(room: Room, style: Style, size: int) -> tuple[int, ...]:
    if style.check == "none":
        return ()
    width = {"crc16": 16, "nibble": 4}.get(style.check, 8)
    at = 0 if style.counter_first else (size * 8 - width)
    if width == 16:
        first = 0 if style.counter_first else size - 2
        order = (first + 1, first) if style.low_first else (first, first + 1)
        bits = tuple(byte * 8 + bit for byte in order for bit in range(7, -1, -1))
    else:
        bits = tuple(range(at + width - 1, at - 1, -1))
    return bits if room.take(bits) else ()


def _add_counter(message: TrueMessage, room: Room, style: Style, random: Random) -> None:
    if style.counter == "none" or random.random() < 0.15:
        return
    width = {"nibble": 4, "byte": 8, "skip": 4, "two bits": 2}[style.counter]
    wraps = 15 if style.counter == "skip" else 1 << width
    size = message.matrix.shape[1]
    spots = [((size - 2) * 8 if size > 2 else 8), 8, (size - 1) * 8, 0]
    bits: tuple[int, ...] = ()
    for spot in spots:
        candidate = tuple(range(spot + width - 1, spot - 1, -1))
        if room.take(candidate):
            bits = candidate
            break
    if not bits:
        return
    count = np.arange(len(message.times_s)) + int(random.integers(wraps))
    put(message.matrix, bits, count % wraps)
    message.fields.append(TrueField(bits, "counter", parameters={"step": 1, "wraps_at": wraps}))


def _add_pages(
    message: TrueMessage, room: Room, style: Style, signals: _Signals, random: Random, pages: int
) -> None:  # fmt: skip
    width = int(random.choice([8, 4, 3]))
    bits = tuple(range(width - 1, -1, -1))
    if not room.take(bits):
        bits = tuple(range(8 + width - 1, 7, -1))
        if not room.take(bits):
            _fill(message, room, style, signals, random, None, np.arange(len(message.times_s)))
            return
    values = np.sort(random.choice(np.arange(1 << width if width < 8 else 12), pages, replace=False))
    turn = np.arange(len(message.times_s)) % pages
    put(message.matrix, bits, values[turn])
    message.fields.append(TrueField(bits, "selector", parameters={"values": values.tolist()}))
    for number, value in enumerate(values.tolist()):
        _fill(message, room.copy(), style, signals, random, value, np.flatnonzero(turn == number))


def _fill(
    message: TrueMessage, room: Room, style: Style, signals: _Signals, random: Random, page: int | None, rows: NDArray
) -> None:
    names = list(signals)
    for _ in range(12):
        # no maker says the same thing twice in one message
        name = names.pop(int(random.integers(len(names))))
        signal = signals[name]
        gap = 0
        if signal.states:
            width = 1 if signal.states == 2 else int(signal.states - 1).bit_length() + int(random.random() < 0.25)
            what, scale, zero = ("flag" if width == 1 else "state"), 1.0, 0.0
        else:
            width = number_width(signal, style, random)
            scale, zero, what = scaled(signal, width, random)
        if random.random() < 0.25:
            gap = int(random.integers(1, 5))
        bits = room.next_run(width, gap)
        if bits is None:
            continue
        raw = np.rint(signal.at(message.times_s[rows], random) * scale + zero).astype(np.int64)
        put(message.matrix, bits, raw, rows)
        message.fields.append(TrueField(bits, what, page, name, scale, zero))
        if random.random() < 0.15:
            break


def _only_changes(message: TrueMessage) -> None:
    """Keep the frames that say something new, and one a second."""
    matrix = message.matrix
    changed = np.concatenate([[True], (matrix[1:] != matrix[:-1]).any(axis=1)])
    kept = changed | (np.concatenate([[1], np.diff(message.times_s.astype(np.int64))]) > 0)
    message.matrix, message.times_s = matrix[kept].copy(), message.times_s[kept]
