"""Payloads that are lines of text: what separates their columns, what each column is, and a check in hex digits."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from functools import reduce
from operator import add, xor

import numpy as np

from ...frames.segment_frames import KindFrames
from ...protocols.said_as_text import LETTERS
from ..finding import Said
from ..words import count_of, share_words

_MOST_FRAMES = 2_000
_LEAST_FRAMES = 4
_SHORT = 8
"""Bytes in which a page of a text may stand, but no line."""
_LEAST_ALIKE = 0.8
_SEPARATORS = (",", ";", "\t", "|", "/", ":", " ")
_HEX_AT_END = re.compile(r"(?P<mark>[*,;: |])(?P<digits>[0-9A-Fa-f]{2})[\r\n]*$")
_NUMBER = re.compile(r"[+-]?\d+(\.\d*)?|[+-]?\.\d+")
_MOST_NAMES = 16
_SUMS: dict[str, Callable[[int, int], int]] = {"xor": xor, "sum": add}


def telegrams(frames: KindFrames) -> list[Said]:
    """Return what the columns of a kind's lines are; nothing where its payloads are no lines of text."""
    step = max(len(frames) // _MOST_FRAMES, 1)
    matrix, sizes = frames.matrix[::step], frames.sizes[::step]
    if len(sizes) < _LEAST_FRAMES or int(sizes.max()) <= _SHORT or not _is_text(matrix, sizes):
        return []
    lines = [row[:size].tobytes().decode("ascii", "replace") for row, size in zip(matrix, sizes.tolist(), strict=True)]
    check = _check(lines)
    bodies = [_HEX_AT_END.sub("", line) for line in lines] if check is not None else lines
    separator = _separator(bodies)
    if separator is None:
        return [check] if check is not None else []
    rows = [line.strip().split(separator) for line in bodies]
    usual = Counter(map(len, rows)).most_common(1)[0][0]
    alike = [row for row in rows if len(row) == usual]
    columns = [
        _column(number, separator, [row[number] for row in alike], len(rows) - len(alike)) for number in range(usual)
    ]
    return [*columns, *([check] if check is not None else [])]


def _is_text(matrix: np.ndarray, sizes: np.ndarray) -> bool:
    there = np.arange(matrix.shape[1]) < sizes[:, None]
    return bool(there.sum(axis=1).min() >= 3 and (LETTERS[matrix] | ~there).all(axis=1).mean() >= 0.98)


def _separator(lines: Sequence[str]) -> str | None:
    """Return the character that stands as often in most lines, the first one that does; None if none does."""
    for separator in _SEPARATORS:
        counts = Counter(line.strip().count(separator) for line in lines)
        usual, often = counts.most_common(1)[0]
        if usual and often >= _LEAST_ALIKE * len(lines):
            return separator
    return None


def _column(number: int, separator: str, cells: Sequence[str], others: int) -> Said:
    reading, words = _reading([cell.strip() for cell in cells])
    apart = {" ": "blanks", "\t": "tabs"}.get(separator, f"“{separator}”")
    reason = f"Column {number + 1}, between {apart}, {words} in {count_of(len(cells), 'line')}."
    return Said(
        kind="text", bits=(), frames=len(cells), against=others, reason=reason,
        confidence=0.95 * len(cells) / (len(cells) + others),
        parameters={"encoding": "ascii", "column": number, "separator": separator, "reading": reading},
    )  # fmt: skip


def _reading(cells: Sequence[str]) -> tuple[str, str]:
    """Return what the cells of a column are, as a field reads them, and in words."""
    different = sorted(set(cells))
    if len(different) == 1:
        return "text", f"is always “{different[0]}”"
    filled = [cell for cell in cells if cell]
    if filled and all(_NUMBER.fullmatch(cell) for cell in filled):
        numbers = [float(cell) for cell in filled]
        kind = "signed" if any(cell[0] in "+-" for cell in filled) else "unsigned"
        return kind, f"is a number from {min(numbers):g} to {max(numbers):g}"
    if len(different) <= min(_MOST_NAMES, max(len(cells) // 4, 2)):
        return "names", f"is one of {', '.join(f'“{one}”' for one in different[:5])}"
    return "text", f"takes {len(different)} values, such as “{different[0]}”"


def _check(lines: Sequence[str]) -> Said | None:
    """Return the check that the last two digits of each line are, None if they are none."""
    ends = [_HEX_AT_END.search(line) for line in lines]
    if any(end is None for end in ends) or len({end["digits"] for end in ends if end}) < 3:
        return None
    for name, fold in _SUMS.items():
        for begins in (1, 0):
            agree = sum(
                reduce(fold, line[begins : end.start("mark")].encode("ascii", "replace"), 0) & 255
                == int(end["digits"], 16)
                for line, end in zip(lines, ends, strict=True) if end is not None
            )  # fmt: skip
            if agree >= 0.95 * len(lines):
                return _said_check(name, begins, agree, lines, ends[0]["mark"] if ends[0] else "")
    return None


def _said_check(name: str, begins: int, agree: int, lines: Sequence[str], mark: str) -> Said:
    what = "exclusive or" if name == "xor" else "sum"
    lead = " but its first one" if begins else ""
    behind = Counter(len(line) - line.rindex(mark) for line in lines).most_common(1)[0][0]
    coverage = {"end": f"size - {behind}"} | ({"first": str(begins)} if begins else {})
    return Said(
        kind="check", bits=(), frames=agree, against=len(lines) - agree, confidence=0.98 * agree / len(lines),
        parameters={"check": name, "text_base": 16, "behind": mark, "coverage": coverage},
        reason=(
            f"The two hex digits behind “{mark}” are the {what} of all characters before it{lead}, in "
            f"{share_words(agree, len(lines), 'line')}."
        ),
    )  # fmt: skip
