"""What a frame is, by the names that conditions have for it."""

from __future__ import annotations

from collections.abc import Callable

from .values import AddressValue, GapValue, LaneGapValue, ResponseTimeValue, SizeValue, TimeValue, Value

NUMBERS: dict[str, Callable[[], Value]] = {
    "address": AddressValue,
    "size": SizeValue,
    "time": TimeValue,
    "gap": GapValue,
    "lane_gap": LaneGapValue,
    "response_time": ResponseTimeValue,
}
"""Facts of frames that are numbers."""
TEXTS = ("lane", "message", "way", "check")
"""Facts of frames that are compared with a text."""
WAYS = ("read", "write", "request", "answer")
CHECKS = ("good", "bad", "none")
