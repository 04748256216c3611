"""Payloads, seen frames and views that are built by hand."""

from __future__ import annotations

import numpy as np

from tests.unravel.conftest import make_capture
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.places import Places, format_places, parse_places
from zesty_abacus.core.protocols.modbus import address_of
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.known import Known
from zesty_abacus.core.unravel.look import Asked, unravel
from zesty_abacus.core.unravel.seen import Seen

SECOND = 1_000_000_000


def seen_of(matrix, step_ns=10_000_000):
    """Return frames of one kind that come evenly."""
    matrix = np.asarray(matrix, np.uint8)
    count = np.arange(len(matrix))
    sizes = np.full(len(matrix), matrix.shape[1], np.uint32)
    frames = KindFrames(count.astype(np.uint32), count * step_ns, sizes, matrix)
    return Seen.of(frames, matrix.shape[1], most=len(matrix))


def nothing_known(size):
    """Return that no layout explains anything."""
    return Known(np.zeros(size * 8, np.bool_))


def asked(question, matrix):
    """Return what a question about single bits says of frames of which nothing is known."""
    matrix = np.asarray(matrix, np.uint8)
    return question(seen_of(matrix), np.ones(matrix.shape[1] * 8, np.bool_))


def places_of(said):
    """Return the bits that something was said of, as places are written."""
    return format_places(Places(said.bits))


def put(matrix, places, values):
    """Write numbers into bits of every row, bit by bit, in two's complement."""
    bits = parse_places(places).bits
    for place, bit in enumerate(reversed(bits)):
        one = np.asarray(values, np.int64) >> place & 1
        matrix[:, bit // 8] = matrix[:, bit // 8] & ~np.uint8(1 << bit % 8) | (one << bit % 8).astype(np.uint8)
    return matrix


def message(times_s, matrix):
    """Return times and payloads as captures are made of them."""
    return np.round(np.asarray(times_s) * SECOND).astype(np.int64), np.asarray(matrix, np.uint8)


def meaning_of(*messages, layouts=()):
    """Return what a capture of messages means; their addresses are 0x100 and up."""
    return Meaning.of(make_capture(*messages), layouts)


def findings_of(*messages, kinds=(), **settings):
    """Return the findings of a capture by address."""
    found = unravel(meaning_of(*messages), Asked(kinds=frozenset(kinds)), **settings)
    return {0x100 + kind.kind: list(kind.findings) for kind in found.kinds}


def slow(count, seed=1, low=1000, high=60000, noise=0.0):
    """Return a number that swings slowly, whole."""
    random = np.random.default_rng(seed)
    time = np.arange(count)
    swing = sum(np.sin(time / random.uniform(20, 120) + random.uniform(0, 6)) for _ in range(3)) / 3
    values = low + (swing + 1) / 2 * (high - low) + random.normal(0, 1, count) * noise
    return np.clip(np.round(values), low, high).astype(np.int64)


def polled(registers, *polls, unit=3, function=3):
    """Return a capture of answers.

    Parameters
    ----------
    registers : uint8 (n, m)
        The device's registers, two bytes each, every 100 ms.
    polls
        First register, how many, and every how many steps they are read.
    """
    parts = []
    for number, (first, count, every) in enumerate(polls):
        rows = np.arange(0, len(registers), every)
        parts.append(
            (rows * (SECOND // 10) + number * 1_000_000, first, registers[rows, 2 * first : 2 * (first + count)])
        )
    times = np.concatenate([one[0] for one in parts])
    order = np.argsort(times, kind="stable")
    counts = [len(one[0]) for one in parts]
    sizes = np.repeat(np.array([one[2].shape[1] for one in parts], np.uint32), counts)
    start = np.cumsum(sizes.astype(np.int64)) - sizes
    address = np.repeat([address_of(unit, function, one[1]) for one in parts], counts)
    table = FrameTable(
        times[order].astype(np.int64), np.zeros(len(times), np.uint16), address[order].astype(np.int64),
        np.full(len(times), F.ANSWER, np.uint32), start[order], sizes[order],
        np.concatenate([one[2].reshape(-1) for one in parts]),
    )  # fmt: skip
    return Capture.from_table(table, (Lane("shore", "modbus"),))
