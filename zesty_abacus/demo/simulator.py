"""Turns the physics into frames, chunk by chunk, so that a trial of any length streams to disk."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ..core.codec.encode import put_raw, raw_column
from ..core.frames import flags as F
from ..core.frames.table import FrameTable
from ..core.layouts.model import Layout
from .messages import Message, all_messages
from .physics import STEP_S, Physics, simulate, start_state

START_NS = 1_778_572_800_000_000_000
"""The trial begins on 2026-05-12 at 08:00 UTC."""

CHUNK_STEPS = 2000
LANES = ("thruster", "battery")
_FRAME_TIME_S = {"thruster": 0.00024, "battery": 0.00056}
_CRC_POLYNOMIAL = 0x2F
_ERROR_EVERY_S = 47.0

Sent = tuple[NDArray[np.floating], Layout | None, NDArray[np.uint8]]
"""Times in seconds, the layout (None for error frames) and the payloads of one message."""


def chunks(length_s: float, seed: int) -> Iterator[tuple[Physics, dict[str, FrameTable]]]:
    """Yield the voyage in chunks: the physics, and the frames of each lane in order of time.

    The frames do not depend on how the voyage is cut.
    """
    state = start_state()
    steps = max(1, round(length_s / STEP_S))
    messages = all_messages()
    sent = dict.fromkeys((message.layout.name for message in messages), 0)
    for first in range(0, steps, CHUNK_STEPS):
        count = min(CHUNK_STEPS, steps - first)
        physics = simulate(first, count, state, seed)
        window = (first * STEP_S, (first + count) * STEP_S)
        yield physics, {lane: lane_frames(lane, messages, physics, window, seed, sent) for lane in LANES}


def lane_frames(
    lane: str, messages: list[Message], physics: Physics, window: tuple[float, float], seed: int, sent: dict[str, int]
) -> FrameTable:
    """Return what the controllers of a lane send in a window of time, in seconds since the voyage began.

    ``sent`` counts the frames of each message and is carried from window to window.
    """
    parts: list[Sent] = []
    for message in messages:
        if lane in message.layout.applies.lanes:
            times = _send_times(message, physics, window, seed)
            matrix = _payloads(message, physics, times, sent[message.layout.name])
            sent[message.layout.name] += len(times)
            parts.append((times, message.layout, matrix))
    if lane == "thruster":
        parts.append(_error_frames(window))
    return _merge(parts, _FRAME_TIME_S[lane], LANES.index(lane))


def _send_times(message: Message, physics: Physics, window: tuple[float, float], seed: int) -> NDArray[np.floating]:
    """Return when a message is sent: each period with jitter, and at once when its event changes."""
    period = message.period_s
    phase = _share_of_period(seed, message.layout.applies.address or 0) * min(period, 0.5)
    first = int(np.ceil((window[0] - phase) / period))
    last = int(np.ceil((window[1] - phase) / period))
    numbers = np.arange(max(first, 0), last)
    # jitter follows from the frame's number, so that it does not depend on the chunk
    wave = np.sin(numbers * 12.9898 + seed) * 43758.5453
    times = numbers * period + phase + (wave - np.floor(wave)) * message.jitter_s
    if message.event is not None:
        grid = physics.first_step * STEP_S + np.arange(len(physics.columns)) * STEP_S
        before = np.concatenate([[max(grid[0] - STEP_S, 0.0)], grid[:-1]])
        changed = message.event(physics, grid) != message.event(physics, before)
        times = np.sort(np.concatenate([times, grid[changed] + 0.0003]))
    return np.minimum(times, window[1] - 1e-6)


@cache
def _share_of_period(seed: int, address: int) -> float:
    return np.random.default_rng([seed, address]).uniform(0.1, 0.9)


def _payloads(message: Message, physics: Physics, times: NDArray[np.floating], sent: int) -> NDArray[np.uint8]:
    layout = message.layout
    matrix = np.zeros((len(times), layout.size), np.uint8)
    pages = _page_numbers(message, physics, times)
    for field in layout.fields:
        here = slice(None) if field.selected is None or pages is None else pages == field.selected.values.spans[0][0]
        rows = matrix[here]
        if field.name in message.extra:
            text = np.frombuffer(message.extra[field.name], np.uint8)
            rows[:, [bit // 8 for bit in field.places.bits[::8]]] = text
        elif field.name == "turn counter":
            put_raw(rows, field, ((sent + np.arange(len(times))) % 16).astype(np.uint64))
        elif field.name in message.signals:
            signal = message.signals[field.name]
            values = physics.at(signal, times) if isinstance(signal, str) else signal(physics, times)
            put_raw(rows, field, raw_column(field, values[here]))
        matrix[here] = rows
    if layout.field_named("check") is not None:
        matrix[:, -1] = crc8(matrix[:, :-1], message.check_key)
    return matrix


def _page_numbers(message: Message, physics: Physics, times: NDArray[np.floating]) -> NDArray[np.floating] | None:
    if message.pages == 1:
        return None
    signal = message.signals["page" if message.layout.field_named("page") else "part"]
    assert not isinstance(signal, str)
    return signal(physics, times)


@cache
def _crc_table() -> NDArray[np.uint8]:
    table = np.arange(256, dtype=np.uint8)
    for _ in range(8):
        table = np.where(table & 0x80, (table << 1) ^ _CRC_POLYNOMIAL, table << 1).astype(np.uint8)
    return table


def crc8(matrix: NDArray[np.uint8], key: bytes = b"") -> NDArray[np.uint8]:
    """Return the CRC-8 of each row: polynomial 0x2F, start 0xFF, inverted at the end, ``key`` first."""
    table = _crc_table()
    check = np.full(len(matrix), 0xFF, np.uint8)
    for byte in key:
        check = table[check ^ byte]
    for column in matrix.T:
        check = table[check ^ column]
    return check ^ np.uint8(0xFF)


def _error_frames(window: tuple[float, float]) -> Sent:
    """A loose connector now and then: error frames of the class 'bus error', as SocketCAN reports them."""
    numbers = np.arange(int(window[0] / _ERROR_EVERY_S), int(window[1] / _ERROR_EVERY_S) + 1)
    times = numbers * _ERROR_EVERY_S + 31.7
    times = times[(times >= window[0]) & (times < window[1])]
    payload = np.zeros((len(times), 8), np.uint8)
    payload[:, 2] = 4
    return times, None, payload


def _merge(parts: list[Sent], spacing_s: float, lane: int) -> FrameTable:
    """Put the frames of all messages on one bus: in order of time, no two at once."""
    times = np.concatenate([part[0] for part in parts])
    address = np.concatenate(
        [np.full(len(t), layout.applies.address if layout else 0x88, np.int64) for t, layout, _ in parts]
    )
    flags = np.concatenate([np.full(len(t), _flags(layout), np.uint32) for t, layout, _ in parts])
    size = np.concatenate([np.full(len(t), matrix.shape[1], np.uint32) for t, _, matrix in parts])
    payload = np.concatenate([matrix.ravel() for _, _, matrix in parts])
    start = np.concatenate([[0], np.cumsum(size)[:-1]]).astype(np.int64)
    order = np.argsort(times, kind="stable")
    steps = np.arange(len(order)) * spacing_s
    spread = np.maximum.accumulate(times[order] - steps) + steps
    time_ns = START_NS + (np.rint(spread * 1e6)).astype(np.int64) * 1000
    return FrameTable(
        time_ns, np.full(len(order), lane, np.uint16), address[order], flags[order], start[order], size[order], payload
    )


def _flags(layout: Layout | None) -> int:
    if layout is None:
        return F.ERROR
    return F.EXTENDED | F.RECEIVED if layout.applies.extended else F.RECEIVED
