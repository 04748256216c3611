"""What is wrong across the layouts of a library."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator

from ..layouts.model import Layout, Pair
from ..layouts.validate import check_layout

_LISTED = 3


def check_library(layouts: Iterable[Layout]) -> list[str]:
    """Return problems in sentences, what keeps messages from being read first: layouts that do not hold, addresses
    that several read, answers that are missing; then names that occur twice, and units that differ.
    """
    layouts = list(layouts)
    problems = [f"{layout.name}: {problem.sentence}" for layout in layouts for problem in check_layout(layout)]
    problems += _clashing_addresses(layouts) + _missing_answers(layouts)
    return problems + _doubled_names(layouts) + _differing_units(layouts)


def _missing_answers(layouts: list[Layout]) -> list[str]:
    """Return the messages that are said to answer and are not there, or lack a field that they are matched by."""
    known: dict[str, set[str]] = defaultdict(set)
    for layout in layouts:
        known[layout.name] |= {field.name for field in layout.once_a_frame()}
    problems = []
    for layout in layouts:
        for check in layout.checks:
            if not isinstance(check, Pair):
                continue
            if check.answer not in known:
                problems.append(f"{layout.name} is answered by {check.answer}, which is not in the library.")
                continue
            for one in check.match:
                name = one.theirs or layout.field(one.field).name
                if name not in known[check.answer]:
                    problems.append(f"{layout.name} is matched by {name}, which {check.answer} does not have.")
    return problems


def _clashing_addresses(layouts: list[Layout]) -> list[str]:
    by_address: dict[tuple, list[Layout]] = defaultdict(list)
    for layout in layouts:
        applies, registers = layout.applies, layout.registers
        span = (applies.address, applies.to, applies.mask, applies.extended)
        shape = (applies.way, applies.sizes, applies.pattern)
        device = (registers.device, registers.space) if registers is not None else None
        by_address[applies.protocol, span, shape, device].append(layout)
    return [sentence for group in by_address.values() for sentence in _clashes(group)]


def _clashes(group: list[Layout]) -> Iterator[str]:
    """Yield a sentence for each lane on which several layouts read one address, however many they are."""
    by_lane: dict[str, list[Layout]] = defaultdict(list)
    for layout in group:
        for lane in layout.applies.lanes or ("",):
            by_lane[lane].append(layout)
    told: set[tuple[str, ...]] = set()
    for lane, layouts in by_lane.items():
        names = tuple(layout.name for layout in layouts)
        if len(names) < 2 or names in told:
            continue
        told.add(names)
        lanes = sorted(one for one, others in by_lane.items() if one and tuple(x.name for x in others) == names)
        where = f" on {', '.join(lanes)}" if lane else ""
        both = "both" if len(names) == 2 else "all"
        yield f"{_listed(names)} {both} read {layouts[0].applies.address_text()}{where}."


def _listed(names: tuple[str, ...]) -> str:
    """List names, of many the first ones and how many more there are."""
    if len(names) <= _LISTED:
        return f"{', '.join(names[:-1])} and {names[-1]}"
    return f"{', '.join(names[:_LISTED])} and {len(names) - _LISTED} more"


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
