"""Layouts with everything in them that is sure enough: one a message, one a device, for people to agree to."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from uuid import UUID

from ..layouts.model import Layout
from ..layouts.windows import begun_in, from_window
from ..reading.catalogue import KindCatalogue
from ..reading.fresh import layout_to_begin
from ..reading.meaning import Meaning
from ..values.reference import ReferenceColumn
from .keeping import all_kept
from .look import Unravelled
from .meant import meant


def drafts(found: Unravelled, least: float, references: Sequence[ReferenceColumn] = ()) -> Iterator[tuple[Layout, int]]:
    """Yield a layout for each message of which something is found, with how many findings are new in it.

    A message that a layout reads gets a changed one, others get one of their own; all exchanges that carry registers of
    a device get one map.

    Parameters
    ----------
    least
        Confidence that findings have at least.
    """
    maker = _Drafts(found.meaning)
    for kind in found.kinds:
        view = maker.view_of(kind.kind)
        after, count = all_kept(
            view, kind.findings, least,
            lambda one, beside=kind.findings: meant(one, beside, references, found.meaning),  # type: ignore[misc]
        )  # fmt: skip
        if count:
            maker.keep(after, count)
    yield from maker.made.values()


class _Drafts:
    """Layouts that grow, message by message.

    Attributes
    ----------
    made
        What was changed or begun so far, with how many findings are new in it.
    """

    def __init__(self, meaning: Meaning) -> None:
        self._meaning, self._catalogue = meaning, KindCatalogue(meaning.capture)
        self._whole: dict[UUID, Layout] = {}
        self.made: dict[UUID, tuple[Layout, int]] = {}

    def view_of(self, kind: int) -> Layout:
        """Return the layout of a kind as it shows it, with what was kept before."""
        readers, catalogue = self._meaning.kinds[kind].readers, self._catalogue
        if readers:
            self._whole.setdefault(readers[0].layout.id, readers[0].layout)
            return catalogue.as_shown(self._whole[readers[0].layout.id], kind)
        for whole in self._whole.values():
            # a map that was begun for another exchange of the device
            if whole.registers is not None and kind in catalogue.kinds_for(whole):
                return catalogue.as_shown(whole, kind)
        view = layout_to_begin(self._meaning.capture, kind)
        self._whole[view.id] = view if view.registers is None else begun_in(view)
        return view

    def keep(self, view: Layout, count: int) -> None:
        """Take what was added to a view."""
        whole = self._whole[view.id]
        self._whole[view.id] = view if view.registers is None else from_window(whole, view)
        _, before = self.made.get(view.id, (whole, 0))
        self.made[view.id] = self._whole[view.id], before + count
