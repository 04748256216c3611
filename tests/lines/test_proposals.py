"""What every line code proposes of long lines, at the length where it looks at a first part only."""

import numpy as np
import pytest

from tests.lines.drawing import can_bits, from_levels, manchester_parts, uart_parts
from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.waves.edges import Edges

GROUPS = [[(0, 5 << 11 | n << 5 | 1), (1, n * 999)] for n in range(9)]
FRAME = [*can_bits(0x123, b"\x55\xaa\x0f"), *[1] * 20]
PARTS = {
    "uart": lambda: from_levels(uart_parts([0x55, 0xA3] * 40, 8680)),
    "manchester": lambda: from_levels(
        manchester_parts([[(0, 5 << 11 | n << 5 | 1), (1, n * 999)] for n in range(9)], 500)
    ),
    "can": lambda: from_levels(
        [(bit, 2000) for _ in range(4) for bit in [*can_bits(0x123, b"\x55\xaa\x0f"), *[1] * 20]]
    ),
}


def repeated(line: Edges, changes: int) -> Edges:
    """Return a line that goes on as it began until it has a number of changes."""
    length = line.end_ns - line.begin_ns
    turns = -(-changes // len(line))
    times = np.concatenate([line.time_ns + turn * length for turn in range(turns)])[:changes]
    level = np.tile(line.level, turns)[:changes]
    return Edges(times, level, line.first, line.begin_ns, int(times[-1]) + 100_000)


@pytest.mark.parametrize("changes", [39_999, 40_000, 40_001, 59_999, 60_000, 60_001])
@pytest.mark.parametrize("kind", sorted(PARTS))
def test_a_line_of_any_length_is_looked_at(kind, changes):
    line = repeated(PARTS[kind](), changes)
    proposals = {decoder.name: decoder.propose({"x": line}) for decoder in decoders()}
    assert len(line) == changes and any(proposals.values())
