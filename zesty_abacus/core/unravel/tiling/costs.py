"""What it takes to say how a run of bits moved: the shorter, the better the run is a value of its own.

A number that moves smoothly is told by its steps, which are small. Of a run that is cut within such a number the lower
part jumps at every carry; of one that holds two numbers the upper one jumps over the lower. Both take more bits to say
(minimum description length: Rissanen, *Modeling by shortest data description*, 1978).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...compiled import njit

MOST_BITS = 32
MOST_STATES = 32
"""Different values up to which a run is also looked at as a state."""
NUMBER, SIGNED, STATE = range(3)
"""What a run may be: a number without sign, one with sign, a state."""
FIELD, STATE_FIELD, FLAG_FIELD = 14.0, 3.0, 0.0
"""What it takes to say that there is one more number, state or single bit."""
WAY = 3.0
"""What it takes to say that a state can go to another, beside which one."""
STILL = 8.0
"""What a bit that never moves within a run costs: below the top of a number all bits move."""
MOST_STILL = 3
LEAST_ROUND, MOST_LEAPS = 8, 0.1
"""Values from which on what goes round is no state, and leaps beside steps that it may make."""
RESTLESS_FLAG = 30.0
"""What it takes to believe in a single bit that is hardly ever at rest."""
MOST_RESTLESS = 0.2
"""Share of frames up to which something is a state that is held, and not a number."""


@njit(cache=True, nogil=True)
def _entropy(counts, total):  # type: ignore[no-untyped-def]
    """Return the bits that say which class each of many belongs to, the classes being as frequent as they are."""
    bits = 0.0
    kinds = 0
    for count in counts:
        if count:
            bits -= count * np.log2(count / total)
            kinds += 1
    return bits + 0.5 * max(kinds - 1, 0) * np.log2(total + 1.0)


@njit(cache=True, nogil=True)
def _class_of(step, table):  # type: ignore[no-untyped-def]
    """Return how many bits the size of a step has."""
    rest = step if step >= 0 else -step
    found = 0
    while rest >= 256:
        rest >>= 8
        found += 8
    return found + table[rest]


@njit(cache=True, nogil=True)
def _as_numbers(values, follows, width, table, counts):  # type: ignore[no-untyped-def]
    """Return the bits that say a number without and with sign, each in the shortest of three ways.

    They are its steps; how its steps change, which is less of what goes up and down evenly; and how far it is from its
    level of late, which is less of what is noisy.
    """
    counts[:] = 0
    half = np.int64(1) << (width - 1)
    whole = np.int64(1) << width
    total = 0
    before = np.zeros(2, np.int64)
    step_before = np.zeros(2, np.int64)
    level = np.zeros(2, np.int64)
    begins = 0
    knows_step = False
    for i in range(len(values)):
        value = values[i]
        other = value - whole if value >= half else value
        if not follows[i]:
            before[0], before[1] = value, other
            level[0], level[1] = value << 2, other << 2
            knows_step = False
            begins += 1
            continue
        total += 1
        for sign in range(2):
            now = other if sign else value
            step = now - before[sign]
            counts[sign, 0, _class_of(step, table)] += 1
            counts[sign, 1, _class_of(step - step_before[sign] if knows_step else step, table)] += 1
            away = now - ((level[sign] + 2) >> 2)
            counts[sign, 2, _class_of(away, table)] += 1
            level[sign] += away
            before[sign] = now
            step_before[sign] = step
        knows_step = True
    best = np.full(2, np.inf)
    for sign in range(2):
        for how in range(3):
            bits = float(begins * width) + _entropy(counts[sign, how], max(total, 1))
            for size in range(1, width + 4):
                # which one of its size, and up or down
                bits += counts[sign, how, size] * size
            best[sign] = min(best[sign], bits)
    return best


@njit(cache=True, nogil=True)
def _goes_round(moves, values, count):  # type: ignore[no-untyped-def]
    """Return whether all values that some bits can have follow one another, and the first the last.

    So do the lower bits of a number that moves slowly, told in very few bits; it is its carries that they go round by.
    """
    if count < LEAST_ROUND or count & (count - 1) or values[:count].max() != count - 1:
        return False
    beside = 0
    others = 0
    wraps = 0
    for state in range(count):
        for other in range(count):
            if state == other or not moves[state, other]:
                continue
            distance = abs(values[state] - values[other])
            if distance == 1 or distance == count - 1:
                beside += moves[state, other]
            else:
                others += moves[state, other]
            if distance == count - 1:
                wraps += moves[state, other]
    return wraps > 0 and others <= MOST_LEAPS * beside


@njit(cache=True, nogil=True)
def _as_states(values, follows, codes, first_counts, is_restless):  # type: ignore[no-untyped-def]
    """Return the bits that say a state: from each one, where it goes and how often; infinite if there are too many."""
    count = 0
    for i in range(len(values)):
        known = -1
        for state in range(count):
            if first_counts[state] == values[i]:
                known = state
                break
        if known < 0:
            if count == MOST_STATES:
                return np.inf
            first_counts[count] = values[i]
            known = count
            count += 1
        codes[i] = known
    moves = np.zeros((count, count), np.int64)
    begins = 0
    for i in range(len(values)):
        if follows[i]:
            moves[codes[i - 1], codes[i]] += 1
        else:
            begins += 1
    if _goes_round(moves, first_counts, count):
        return np.inf
    bits = begins * np.log2(max(count, 2))
    restless = 0
    for state in range(count):
        total = moves[state].sum()
        if not total:
            continue
        changes = total - moves[state, state]
        restless += changes
        stay = np.array([moves[state, state], changes])
        bits += _entropy(stay, total)
        # where it goes: seen once, a way takes as much to say as choosing among all states
        ways = 0
        for other in range(count):
            if other != state and moves[state, other]:
                bits -= moves[state, other] * np.log2(moves[state, other] / changes)
                ways += 1
        bits += ways * (np.log2(max(count, 2)) + WAY)
    if not is_restless and restless > MOST_RESTLESS * len(values):
        # what is another in every few frames is no state that anything is in
        return bits + RESTLESS_FLAG if count <= 2 else np.inf
    return bits


def state_cost(values: NDArray[np.int64], follows: NDArray[np.bool_]) -> float:
    """Return the bits that say a state, however restless; infinite if there are too many."""
    return float(_as_states(values, follows, np.empty(len(values), np.int64), np.empty(MOST_STATES, np.int64), True))


def number_cost(values: NDArray[np.int64], follows: NDArray[np.bool_], width: int) -> float:
    """Return the bits that say a number of so many bits, up to 58, with sign or without."""
    table = np.array([number.bit_length() for number in range(256)], np.int64)
    # a kernel looks at no bounds: the steps of its steps have two bits more than the number
    counts = np.zeros((2, 3, width + 4), np.int64)
    return float(_as_numbers(values, follows, width, table, counts).min())


@njit(cache=True, nogil=True)
def run_costs(words, high_first, flips, moves, free, follows, costs, shapes, least_bits):  # type: ignore[no-untyped-def]
    """Fill what every run of bits costs that begins and ends with a bit that moves.

    Parameters
    ----------
    words : uint64 (bytes, n)
        Eight bytes from each byte on, in the order of the runs.
    flips : int64 (bits,)
        How often each bit is another than in the frame before.
    moves, free : bool (bits,)
        In the order of the runs; bits that are not free belong to something else.
    costs : float64 (bits, MOST_BITS + 1)
        By first bit and width; infinite where there is no run.
    shapes : int8 (bits, MOST_BITS + 1)
    """
    count = words.shape[1]
    values = np.empty(count, np.int64)
    codes = np.empty(count, np.int64)
    states = np.empty(MOST_STATES, np.int64)
    counts = np.zeros((2, 3, MOST_BITS + 4), np.int64)
    table = np.zeros(256, np.int64)
    for number in range(1, 256):
        table[number] = table[number >> 1] + 1
    bits = len(moves)
    for first in range(bits):
        if not (moves[first] and free[first]):
            continue
        still = 0
        for width in range(1, MOST_BITS + 1):
            last = first + width - 1
            if last >= bits or not free[last]:
                break
            if not moves[last]:
                still += 1
                if still > MOST_STILL:
                    break
                continue
            if width < least_bits[first]:
                continue
            # what moves on top of a number moves less than what is below
            top, bottom = (first, last) if high_first else (last, first)
            if width > 8 and flips[top] > 1.2 * flips[bottom] + 4:
                continue
            shift = 64 - first % 8 - width if high_first else first % 8
            if shift < 0 or first % 8 + width > 64:
                break
            mask = (np.uint64(1) << np.uint64(width)) - np.uint64(1)
            for i in range(count):
                values[i] = np.int64((words[first // 8, i] >> np.uint64(shift)) & mask)
            best = np.inf
            shape = NUMBER
            if width > 1:
                both = _as_numbers(values, follows, width, table, counts)
                best = both[0]
                # as likely as any other number, but it has to be worth saying
                if both[1] + 4 < best:
                    best, shape = both[1], SIGNED
            if width <= 8:
                states_cost = _as_states(values, follows, codes, states, False)
                if states_cost < best:
                    best, shape = states_cost, STATE
            head = FIELD if width > 1 and shape != STATE else (STATE_FIELD if width > 1 else FLAG_FIELD)
            costs[first, width] = best + still * STILL + head
            shapes[first, width] = shape


def words_of(matrix: NDArray[np.uint8], high_first: bool) -> NDArray[np.uint64]:
    """Return eight bytes from each byte on as numbers, zeros behind the end; uint64 (size, n)."""
    size = matrix.shape[1]
    padded = np.zeros((len(matrix), size + 8), np.uint8)
    padded[:, :size] = matrix
    order = ">u8" if high_first else "<u8"
    return np.stack(
        [np.ascontiguousarray(padded[:, n : n + 8]).view(order).reshape(-1).astype(np.uint64) for n in range(size)]
    )
