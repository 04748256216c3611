"""The devices on the tug's other lanes: what they send, drawn on their wires, with noise and a few faults.

Every device writes one raw file and returns the frames that are truly in it. Faults stand at fixed moments of the
loop, so that each trial has them.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from . import files
from .physics import LOOP_S, MOMENTS
from .wires import (
    Drawing,
    analog,
    changes_of,
    hdlc_bits,
    send_characters,
    send_i2c,
    send_manchester,
    send_spi,
    stop_i2c,
)

Signals = Callable[[str, float], float]
"""A column of the physics at a time in seconds since the trial began."""


@dataclass(frozen=True, slots=True)
class TrueFrame:
    """A frame that is truly in a raw file.

    Attributes
    ----------
    time_ns
        Since 1970, UTC, to within the jitter of the wire.
    address, payload
    faults
        Names of flags it should carry.
    """

    time_ns: int
    address: int
    payload: bytes
    faults: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Trial:
    """What a device knows of the trial: when it began, how long it is, what the tug does."""

    start_ns: int
    length_s: float
    seed: int
    signal: Signals

    def random(self, lane: str) -> np.random.Generator:
        """Return a source of chance of the lane's own."""
        return np.random.default_rng([self.seed, *lane.encode()])

    def at_ns(self, seconds: float) -> int:
        """Return a moment in nanoseconds since 1970."""
        return self.start_ns + round(seconds * 1e9)


@dataclass(frozen=True, slots=True)
class Device:
    """A lane's raw file.

    Attributes
    ----------
    lane, note
    file
        Name of the raw file.
    write
        Writes it and returns the truth.
    dated
        Whether the file says when it began; otherwise the trial does.
    begins_s
        When it begins, in seconds of the trial.
    """

    lane: str
    note: str
    file: str
    write: Callable[[Path, Trial], list[TrueFrame]]
    dated: bool = True
    begins_s: float = 0.0


_HOOK_S = MOMENTS[2][0]
_PUMP_S = MOMENTS[5][0]


def write_shore(path: Path, trial: Trial) -> list[TrueFrame]:
    """Shore-power meter over Modbus TCP: polled each second; segments lost, doubled, swapped and split."""
    events: list[tuple[int, bool, bytes, str]] = []
    truth: list[TrueFrame] = []
    transaction = 0
    for second in np.arange(0.2, trial.length_s - 0.5, 1.0):
        number = round(second - 0.2)
        for place, (function, register, count) in enumerate(((4, 0, 6), (3, 100, 2), (2, 0, 10))):
            transaction += 1
            at = trial.at_ns(second + place * 0.11)
            fault = {(11, 0): "unanswered", (23, 1): "late", (36, 2): "exception"}.get((number % 60, place), "")
            register = 600 if fault == "exception" else register
            request = struct.pack(">BBHH", 1, function, register, count)
            address = 1 << 24 | function << 16 | register
            faults = ("unanswered",) if fault == "unanswered" else ()
            truth.append(TrueFrame(at, address, struct.pack(">H", count), faults))
            # a request is sent again now and then, since its acknowledge came late
            quirk = "again" if number % 20 == 7 and place == 1 else ""
            events.append((at, False, _with_head(transaction, request), quirk))
            if fault == "unanswered":
                continue
            back = at + round((0.34 if fault == "late" else 0.004 + 0.0007 * (number % 5)) * 1e9)
            data = b"\x02" if fault == "exception" else _meter_data(trial, second, function)
            body = (
                bytes((1, function | 0x80)) + data if fault == "exception" else bytes((1, function, len(data))) + data
            )
            truth.append(TrueFrame(back, address, data, ("answer", fault) if fault else ("answer",)))
            quirk = (
                "split" if number % 15 == 4 and place == 0 else "swapped" if number % 30 == 13 and place == 0 else ""
            )
            events.append((back, True, _with_head(transaction, body), quirk))
    files.write_packets(path, _segments(sorted(events), trial.at_ns(0.05)))
    return sorted(truth, key=lambda item: item.time_ns)


def _with_head(transaction: int, unit: bytes) -> bytes:
    return struct.pack(">HHH", transaction & 0xFFFF, 0, len(unit)) + unit


def _segments(events: list[tuple[int, bool, bytes, str]], begin: int) -> list[tuple[int, bytes]]:
    """Return packets of one connection: its opening, then each event in a segment, or in two."""
    ends = ((5, 49_152), (40, 502))
    numbers = [1000, 5_000_000]
    packets = []

    def send(at: int, way: bool, payload: bytes, flags: int = 0x18) -> None:
        packet = files.tcp_packet(ends[way], ends[not way], numbers[way], numbers[not way], flags, payload)
        packets.append((at, packet))
        numbers[way] += len(payload) + bool(flags & 0x03)

    send(begin, False, b"", 0x02)
    send(begin + 200_000, True, b"", 0x12)
    send(begin + 400_000, False, b"", 0x10)
    for at, way, payload, quirk in events:
        if quirk in ("split", "swapped"):
            send(at - 400_000, way, payload[:9])
            send(at, way, payload[9:])
            if quirk == "swapped":
                # the second part is there first
                (early, first), (late, second) = packets[-2:]
                packets[-2:] = [(early, second), (late, first)]
        else:
            send(at, way, payload)
        if quirk == "again":
            packets.append((at + 3_000_000, packets[-1][1]))
    return sorted(packets, key=lambda item: item[0])


def _meter_data(trial: Trial, second: float, function: int) -> bytes:
    load = 6 + 2.5 * np.sin(second / 11) + (3 if 60 <= second % LOOP_S < 102 else 0)
    if function == 4:
        volts = [round((230 + 1.5 * np.sin(second / 17 + phase) - 0.2 * load) * 10) for phase in (0, 2, 4)]
        return struct.pack(">6H", *volts, *(round(load * part * 100) for part in (1.0, 0.93, 1.04)))
    if function == 3:
        return struct.pack(">I", round(1_284_000 + second * 4.1))
    states = 0b0000000101 | (0b10 if 60 <= second % LOOP_S < 102 else 0)
    return struct.pack("<H", states)


def write_deck(path: Path, trial: Trial) -> list[TrueFrame]:
    """Valve island over Modbus RTU at 19.2 kbit/s: both directions on one pair, seen as a logic line."""
    random = trial.random("deck")
    wires = Drawing(bus=1)
    truth: list[TrueFrame] = []
    bit_ns = 1e9 / 19_230
    zero = trial.at_ns(0)
    for second in np.arange(0.3, trial.length_s - 0.4, 0.5):
        number = round((second - 0.3) * 2)
        valves = (0b101 if 60 <= second % LOOP_S < 110 else 0b1) | (0x80 if second % LOOP_S > _PUMP_S else 0)
        pressure = round((82 + 6 * np.sin(second / 9)) * 10)
        flow = round(max(0.0, 30 + trial.signal("wheel", second) * 0.4) * 10)
        for unit, request, answer, data_in, data_back in (
            (17, bytes((17, 15, 0, 0, 0, 8, 1, valves)), bytes((17, 15, 0, 0, 0, 8)), bytes((valves,)), b"\x00\x08"),
            (17, struct.pack(">BBHH", 17, 4, 10, 3), b"", b"\x00\x03",
             struct.pack(">HHH", pressure, flow, 215 + number % 7)),
        ):  # fmt: skip
            function = request[1]
            answer = answer or bytes((unit, function, len(data_back))) + data_back
            register = 0 if function == 15 else 10
            address = unit << 24 | function << 16 | register
            wires.wait_until(second * 1e9 if function == 15 else wires.now_ns + 3e6)
            fault = {(25, 15): "unanswered", (61, 4): "bad check"}.get((number % 120, function), "")
            faults = ("unanswered",) if fault == "unanswered" else ()
            truth.append(TrueFrame(zero + round(wires.now_ns), address, data_in, faults))
            send_characters(wires, bit_ns, _with_crc(request), "bus")
            if fault == "unanswered":
                wires.wait(12e6)
                continue
            wires.wait(4e6 + 1e6 * random.random())
            sent = _with_crc(answer)
            if fault == "bad check":
                # a disturbance turned one bit of the pressure
                sent = sent[:4] + bytes((sent[4] ^ 0x10,)) + sent[5:]
                truth[-1] = TrueFrame(truth[-1].time_ns, address, data_in, ("unanswered",))
                truth.append(TrueFrame(zero + round(wires.now_ns), unit << 24 | function << 16, sent, ("bad check",)))
            else:
                truth.append(TrueFrame(zero + round(wires.now_ns), address, data_back, ("answer",)))
            send_characters(wires, bit_ns, sent, "bus")
    first, times = wires.toggles("bus", 900.0, random)
    times = _with_glitches(times, random, max(3, round(trial.length_s / 8)), 400)
    files.write_vcd(path, "deck", {"bus": (first, times)}, zero, round(wires.now_ns + 5e6))
    return truth


def _with_crc(data: bytes) -> bytes:
    crc = 0xFFFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = crc >> 1 ^ 0xA001 if crc & 1 else crc >> 1
    return data + struct.pack("<H", crc)


def _with_glitches(
    times: NDArray[np.int64], random: np.random.Generator, count: int, width_ns: int
) -> NDArray[np.int64]:
    """Put short pulses into long pauses."""
    pauses = np.flatnonzero(np.diff(times) > 2_000_000)
    if not len(pauses):
        return times
    chosen = random.choice(pauses, min(count, len(pauses)), replace=False)
    starts = times[chosen] + np.diff(times)[chosen] // 2
    return np.sort(np.concatenate([times, starts, starts + width_ns]))


def write_bilge(path: Path, trial: Trial) -> list[TrueFrame]:
    """Level sensor on I2C, two analog channels: slow rising flanks, a refused byte, a read past the last register."""
    random = trial.random("bilge")
    half = 1e9 / 99_800 / 2
    wires = Drawing(clock=1, data=1)
    truth: list[TrueFrame] = []
    begins = begin_of(_PUMP_S - 0.02, trial.length_s)
    zero = trial.at_ns(begins)
    length = 0.06
    wires.wait(4e5)
    number = 0
    while wires.now_ns < length * 1e9 - 3.2e6:
        second = begins + wires.now_ns / 1e9
        level = round(142 + 40 * np.clip((_PUMP_S + 0.5 - second % LOOP_S) / 0.5, 0, 1) + number % 3)
        data = struct.pack(">HH", level, round(364 + number % 5))
        start = zero + round(wires.now_ns)
        if number == 7:
            truth.append(TrueFrame(start, 0x5A, b"\x10", ("not acknowledged",)))
            send_i2c(wires, half, 0x5A, False, [(0x10, False)])
            stop_i2c(wires, half)
        elif number == 15:
            truth.append(TrueFrame(start, 0x5A, b"\x18\x05\x0a\x0f", ()))
            send_i2c(wires, half, 0x5A, False, [(byte, True) for byte in b"\x18\x05\x0a\x0f"])
            stop_i2c(wires, half)
        elif number == 20:
            truth.append(TrueFrame(start, 0x31, b"", ("not acknowledged",)))
            send_i2c(wires, half, 0x31, False, [], taken=False)
            stop_i2c(wires, half)
        else:
            truth.append(TrueFrame(start, 0x5A, b"\x10", ()))
            send_i2c(wires, half, 0x5A, False, [(0x10, True)])
            wires.wait(half * (14 if number % 6 == 2 else 1))
            truth.append(TrueFrame(zero + round(wires.now_ns + 2 * half), 0x5A, data, ("read",)))
            send_i2c(wires, half, 0x5A, True, [*((byte, True) for byte in data[:-1]), (data[-1], False)], again=True)
            stop_i2c(wires, half)
        number += 1
        wires.wait(1.2e6)
    rate = 2e6
    count = round(length * rate)
    clock = analog(wires, "clock", count, rate, 410.0, 0.04, 3.28, 0.035, random)
    data_line = analog(wires, "data", count, rate, 520.0, 0.05, 3.27, 0.035, random)
    files.write_samples(path, ("ch1", "ch2"), rate, zero, (clock, data_line))
    return truth


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


def write_compass(path: Path, trial: Trial) -> list[TrueFrame]:
    """Compass: sentences twice a second, noted in the pieces in which they came in."""
    random = trial.random("compass")
    lines, truth = [], []
    for number, second in enumerate(np.arange(0.1, trial.length_s, 0.25)):
        heading = trial.signal("heading", second) % 360
        turn = trial.signal("turn_rate", second)
        body = f"YZHDG,{heading:06.2f},T" if number % 2 == 0 else f"YZROT,{turn:+07.3f},A"
        check = 0
        for letter in body.encode():
            check ^= letter
        text = f"${body}*{check:02X}"
        faults: tuple[str, ...] = ()
        sent = text
        if number % 160 == 45:
            sent, faults = text.replace(",", ";", 1), ("bad check",)
        at = trial.at_ns(second)
        truth.append(TrueFrame(at, int.from_bytes(sent[1:6].encode(), "big"), sent.encode(), faults))
        data = sent.encode() + b"\r\n"
        cut = int(random.integers(3, len(data) - 3))
        for offset, part in ((0, data[:cut]), (cut * 0.0021, data[cut:])):
            time = at + round(offset * 1e9)
            lines.append(f"{time // 10**9}.{time % 10**9:09d} < {part.hex(' ').upper()}")
    path.write_text("# compass, 4800 bit/s, as it came in\n" + "\n".join(lines) + "\n", encoding="ascii")
    return truth


def write_pendant(path: Path, trial: Trial) -> list[TrueFrame]:
    """Hook release pendant, on-off keyed at 433.92 MHz: bits in the width of pulses, five repeats, one cut off."""
    random = trial.random("pendant")
    rate = 125_000
    begins = begin_of(_HOOK_S - 0.35, trial.length_s)
    zero = trial.at_ns(begins)
    length = 1.15
    count = round(length * rate)
    key, truth = np.zeros(count), []
    bits_of = lambda value: [value >> (25 - n) & 1 for n in range(26)]  # noqa: E731
    presses = ((0.35, 0x2A5C3 << 6 | 0b0110 << 2 | 0b10, 0.42), (0.905, 0x2A5C3 << 6 | 0b1001 << 2 | 0b10, 0.16))
    for second, value, strength in presses:
        at = second
        first = at
        whole = 0
        for _ in range(5):
            if at + 26 * 0.0014 > length:
                break
            for bit in bits_of(value):
                width = (0.00105 if bit else 0.00035) * (1 + 0.02 * random.standard_normal())
                key[round(at * rate) : round((at + width) * rate)] = strength
                at += 0.0014
            at += 0.0105
            whole += 1
        packed = (value << 6).to_bytes(4, "big")
        truth.append(TrueFrame(zero + round(first * 1e9), 26, packed, ("voted",) if whole > 1 else ()))
    # the last burst runs beyond the end of the recording
    tail = length - 0.0105
    for n in range(7):
        key[round((tail + n * 0.0014) * rate) : round((tail + n * 0.0014 + 0.00035) * rate)] = 0.16
    truth.append(TrueFrame(zero + round(tail * 1e9), 7, b"\x00", ("cut short",)))
    time = np.arange(count) / rate
    drift = np.exp(2j * np.pi * (17_400 * time + 300 * time**2))
    noise = random.normal(0, 0.02, count) + 1j * random.normal(0, 0.02, count)
    noted = [(round(0.35 * rate), round(0.24 * rate), "release pressed")]
    files.write_sigmf(path, rate, 433.9e6, zero, key * drift + noise, noted)
    return truth


def write_bridge(path: Path, trial: Trial) -> list[TrueFrame]:
    """Infrared remote of the bridge's climate unit: a long leader, bits in the distance of pulses, sent twice."""
    random = trial.random("bridge")
    parts: list[str] = ["# climate remote on the bridge, lengths in microseconds"]
    truth = []
    time = 0.0
    zero = trial.at_ns(begin_of(15.0, trial.length_s))

    def pulse(length: float, sign: str) -> str:
        nonlocal time
        actual = round(length + random.normal(0, 22))
        time += actual
        return f"{sign}{actual}"

    for number in range(6):
        line: list[str] = []
        first = time + 5100
        body = bytes((0x5A, 0xA5, 16 + number, 0b0101_0000 | number % 3, 0x03))
        message = body + bytes((sum(body) & 0xFF,))
        for repeat in range(2):
            line += [pulse(3400, "+"), pulse(1700, "-")]
            for byte in message:
                for n in range(8):
                    line += [pulse(430, "+"), pulse(1290 if byte >> (7 - n) & 1 else 430, "-")]
            line += [pulse(430, "+"), pulse(29_000 if repeat == 0 else 1_500_000, "-")]
        parts.append(" ".join(line))
        truth.append(TrueFrame(zero + round(first * 1000), 48, message, ("voted",)))
    path.write_text("\n".join(parts) + "\n", encoding="ascii")
    return truth


def write_sounder(path: Path, trial: Trial) -> list[TrueFrame]:
    """Echo sounder: Manchester words on a bipolar line, sampled as audio with eight bits."""
    random = trial.random("sounder")
    rate, half = 96_000, 1e9 / 6000
    begins = begin_of(44.0, trial.length_s)
    zero = trial.at_ns(begins)
    wires = Drawing(line=0)
    truth = []
    number = 0
    wires.wait(2e7)
    while wires.now_ns < 1.9e9:
        second = begins + wires.now_ns / 1e9
        depth = round((11.4 + 1.8 * np.sin(second / 2.3)) * 100)
        words = (0xA500 | number & 0xFF, depth, 0x0300 | 90 + number % 9)
        truth.append(TrueFrame(zero + round(wires.now_ns), 0, struct.pack(">3H", *words), ()))
        for place, word in enumerate(words):
            send_manchester(wires, half, "000111" if place else "111000", word, "line")
        wires.set(line=0)
        wires.wait(4.5e7)
        number += 1
    count = round((wires.now_ns / 1e9 + 0.01) * rate)
    values = analog(wires, "line", count, rate, 40_000.0, -0.6, 0.6, 0.02, random)
    files.write_wav(path, rate, values, 8)
    return truth


def write_beacon(path: Path, trial: Trial) -> list[TrueFrame]:
    """Position beacon: packets of HDLC at 1200 bit/s, two tones at 1200 and 2200 Hz, with noise and one broken."""
    random = trial.random("beacon")
    rate = 11_025
    begins = begin_of(20.0, trial.length_s)
    zero = trial.at_ns(begins)
    length = 12.0
    phase_step = np.zeros(round(length * rate))
    truth = []
    for number, second in enumerate(np.arange(0.6, length - 0.8, 1.8)):
        north, east = trial.signal("north_m", begins + second), trial.signal("east_m", begins + second)
        speed = round(trial.signal("water_speed", begins + second) * 100)
        payload = b"YZ7" + struct.pack(">BiihH", number, round(north * 100), round(east * 100), speed, 3712 - number)
        payload += _swell(trial, begins + second, number) + _extras(trial, begins + second, number)
        broken = number == 3
        bits = changes_of(hdlc_bits(payload, 20, 0x1234 if broken else None))
        truth.append(
            TrueFrame(zero + round((second + 19 * 8 / 1200) * 1e9), 0, payload, ("bad check",) if broken else ())
        )
        edges = np.rint((second + np.arange(len(bits) + 1) / 1200) * rate).astype(np.int64)
        for level, first, last in zip(bits, edges, edges[1:], strict=False):
            phase_step[first:last] = 2 * np.pi * (1200 if level else 2200) / rate
    wave = np.sin(np.cumsum(phase_step)) * (phase_step > 0) * 0.5
    files.write_wav(path, rate, wave + random.normal(0, 0.04, len(wave)), 16)
    return truth


def _swell(trial: Trial, second: float, number: int) -> bytes:
    """Return the swell the beacon rode in the last seconds, a height each half second; not in every packet."""
    count = 0 if number % 3 == 2 else 8 + number % 3 * 4
    times = second + np.arange(count) * 0.5
    heights = np.rint(50 * (0.5 * np.sin(times * 1.1) + 0.2 * np.sin(times * 2.7 + 1))).astype(np.int8)
    return bytes((0x80 | count if count else 0, 5)) + heights.tobytes()


def _extras(trial: Trial, second: float, number: int) -> bytes:
    """Return what else the beacon says, as a list of type, length and value."""
    said = {1: struct.pack(">bB", 37 + number, 1 + number % 2)}
    if number % 2:
        said[2] = b"slack water" if number % 4 == 1 else b"drifting"
    if number == 4:
        body = f"YZHDG,{trial.signal('heading', second) % 360:06.2f},T"
        check = 0
        for letter in body.encode():
            check ^= letter
        said[3] = f"${body}*{check:02X}".encode()
    if number == 5:
        said[4] = _self_test()
    return b"".join(bytes((kind, len(value))) + value for kind, value in said.items())


def _self_test() -> bytes:
    """Return what the beacon found out about itself, in the codes of the parts it is made of."""
    serial, software = bytes((0x04, 0x71)), b"\x02\x31"
    tilt, trim, vane = 0x80 | 3, 0xFF ^ 6, 13 ^ 13 >> 1
    head = serial + software + bytes((tilt, trim, vane, 180, 0xFF ^ 96, 0xFF))
    faults, place = bytes((17, 2, 31, 1)), b"pier 12"
    body = head + bytes((len(faults), len(place), 0x9C, 0x41)) + b"deck team\0" + faults + place
    # the clock in it reads whole words, so the minutes since the last test begin at an even byte
    body += b"\0" * (len(body) % 2) + struct.pack(">H", 4321)
    return body + bytes((12, 11, 9, 8))


def begin_of(second: float, length_s: float) -> float:
    """Return when a short recording begins: at its moment, or at the start of a trial that ends before."""
    return second if second + 3 < length_s else 0.0


def devices() -> Iterator[Device]:
    """Yield every lane besides the two CAN lanes."""
    yield Device("shore", "Modbus TCP", "shore-meter.pcap", write_shore)
    yield Device("deck", "Modbus RTU", "deck-bus.vcd.gz", write_deck)
    yield Device("bilge", "I2C 100k", "bilge-scl-sda.csv.gz", write_bilge)
    yield Device("winch", "SPI 2 MHz", "winch-load.vcd.gz", write_winch)
    yield Device("compass", "sentences", "compass.bytes", write_compass)
    yield Device("pendant", "OOK 433.9", "pendant.sigmf-meta", write_pendant)
    yield Device("bridge", "infrared", "bridge-remote.pulses", write_bridge, dated=False, begins_s=15.0)
    yield Device("sounder", "bipolar words", "sounder.wav", write_sounder, dated=False, begins_s=44.0)
    yield Device("beacon", "two tones", "beacon.wav", write_beacon, dated=False, begins_s=20.0)
