"""What is wrong across the layouts of a library."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from ..layouts.clashes import clashes
from ..layouts.model import Layout, Pair
from ..layouts.validate import check_layout


def check_library(layouts: Iterable[Layout]) -> list[str]:
    """Return problems in sentences, what keeps messages from being read first: layouts that do not hold, addresses
    that several read, answers that are missing; then names that occur twice, and units that differ.
    """
    layouts = list(layouts)
    problems = [f"{layout.name}: {problem.sentence}" for layout in layouts for problem in check_layout(layout)]
    problems += [clash.sentence() for clash in clashes(layouts)] + _missing_answers(layouts)
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
