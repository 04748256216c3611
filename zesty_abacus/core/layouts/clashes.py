"""Layouts that read the same frames, and in what they differ."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from uuid import UUID

from ..words import listed
from .apart import apart
from .model import Layout

_LISTED = 3


@dataclass(frozen=True, slots=True)
class Clash:
    """Several layouts of one identifier.

    Attributes
    ----------
    layouts
    lanes
        On which; empty where they name none.
    """

    layouts: tuple[Layout, ...]
    lanes: tuple[str, ...]

    @property
    def words(self) -> str:
        """Return who reads what, as a sentence."""
        where = f" on {', '.join(self.lanes)}" if self.lanes else ""
        both = "both" if len(self.layouts) == 2 else "all"
        names = listed([layout.name for layout in self.layouts], most=_LISTED)
        return f"{names} {both} read {self.layouts[0].applies.address_text()}{where}."

    def sentence(self) -> str:
        """Return who reads what, and the first numbers in which they differ."""
        found = self.differences()
        more = f" and {len(found) - _LISTED} more" if len(found) > _LISTED else ""
        return f"{self.words} They differ in {'; '.join(found[:_LISTED])}{more}." if found else self.words

    @property
    def is_apart(self) -> bool:
        """Whether any of them says other numbers than the first one."""
        return next(self._differences(), None) is not None

    def differences(self) -> tuple[str, ...]:
        """Return in what the first one and each other differ, field by field of the same name, in numbers."""
        return tuple(self._differences())

    def _differences(self) -> Iterator[str]:
        first = self.layouts[0]
        own = {field.name: field for field in first.fields}
        for other in self.layouts[1:]:
            for field in other.fields:
                if field.name in own:
                    for one in apart(own[field.name], field):
                        yield f"{field.name}: {one.words(first.name, other.name)}"


def clashes(layouts: Iterable[Layout]) -> list[Clash]:
    """Return the layouts of each identifier that several read, whatever the beginning or size of a frame."""
    by_address: dict[tuple, list[Layout]] = defaultdict(list)
    for layout in layouts:
        applies, registers = layout.applies, layout.registers
        span = (applies.address, applies.to, applies.mask, applies.extended)
        shape = (applies.way, applies.sizes, applies.pattern)
        device = (registers.device, registers.space) if registers is not None else None
        by_address[applies.protocol, span, shape, device].append(layout)
    return [clash for group in by_address.values() if len(group) > 1 for clash in _of_group(group)]


def apart_by_layout(layouts: Iterable[Layout]) -> dict[UUID, Clash]:
    """Return for each layout that others of its identifier contradict in numbers the first such clash, by its id."""
    found: dict[UUID, Clash] = {}
    for clash in clashes(layouts):
        if clash.is_apart:
            for layout in clash.layouts:
                found.setdefault(layout.id, clash)
    return found


def _of_group(group: Sequence[Layout]) -> Iterator[Clash]:
    """Yield one for all lanes on which the same layouts read one address."""
    by_lane: dict[str, list[Layout]] = defaultdict(list)
    for layout in group:
        for lane in layout.applies.lanes or ("",):
            by_lane[lane].append(layout)
    told: set[tuple] = set()
    for layouts in by_lane.values():
        keys = tuple(layout.id for layout in layouts)
        if len(keys) < 2 or keys in told:
            continue
        told.add(keys)
        lanes = sorted(one for one, others in by_lane.items() if one and tuple(x.id for x in others) == keys)
        yield Clash(tuple(layouts), tuple(lanes))
