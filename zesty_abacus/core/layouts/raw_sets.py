"""Sets of raw values: ``3, 5..9, 0xFE00..0xFEFF``."""

from __future__ import annotations

import re
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError

_NUMBER = r"[+-]?(?:0[xX][0-9a-fA-F]{1,16}|\d{1,20})"
_SPAN = re.compile(rf"\s*({_NUMBER})\s*(?:\.\.\s*({_NUMBER})\s*)?")


class RawSetError(MisuseError):
    """A text that is no set of raw values."""


class RawSet:
    """Raw values as spans with both ends included; an immutable value that knows no order of writing.

    Attributes
    ----------
    spans
        ``(low, high)`` pairs, rising, without overlap and with a gap between neighbours.
    """

    __slots__ = ("_spans",)

    def __init__(self, spans: Iterable[tuple[int, int]] = ()) -> None:
        merged: list[tuple[int, int]] = []
        for low, high in sorted(spans):
            if low > high:
                raise RawSetError(f"{low}..{high} runs downwards.")
            if merged and low <= merged[-1][1] + 1:
                merged[-1] = merged[-1][0], max(merged[-1][1], high)
            else:
                merged.append((low, high))
        self._spans = tuple(merged)

    @classmethod
    def of(cls, *values: int) -> RawSet:
        """Return a set of single values."""
        return cls((value, value) for value in values)

    @property
    def spans(self) -> tuple[tuple[int, int], ...]:
        """The spans, rising."""
        return self._spans

    def __contains__(self, raw: object) -> bool:
        return isinstance(raw, int) and any(low <= raw <= high for low, high in self._spans)

    def __bool__(self) -> bool:
        return bool(self._spans)

    def __eq__(self, other: object) -> bool:
        return self._spans == other._spans if isinstance(other, RawSet) else NotImplemented

    def __hash__(self) -> int:
        return hash(self._spans)

    def __str__(self) -> str:
        return ", ".join(str(low) if low == high else f"{low}..{high}" for low, high in self._spans)

    def __repr__(self) -> str:
        return f"parse_raw_set({str(self)!r})"

    def meets(self, other: RawSet) -> bool:
        """Return whether a value is in both sets."""
        return any(a <= d and c <= b for a, b in self._spans for c, d in other._spans)

    def lowest_outside(self, *others: RawSet) -> int | None:
        """Return the lowest value that is in none of the other sets; None if they hold all."""
        taken = RawSet(span for other in others for span in other.spans)
        for low, high in self._spans:
            end = next((last for first, last in taken.spans if first <= low <= last), None)
            free = low if end is None else end + 1
            if free <= high:
                return free
        return None

    def holds(self, raw: NDArray) -> NDArray[np.bool_]:
        """Return which values of an integer array are in the set, bool of the same shape."""
        found = np.zeros(raw.shape, np.bool_)
        info = np.iinfo(raw.dtype)
        for low, high in self._spans:
            if low > info.max or high < info.min:
                continue
            inside = raw == low if low == high else (raw >= max(low, info.min)) & (raw <= min(high, info.max))
            found |= inside
        return found


def parse_raw_set(text: str) -> RawSet:
    """Read ``3, 5..9, 0xFE``; an empty text is the empty set.

    Raises
    ------
    RawSetError
        With the part that is neither a number nor a span.
    """
    spans = []
    for part in text.split(",") if text.strip() else ():
        match = _SPAN.fullmatch(part)
        if match is None:
            raise RawSetError(
                f"{part.strip()[:40]!r} is neither a raw value nor a span.", hint="Write 3, 5..9 or 0xFE00..0xFEFF."
            )
        low = int(match[1], 0) if "x" in match[1].lower() else int(match[1])
        high = low if match[2] is None else int(match[2], 0) if "x" in match[2].lower() else int(match[2])
        spans.append((low, high))
    return RawSet(spans)
