"""The messages of the two CAN lanes: their layouts, their timing and what drives each field.

Messages with ``known=False`` are left out of the library, so that there is something to unravel.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..core.layouts.model import Layout
from .layouts import can_layout, make_field
from .physics import LOOP_S, MOMENTS, Physics

Values = NDArray[np.floating]
Signal = str | Callable[[Physics, Values], Values]
"""A column of the physics, or a function of it and of times in seconds."""


@dataclass(frozen=True, slots=True)
class Message:
    """A simulated message.

    Attributes
    ----------
    layout
        The truth.
    period_s
        Cycle time; for an event-driven message, the longest silence.
    signals
        What drives each field, by field name.
    known
        Whether the library has it.
    event
        Sent besides whenever this signal changes; None for a purely cyclic message.
    check_key
        Bytes that go into the CRC of a field called ``check`` before the payload.
    jitter_s
        How much later than on time a frame may be sent.
    pages
        How many values the selector runs through.
    extra
        Content of text fields, by field name.
    unlisted
        Fields that the library does not have.
    """

    layout: Layout
    period_s: float
    signals: Mapping[str, Signal]
    known: bool = True
    event: Callable[[Physics, Values], Values] | None = None
    check_key: bytes = b""
    jitter_s: float = 0.0004
    pages: int = 1
    extra: Mapping[str, bytes] = field(default_factory=dict)
    unlisted: tuple[str, ...] = ()

    def library_layout(self) -> Layout:
        """Return the layout as the library has it: without the fields that nobody has found yet."""
        layout = self.layout
        for name in self.unlisted:
            hidden = layout.field_named(name)
            if hidden is not None:
                layout = layout.without_field(hidden.id)
        return layout


def in_loop(time: Values) -> Values:
    """Return seconds into the loop of the voyage."""
    return np.mod(time, LOOP_S)


def between(first: float, last: float) -> Callable[[Physics, Values], Values]:
    """Return a signal that is 1 from ``first`` to ``last`` seconds of the loop."""
    return lambda _physics, time: ((in_loop(time) >= first) & (in_loop(time) < last)).astype(np.float64)


def _constant(value: float) -> Signal:
    return lambda _physics, time: np.full(len(time), value)


def _noisy(name: str, size: float, seed: int) -> Signal:
    """Return a column with measuring noise that depends only on the time."""

    def signal(physics: Physics, time: Values) -> Values:
        ticks = np.rint(time * 10_000).astype(np.uint64)
        mixed = (ticks * np.uint64(0x9E3779B97F4A7C15)) ^ np.uint64(seed * 0x2545F491)
        mixed = (mixed ^ (mixed >> np.uint64(31))) * np.uint64(0xBF58476D1CE4E5B9)
        unit = (mixed >> np.uint64(11)).astype(np.float64) / 2.0**53
        return physics.at(name, time) + (unit - 0.5) * 2 * size

    return signal


def _mode(physics: Physics, time: Values) -> Values:
    lever = physics.at("lever_port", time)
    return np.where(lever < -3, 3, np.where(lever > 45, 2, np.where(lever > 3, 1, 0))).astype(np.float64)


def _limited(side: str) -> Signal:
    return lambda physics, time: (np.abs(physics.at(f"rate_{side}", time)) > 5.9).astype(np.float64)


def _cell(number: int) -> Signal:
    spread = ((number * 37) % 11 - 5) * 0.9

    def signal(physics: Physics, time: Values) -> Values:
        return physics.at("pack_voltage", time) / 160 * 1000 + spread + np.sin(time / 29 + number) * 0.6

    return signal


def _cell_heat(number: int) -> Signal:
    return lambda physics, time: 20 + number * 0.7 + physics.at("energy_wh", time) * 0.004


def _pod_command(side: str, address: int) -> Message:
    name = f"Azimuth command {side}"
    fields = [
        make_field("angle set", "B1 B0", "signed", "0.05", unit="deg", limits=(-180, 180)),
        make_field("thrust set", "B3 B2", "signed", "0.1", unit="%", limits=(-100, 100)),
        make_field("mode", "B4[1..0]", "names", names={0: "stopped", 1: "harbour", 2: "transit", 3: "astern"}),
        make_field("enabled", "B4[7]", "flag"),
        make_field("turn counter", "B6[3..0]", note="rises by one each frame"),
        make_field("check", "B7", note="CRC-8 over B0 to B6"),
    ]
    signals: dict[str, Signal] = {
        "angle set": f"angle_command_{side}",
        "thrust set": f"lever_{side}",
        "mode": _mode,
        "enabled": _constant(1),
    }
    return Message(can_layout(name, "thruster", address, fields, sender="helm station"), 0.01, signals)


def _pod_feedback(side: str, address: int) -> Message:
    name = f"Azimuth feedback {side}"
    fields = [
        make_field("angle", "B1 B0", "signed", "0.05", unit="deg", limits=(-180, 180)),
        make_field("rate", "B3[7..4] B2", "signed", "0.1", unit="deg/s", limits=(-20, 20)),
        make_field("state", "B3[2..0]", "names",
               names={0: "off", 1: "starting", 2: "ready", 3: "limited", 4: "fault", 5: "service"}),
        make_field("torque", "B4 B5[7..6]", "signed", "0.25", unit="%", limits=(-100, 100)),
        make_field("limited", "B5[0]", "flag"),
        make_field("turn counter", "B6[3..0]", note="rises by one each frame"),
        make_field("check", "B7", note="CRC-8 over B0 to B6"),
    ]  # fmt: skip

    def state(physics: Physics, time: Values) -> Values:
        return np.where(np.abs(physics.at(f"rate_{side}", time)) > 5.9, 3.0, 2.0)

    signals = {
        "angle": _noisy(f"angle_{side}", 0.04, address),
        "rate": f"rate_{side}",
        "state": state,
        "torque": f"torque_{side}",
        "limited": _limited(side),
    }
    unlisted = ("torque",) if side == "starboard" else ()
    layout = can_layout(name, "thruster", address, fields, sender=f"{side} pod controller")
    return Message(layout, 0.01, signals, unlisted=unlisted)


def _thruster_known() -> list[Message]:
    heat = [
        make_field("winding port", "B0", offset="-40", unit="°C", limits=(-40, 150)),
        make_field("winding starboard", "B1", offset="-40", unit="°C", limits=(-40, 150)),
        make_field("inverter", "B3 B2", step="0.1", offset="-40", unit="°C"),
        make_field("coolant", "B5 B4", step="0.1", offset="-40", unit="°C"),
        make_field("spare probe", "B6", offset="-40", unit="°C", unavailable=(255,)),
    ]
    helm = [
        make_field("lever port", "B0 B1", "signed", "0.1", unit="%", limits=(-100, 100)),
        make_field("lever starboard", "B2 B3", "signed", "0.1", unit="%", limits=(-100, 100)),
        make_field("wheel", "B4 B5", "signed", "0.01", unit="deg", limits=(-180, 180)),
        make_field("station", "B6[7..6]", "names", names={0: "none", 1: "wheelhouse", 2: "aft deck", 3: "portable"}),
        make_field("horn", "B6[0]", "flag"),
        make_field("searchlight", "B6[1]", "flag"),
    ]
    status = "Pod status"
    pages = [
        make_field(
            "page", "B0[3..0]", "names", names={0: "oil", 1: "hours", 2: "vibration", 3: "build"}, message=status
        ),
        make_field("oil pressure", "B1 B2", step="0.01", unit="bar", selected=("page", 0), message=status),
        make_field("oil heat", "B3", offset="-40", unit="°C", selected=("page", 0), message=status),
        make_field("run time", "B4..B1", step="1/3600", unit="h", selected=("page", 1), message=status),
        make_field("vibration", "B2 B1", "float", unit="mm/s", selected=("page", 2), message=status),
        make_field("shaft speed", "B5 B4", "signed", "0.5", unit="1/min", selected=("page", 2), message=status),
        make_field("build", "B1..B7", "text", selected=("page", 3), message=status),
    ]
    bow = [
        make_field("running", "B0[0]", "flag"),
        make_field("side", "B0[2..1]", "names", names={0: "centre", 1: "port", 2: "starboard"}),
        make_field("speed", "B1", step="0.5", unit="%"),
        make_field("motor current", "B3 B2", step="0.1", unit="A"),
    ]
    bow_on = between(MOMENTS[0][0], MOMENTS[1][0])

    def bow_speed(physics: Physics, time: Values) -> Values:
        since = in_loop(time) - MOMENTS[0][0]
        return bow_on(physics, time) * np.clip(since / 2, 0, 1) * 80

    beat = {0: "starting", 4: "stopped", 5: "running", 127: "waiting"}
    return [
        Message(can_layout("Motor heat", "thruster", 0x2C2, heat, 7, "motor controller"), 0.1, {
            "winding port": "heat_port", "winding starboard": "heat_starboard", "inverter": "inverter_heat",
            "coolant": "coolant_heat", "spare probe": _constant(215)}, unlisted=("coolant",)),
        Message(can_layout("Helm lever", "thruster", 0x310, helm, 7, "helm station"), 0.02, {
            "lever port": "lever_port", "lever starboard": "lever_starboard", "wheel": "wheel",
            "station": _constant(1), "horn": between(85, 87), "searchlight": between(60, 102)},
            unlisted=("wheel", "searchlight")),
        Message(can_layout(status, "thruster", 0x320, pages, 8, "pod controller"), 0.05, {
            "page": lambda _p, t: np.mod(np.floor(t / 0.05 + 0.5), 4),
            "oil pressure": lambda p, t: 3.2 + np.abs(p.at("torque_port", t)) * 0.02,
            "oil heat": "heat_port",
            "run time": lambda _p, t: (4_017_600 + t) / 3600,
            "vibration": lambda p, t: 0.4 + np.abs(p.at("speed_port", t)) * 0.004,
            "shaft speed": "speed_port"}, pages=4, extra={"build": b"YZ-4.2b"}),
        Message(can_layout("Bow thruster", "thruster", 0x400, bow, 4, "bow thruster"), 0.2, {
            "running": bow_on, "side": lambda p, t: bow_on(p, t) * 2, "speed": bow_speed,
            "motor current": lambda p, t: bow_speed(p, t) * 1.9}, event=bow_on),
        Message(can_layout("Helm heartbeat", "thruster", 0x701, [make_field("state", "B0", "names", names=beat)], 1,
                        "helm station"), 1.0, {"state": _constant(5)}),
        Message(can_layout("Pod heartbeat", "thruster", 0x702, [make_field("state", "B0", "names", names=beat)], 1,
                        "pod controller"), 1.0, {"state": _constant(5)}),
    ]  # fmt: skip


def _thruster_unknown() -> list[Message]:
    motion = [
        make_field("heading", "B1 B0", step="0.01", unit="deg"),
        make_field("water speed", "B2 B3", "signed", "0.01", unit="kn"),
        make_field("turn rate", "B4[3..0] B5", "signed", "0.02", unit="deg/s"),
        make_field("turn counter", "B6[3..0]"),
        make_field("check", "B7"),
    ]
    tow = [
        make_field("pull", "B0..B3", "float", unit="kN"),
        make_field("winch turns", "B5 B4", step="0.01"),
        make_field("hook closed", "B6[4]", "flag"),
        make_field("turn counter", "B7[7..4]"),
    ]
    deck = [
        make_field("searchlight", "B0[5]", "flag"),
        make_field("bilge pump", "B0[2]", "flag"),
        make_field("hook closed", "B1[0]", "flag"),
        make_field("lamps", "B1[7..5]"),
    ]
    wind = [
        make_field("wind speed", "B0 B1[7..4]", step="0.01", unit="m/s"),
        make_field("wind angle", "B1[3..0] B2", step="0.1", unit="deg"),
        make_field("air heat", "B3", "signed", "0.5", unit="°C"),
    ]
    trim = [
        make_field("trim level", "B2 B1", step="0.01", unit="%"),
        make_field("trim level again", "B4 B3", step="0.01", unit="%"),
        make_field("pump steps", "B0[6..0]"),
    ]
    closed = between(0, MOMENTS[2][0])

    def switches(physics: Physics, time: Values) -> Values:
        states = (between(60, 102), between(103, 118), closed, between(60, 110))
        return np.asarray(sum(state(physics, time) * 2**n for n, state in enumerate(states)))

    return [
        Message(can_layout("Motion", "thruster", 0x2C1, motion, check_key=b"\x3c"), 0.01, {
            "heading": "heading", "water speed": "water_speed", "turn rate": "turn_rate"},
            known=False, check_key=b"\x3c"),
        Message(can_layout("Tow", "thruster", 0x2D0, tow), 0.02, {
            "pull": "tow_pull", "winch turns": "winch_turns", "hook closed": closed}, known=False),
        Message(can_layout("Deck switches", "thruster", 0x3A0, deck, 2), 1.0, {
            "searchlight": between(60, 102), "bilge pump": between(103, 118), "hook closed": closed,
            "lamps": lambda p, t: between(60, 110)(p, t) * 5}, known=False, event=switches),
        Message(can_layout("Wind", "thruster", 0x510, wind, 4), 0.1, {
            "wind speed": "wind_speed", "wind angle": "wind_angle",
            "air heat": lambda _p, t: 17 + 1.5 * np.sin(t / 47)}, known=False),
        Message(can_layout("Trim tank", "thruster", 0x2E0, trim, 5), 0.05, {
            "trim level": "trim_level", "trim level again": "trim_level",
            "pump steps": lambda _p, t: np.mod(np.floor(t * 3), 128)}, known=False),
    ]  # fmt: skip


def _battery_known() -> list[Message]:
    totals = [
        make_field("current", "B1 B0", "signed", "0.1", unit="A", limits=(-600, 600)),
        make_field("voltage", "B3 B2", step="0.1", unit="V", limits=(480, 680)),
        make_field("charge", "B4", step="0.5", unit="%", limits=(0, 100)),
        make_field("state", "B5[2..0]", "names", names={0: "open", 1: "precharge", 2: "closed", 3: "fault"}),
        make_field("turn counter", "B6[3..0]", note="rises by one each frame"),
        make_field("check", "B7", note="CRC-8 over B0 to B6"),
    ]
    heats = [
        make_field(f"heat {n + 1}", f"B{n}", offset="-40", unit="°C", limits=(-40, 60), unavailable=(255,))
        for n in range(8)
    ]
    limits = [
        make_field("charge limit", "B0 B1", step="0.1", unit="A"),
        make_field("draw limit", "B2 B3", step="0.1", unit="A"),
        make_field("derated", "B4[0]", "flag"),
    ]
    label = "Pack label"
    text = [
        make_field("part", "B0", "unsigned", message=label),
        make_field("serial head", "B1..B7", "text", selected=("part", 0), message=label),
        make_field("serial tail", "B1..B7", "text", selected=("part", 1), message=label),
    ]
    messages = [
        Message(can_layout("Pack totals", "battery", 0x18FF0210, totals, 8, "pack controller"), 0.05, {
            "current": "pack_current", "voltage": "pack_voltage", "charge": "charge", "state": _constant(2)},
            jitter_s=0.001),
        Message(can_layout("Cell heat", "battery", 0x18FF2010, heats, 8, "pack controller"), 0.5, {
            f"heat {n + 1}": _constant(215) if n == 6 else _cell_heat(n) for n in range(8)}),
        Message(can_layout("Pack limits", "battery", 0x18FF4010, limits, 5, "pack controller"), 0.5, {
            "charge limit": lambda p, t: 180 - p.at("charge", t) * 0.8,
            "draw limit": lambda p, t: 420 - p.at("heat_port", t) * 0.9,
            "derated": lambda p, t: (p.at("heat_port", t) > 40).astype(np.float64)}),
        Message(can_layout(label, "battery", 0x18FFE010, text, 8, "pack controller"), 2.5, {
            "part": lambda _p, t: np.mod(np.floor(t / 2.5 + 0.5), 2)}, pages=2,
            extra={"serial head": b"YUZU-PK", "serial tail": b"-07-KIN"}),
    ]  # fmt: skip
    for block in range(4):
        name = f"Cell block {block + 1}"
        cells = [
            make_field(
                f"cell {block * 4 + n + 1}", f"B{2 * n} B{2 * n + 1}", step="0.1", unit="mV", limits=(2800, 4250)
            )
            for n in range(4)
        ]
        signals = {f"cell {block * 4 + n + 1}": _cell(block * 4 + n) for n in range(4)}
        address = 0x18FF1010 + (block + 1) * 0x100
        messages.append(Message(can_layout(name, "battery", address, cells, 8, "pack controller"), 0.2, signals))
    return messages


def _battery_unknown() -> list[Message]:
    isolation = [
        make_field("isolation", "B0 B1", unit="kΩ"),
        make_field("leakage", "B2 B3", "signed", "0.01", unit="mA"),
        make_field("test running", "B4[7]", "flag"),
    ]
    energy = [
        make_field("energy", "B3..B0", step="0.1", unit="Wh"),
        make_field("power", "B5 B4", "signed", "0.01", unit="kW"),
        make_field("contactors", "B6[3..0]"),
    ]
    events = [make_field("contactor word", "B0 B1"), make_field("reason", "B2")]
    coolant = [
        make_field("flow", "B0[5..0] B1[7..4]", step="0.05", unit="l/min"),
        make_field("inlet", "B2", "signed", "0.5", unit="°C"),
        make_field("outlet", "B3", "signed", "0.5", unit="°C"),
        make_field("minutes", "B6 B5"),
    ]
    contactor = between(6, 112)
    return [
        Message(can_layout("Isolation", "battery", 0x18FF3010, isolation, 5), 1.0, {
            "isolation": lambda p, t: 1900 + 60 * np.sin(t / 13) - p.at("pack_current", t) * 0.3,
            "leakage": lambda p, t: 0.8 * np.sin(t / 9), "test running": lambda p, t: (np.mod(t, 30) < 4) * 1.0},
            known=False),
        Message(can_layout("Pack energy", "battery", 0x18FF5010, energy, 7), 0.1, {
            "energy": "energy_wh",
            "power": lambda p, t: p.at("pack_current", t) * p.at("pack_voltage", t) / 1000,
            "contactors": lambda p, t: 1 + contactor(p, t) * 6}, known=False),
        Message(can_layout("Contactor event", "battery", 0x18FF6010, events, 3), 30.0, {
            "contactor word": lambda p, t: 0x0100 + contactor(p, t) * 0x42,
            "reason": lambda p, t: 3 + contactor(p, t) * 2}, known=False, event=contactor),
        Message(can_layout("Pack coolant", "battery", 0x18FF7010, coolant, 7), 0.25, {
            "flow": lambda p, t: 12 + p.at("coolant_heat", t) * 0.3, "inlet": "coolant_heat",
            "outlet": lambda p, t: p.at("coolant_heat", t) + np.abs(p.at("pack_current", t)) * 0.012,
            "minutes": lambda _p, t: 66_960 / 60 + t / 60}, known=False),
    ]  # fmt: skip


def all_messages() -> list[Message]:
    """Return every message of the tug, known ones first within a lane."""
    pods = [
        _pod_command("port", 0x1A0),
        _pod_feedback("port", 0x1A1),
        _pod_command("starboard", 0x1A8),
        _pod_feedback("starboard", 0x1A9),
    ]
    return pods + _thruster_known() + _thruster_unknown() + _battery_known() + _battery_unknown()
