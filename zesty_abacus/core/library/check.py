"""What is wrong across the layouts of a library."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from ..layouts.model import Layout
from ..layouts.validate import check_layout


def check_library(layouts: Iterable[Layout]) -> list[str]:
    """Return problems in sentences: of each layout, clashing addresses, doubled names, units that differ."""
    layouts = list(layouts)
    problems = [f"{layout.name}: {problem.sentence}" for layout in layouts for problem in check_layout(layout)]
    return problems + _clashing_addresses(layouts) + _doubled_names(layouts) + _differing_units(layouts)


def _clashing_addresses(layouts: list[Layout]) -> list[str]:
    by_address: dict[tuple, list[Layout]] = defaultdict(list)
    for layout in layouts:
        applies, registers = layout.applies, layout.registers
        span = (applies.address, applies.to, applies.mask, applies.extended)
        shape = (applies.way, applies.sizes, applies.pattern)
        device = (registers.device, registers.space) if registers is not None else None
        by_address[applies.protocol, span, shape, device].append(layout)
    problems = []
    for group in by_address.values():
        for number, first in enumerate(group):
            for second in group[number + 1 :]:
                lanes = set(first.applies.lanes) & set(second.applies.lanes)
                if lanes or (not first.applies.lanes and not second.applies.lanes):
                    where = f" on {', '.join(sorted(lanes))}" if lanes else ""
                    address = first.applies.address_text()
                    problems.append(f"{first.name} and {second.name} both read {address}{where}.")
    return problems


def _doubled_names(layouts: list[Layout]) -> list[str]:
    seen: dict[str, int] = defaultdict(int)
    for layout in layouts:
        seen[layout.name] += 1
    return [f"{count} layouts are called {name}." for name, count in seen.items() if count > 1]


def _differing_units(layouts: list[Layout]) -> list[str]:
    units: dict[str, dict[str, str]] = defaultdict(dict)
    for layout in layouts:
        for field in layout.named_items():
            if field.unit:
                units[field.name].setdefault(field.unit, layout.name)
    return [
        f"{name} is in {' and in '.join(f'{unit} ({where})' for unit, where in found.items())}."
        for name, found in units.items()
        if len(found) > 1
    ]
