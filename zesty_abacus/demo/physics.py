"""How the tug behaves: helm, azimuth pods, motors, propellers, battery pack and hull.

The models are simple and continuous, so that every decoded curve looks like a thing that has mass. They
advance in steps of :data:`STEP_S`; a state carried from chunk to chunk makes any length possible.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..core.compiled import njit

STEP_S = 0.01
LOOP_S = 120.0
"""The voyage repeats after this time, with other weather."""

COLUMNS = (
    "lever_port", "lever_starboard", "wheel",
    "angle_command_port", "angle_command_starboard", "angle_port", "angle_starboard",
    "rate_port", "rate_starboard", "speed_port", "speed_starboard", "torque_port", "torque_starboard",
    "heat_port", "heat_starboard", "inverter_heat", "coolant_heat",
    "water_speed", "heading", "turn_rate", "north_m", "east_m",
    "pack_current", "pack_voltage", "charge", "energy_wh",
    "tow_pull", "winch_turns", "wind_speed", "wind_angle", "trim_level",
)  # fmt: skip
"""Names of the simulated columns, in order."""

_INDEX = {name: number for number, name in enumerate(COLUMNS)}

# The voyage: seconds into the loop, lever port and starboard in percent, wheel in degrees.
_VOYAGE = np.array(
    [
        (0, 0, 0, 0), (6, 15, 15, 0), (14, 35, 32, 12), (26, 60, 60, -18), (34, 55, 58, -6),
        (44, 80, 80, 25), (56, 70, 74, 8), (62, 40, 40, -35), (72, 20, 20, -10), (82, 0, 0, 0),
        (86, -75, -75, 0), (102, -70, -70, 12), (108, -20, -20, 5), (114, 0, 0, 0), (120, 0, 0, 0),
    ],
    np.float64,
)  # fmt: skip

MOMENTS = (
    (12.0, "bow thruster on"),
    (21.0, "bow thruster off"),
    (37.0, "hook released"),
    (60.0, "searchlight on"),
    (86.0, "full astern"),
    (103.0, "bilge pump on"),
)
"""What the crew did, in seconds into the loop."""


@dataclass(frozen=True, slots=True, eq=False)
class Physics:
    """A stretch of the simulated voyage.

    Attributes
    ----------
    first_step
        Number of the first step since the voyage began.
    columns : float64 (steps, len(COLUMNS))
    """

    first_step: int
    columns: NDArray[np.floating]

    def column(self, name: str) -> NDArray[np.floating]:
        """Return a column, a view that may be written to."""
        return self.columns[:, _INDEX[name]]

    def at(self, name: str, time_s: NDArray[np.floating]) -> NDArray[np.floating]:
        """Return a column at times in seconds since the voyage began, interpolated between steps."""
        place = time_s / STEP_S - self.first_step
        return np.interp(place, np.arange(len(self.columns)), self.columns[:, _INDEX[name]])


def start_state() -> NDArray[np.floating]:
    """Return the state of the tug at the quay: float64 (14,), see :func:`advance`."""
    return np.array([0, 0, 0, 0, 24, 24, 22, 21, 0, 350, 0, 0, 82.0, 0], np.float64)


def simulate(
    first_step: int, steps: int, state: NDArray[np.floating], seed: int, held: Mapping[str, float] | None = None
) -> Physics:
    """Advance the tug and return what it did; ``state`` is changed in place.

    Weather and the crew's hands differ with the seed and the step, but not with how the time is cut.

    Parameters
    ----------
    held
        Levers and the wheel that somebody holds, by their columns, in place of what the crew does.
    """
    time = (first_step + np.arange(steps)) * STEP_S
    loop = np.mod(time, LOOP_S)
    hands = [np.interp(loop, _VOYAGE[:, 0], _VOYAGE[:, column]) for column in (1, 2, 3)]
    hands = [
        hand + _wobble(time, seed + number, size)
        for number, (hand, size) in enumerate(zip(hands, (1.5, 1.5, 2), strict=True))
    ]
    columns = np.zeros((steps, len(COLUMNS)))
    columns[:, _INDEX["lever_port"]] = hands[0]
    columns[:, _INDEX["lever_starboard"]] = hands[1]
    columns[:, _INDEX["wheel"]] = hands[2]
    for name, value in (held or {}).items():
        columns[:, _INDEX[name]] = value
    columns[:, _INDEX["wind_speed"]] = 6.5 + _wobble(time, seed + 7, 2.5)
    columns[:, _INDEX["wind_angle"]] = np.mod(215 + _wobble(time, seed + 8, 30), 360)
    columns[:, _INDEX["trim_level"]] = 42 + _wobble(time, seed + 9, 6)
    _advance(columns, state)
    _tow(columns, loop)
    return Physics(first_step, columns)


def _wobble(time: NDArray[np.floating], seed: int, size: float) -> NDArray[np.floating]:
    """Return a smooth, never repeating movement: a few sines of unrelated periods."""
    random = np.random.default_rng(seed)
    total = np.zeros_like(time)
    for period in (3.7, 7.9, 17.3, 41.0):
        total += np.sin(2 * np.pi * (time / (period * random.uniform(0.9, 1.1)) + random.random()))
    return total * (size / 3)


def _tow(columns: NDArray[np.floating], loop: NDArray[np.floating]) -> None:
    """The tow line is on until the hook is released, and is hauled in again at the end of the loop."""
    release = MOMENTS[2][0]
    hold = np.clip((loop - 3) / 6, 0, 1) * np.clip((release - loop) / 0.15, 0, 1)
    thrust = columns[:, _INDEX["speed_port"]] + columns[:, _INDEX["speed_starboard"]]
    columns[:, _INDEX["tow_pull"]] = hold * (3 + 0.055 * np.maximum(thrust, 0)) + 0.05
    columns[:, _INDEX["winch_turns"]] = 40 - 12 * np.clip((loop - 70) / 30, 0, 1) + 12 * np.clip((loop - 110) / 9, 0, 1)


@njit(cache=True)
def _advance(columns, state):  # type: ignore[no-untyped-def]
    """Advance actuators, motors, pack and hull.

    State: pod angles (2, deg), propeller speeds (2, 1/min), winding heats (2, °C), inverter and coolant heat,
    water speed (kn), heading (deg), north and east (m), state of charge (%), energy drawn (Wh).
    """
    for i in range(len(columns)):
        row = columns[i]
        wheel = row[2]
        for pod in range(2):
            command = wheel * (1.0 if pod == 0 else 0.96)
            wanted = (command - state[pod]) * 1.6
            rate = min(max(wanted, -6.0), 6.0)
            state[pod] += rate * STEP_S
            state[2 + pod] += (row[pod] * 9.2 - state[2 + pod]) * STEP_S / 0.7
            torque = state[2 + pod] * abs(state[2 + pod]) * 1.05e-4
            loss = abs(torque) * 0.045 + abs(rate) * 0.02
            state[4 + pod] += (loss - (state[4 + pod] - state[7]) * 0.035) * STEP_S
            row[3 + pod] = command
            row[5 + pod] = state[pod]
            row[7 + pod] = rate
            row[9 + pod] = state[2 + pod]
            row[11 + pod] = torque
            row[13 + pod] = state[4 + pod]
        power_kw = (abs(row[9] * row[11]) + abs(row[10] * row[12])) * 1.9e-3 + 4.0
        state[6] += (power_kw * 0.012 - (state[6] - state[7]) * 0.05) * STEP_S
        state[7] += ((state[6] - state[7]) * 0.02 - (state[7] - 18.0) * 0.01) * STEP_S
        row[15] = state[6]
        row[16] = state[7]
        angle = (state[0] + state[1]) * 0.5 * np.pi / 180
        push = (row[11] + row[12]) * 0.0105
        state[8] += (push * np.cos(angle) - state[8] * abs(state[8]) * 0.018) * STEP_S
        turn = -(push * np.sin(angle)) * 4.5 + state[8] * np.sin(angle) * 0.4
        state[9] = (state[9] + turn * STEP_S) % 360.0
        course = state[9] * np.pi / 180
        state[10] += state[8] * 0.5144 * np.cos(course) * STEP_S
        state[11] += state[8] * 0.5144 * np.sin(course) * STEP_S
        row[17] = state[8]
        row[18] = state[9]
        row[19] = turn
        row[20] = state[10]
        row[21] = state[11]
        open_voltage = 560.0 + 0.9 * state[12]
        current = power_kw * 1000 / open_voltage
        voltage = open_voltage - current * 0.045
        state[12] = max(5.0, state[12] - current * STEP_S / 3600 / 420 * 100)
        state[13] += current * voltage * STEP_S / 3600
        row[22] = current
        row[23] = voltage
        row[24] = state[12]
        row[25] = state[13]
