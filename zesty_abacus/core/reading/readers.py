"""Of the layouts that ask for a kind, which read it, in which order, and why."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from uuid import UUID

from ..layouts.model import Layout
from .catalogue import KindCatalogue
from .choice import Branch, FrameChoice
from .ties import Tie


# values like all of core, but not frozen: there is one a kind, and to freeze them takes a third of the matching
@dataclass(slots=True, eq=False)
class Reader:
    """A layout that reads frames of a kind.

    Attributes
    ----------
    layout
        As the library has it.
    shown
        As the kind shows it; of a register map, the window that the exchange carries.
    choice
        Which frames of the kind it takes from those that readers before it left.
    is_tied
        Whether it reads the kind because the trial says so.
    reason
        Why it goes before the others.
    """

    layout: Layout
    shown: Layout
    choice: FrameChoice
    is_tied: bool
    reason: str

    @property
    def is_of_window(self) -> bool:
        """Whether it shows what an exchange carries of a register map."""
        return self.shown.registers is not None and self.shown.registers.window is not None

    def shows(self, field_id: UUID) -> bool:
        """Return whether a field, or a computed value, is there once a frame."""
        return any(field.id == field_id for field in self.shown.once_a_frame())


@dataclass(slots=True, eq=False)
class KindMeaning:
    """What the frames of a kind mean.

    Attributes
    ----------
    readers
        Who reads frames of it, in order of precedence; each frame is the first one's that takes it.
    others
        Layouts that would read it, too, and stand back.
    in_short
        A text that is another one wherever a kind is read otherwise; made by whoever asks first, see :mod:`.kept`.
    """

    readers: tuple[Reader, ...] = ()
    others: tuple[Layout, ...] = ()
    in_short: str | None = None

    def reader_with(self, layout_id: UUID) -> Reader | None:
        """Return the reader that a layout is, None if it reads no frame of the kind."""
        return next((reader for reader in self.readers if reader.layout.id == layout_id), None)

    def words(self) -> str:
        """Say who reads the kind and why, and who stands back; empty if nobody does."""
        said = []
        for reader in self.readers:
            takes = reader.choice.words()
            said.append(f"{reader.layout.name} reads {takes or 'this message'} since it {reader.reason}")
        if self.others:
            would = "would read it, too"
            said.append(f"{', '.join(layout.name for layout in self.others)} {would}")
        return "; ".join(said) + "." if said else ""


NOTHING = KindMeaning()
"""Of a kind that nobody has named."""


def readers_of(catalogue: KindCatalogue, kind: int, layouts: Iterable[Layout], ties: Sequence[Tie]) -> KindMeaning:
    """Return what a kind means by the layouts that ask for it, or that are tied to it.

    Precedence: tied by hand; one that names the lane; one for a single address before a span, a mask or any; one
    that says which way before one that does not; one that says how frames look before one that does not; then by
    name. A layout that takes only some frames leaves the others to those behind it.
    """
    lane, key = catalogue.lane(kind), catalogue.key(kind)
    asking = list(layouts)
    tied = {tie.layout for tie in ties if tie.lane == lane.name}
    if len(asking) == 1 and not tied:
        # nearly every kind: nothing to rank
        layout = asking[0]
        reason = _reason_of(_rank(layout, False, False))
        return KindMeaning((Reader(layout, catalogue.as_shown(layout, kind), FrameChoice(layout), False, reason),))
    branches = _branches(asking)
    ranked = []
    for layout in asking:
        by_hand = layout.id in tied and any(tie.holds(layout, lane, key) for tie in ties)
        ranked.append((_rank(layout, by_hand, layout.id in branches), layout.name, str(layout.id), layout))
    ranked.sort(key=lambda entry: entry[:3])
    readers: list[Reader] = []
    others: list[Layout] = []
    before: dict[object, list[FrameChoice]] = {}
    for rank, _name, _id, layout in ranked:
        choice = FrameChoice(layout, branches.get(layout.id))
        alike = before.setdefault((layout.applies.sizes, layout.applies.pattern), [])
        if (readers and readers[-1].choice.takes_all) or any(_stands_before(one, choice) for one in alike):
            others.append(layout)
            continue
        alike.append(choice)
        readers.append(Reader(layout, catalogue.as_shown(layout, kind), choice, not rank[0], _reason_of(rank)))
    return KindMeaning(tuple(readers), tuple(others)) if readers else NOTHING


_RANK_WORDS = (
    "is tied to it by hand", "names this lane", "names this address", "names this way", "says how they look",
    "speaks the protocol",
)  # fmt: skip


def _reason_of(rank: tuple[bool, ...]) -> str:
    """Return the first thing that a layout of this rank has before others."""
    return _RANK_WORDS[rank.index(False) if False in rank else len(rank)]


def _rank(layout: Layout, by_hand: bool, has_branch: bool) -> tuple[bool, ...]:
    applies, registers = layout.applies, layout.registers
    named = registers is not None and registers.device is not None
    chooses = applies.looks_at_payload or has_branch
    return not by_hand, not applies.lanes, not (applies.is_for_one_address or named), not applies.way, not chooses


def _branches(layouts: Sequence[Layout]) -> dict[UUID, Branch]:
    """Return the branches of layouts that share a kind by a selector.

    One layout alone reads every frame, whatever its selector says: that its fields are absent is worth seeing.
    """
    if len(layouts) < 2:
        return {}
    branches = {layout.id: branch for layout in layouts if (branch := Branch.of(layout)) is not None}
    return {
        key: branch
        for key, branch in branches.items()
        if any(branch.is_beside(other) for one, other in branches.items() if one != key)
    }


def _stands_before(first: FrameChoice, second: FrameChoice) -> bool:
    """Return whether nothing is left for the second by the first; both ask for the same sizes and beginnings."""
    if first.branch is None or second.branch is None:
        return first.branch is None
    return not first.branch.is_beside(second.branch)
