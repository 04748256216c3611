"""What was said of registers, as other exchanges that carry them see it: the same findings, at their own places."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from msgspec.structs import replace

from ...frames.capture import Capture
from ...layouts.places import Places, format_places, parse_places
from ...protocols.registry import protocol_named
from ..finding import Finding, bits_of

_MOVED = frozenset({"field", "constant", "text", "counter"})
"""Kinds of findings that are about registers by themselves."""

Beside = Mapping[int, Sequence[tuple[int, int]]]
"""By kind, the others that carry some of its registers, and by how many bytes theirs lie behind its own."""


def exchanges_beside(capture: Capture) -> Beside:
    """Return which kinds carry registers of the same device, space and way, and reach into one another."""
    groups: dict[tuple[Any, ...], list[tuple[int, int, int]]] = defaultdict(list)
    for kind, key in enumerate(capture.kinds.keys):
        exchange = protocol_named(capture.lanes[key.lane].protocol).exchange_of(key)
        if exchange is not None and exchange.space.register_bits >= 8:
            first = exchange.first * exchange.space.register_bits // 8
            end = first + capture.kind_size(kind)
            groups[key.lane, exchange.device, exchange.space, key.flags].append((kind, first, end))
    found = {
        kind: tuple(
            (other, begin - first) for other, begin, behind in group if other != kind and begin < end and first < behind
        )
        for group in groups.values() if len(group) > 1 for kind, first, end in group
    }  # fmt: skip
    return {kind: others for kind, others in found.items() if others}


def said_beside(capture: Capture, kind: int, beside: Beside, by_kind: Mapping[int, Sequence[Finding]]) -> list[Finding]:
    """Return the findings about registers that a kind carries and that are said of others, at its own places."""
    size, key = capture.kind_size(kind), capture.kinds.keys[kind]
    found = []
    for other, shift in beside.get(kind, ()):
        for one in _moved(by_kind.get(other, ()), shift, size):
            found.append(replace(one, address=key.address))
    return found


def _moved(findings: Sequence[Finding], shift: int, size: int) -> Iterator[Finding]:
    for one in findings:
        bits = [bit + shift * 8 for bit in bits_of(one)]
        if one.kind in _MOVED and not one.when and bits and 0 <= min(bits) <= max(bits) < size * 8:
            yield replace(one, places=format_places(Places(bits)), parameters=_parameters(one.parameters, shift))


def _parameters(parameters: dict[str, Any], shift: int) -> dict[str, Any]:
    """Return parameters that name other registers, moved as well."""
    made = dict(parameters)
    if "power_of_ten" in made:
        made["power_of_ten"] = _places(made["power_of_ten"], shift)
    if "scales" in made:
        made["scales"] = [_places(one, shift) for one in made["scales"]]
    if "carries" in made:
        made["carries"] = {**made["carries"], "into": _places(made["carries"]["into"], shift)}
    return made


def _places(text: str, shift: int) -> str:
    bits = [bit + shift * 8 for bit in parse_places(text)]
    # what lies before this exchange has no place in it
    return format_places(Places(bits)) if min(bits) >= 0 else ""
