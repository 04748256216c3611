"""Which bits layouts explain already, page by page: the rest is what is left to find out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..layouts.model import Field, Layout
from ..reading.meaning import Meaning
from ..reading.owners import owners_of_kind
from .finding import Finding, Said, bits_of


@dataclass(frozen=True, slots=True, eq=False)
class Known:
    """What is explained of the frames of a kind, or of those on one page.

    Attributes
    ----------
    owned : bool (size * 8,)
        Bits of fields that are there in all of these frames.
    pages
        What else is explained, by what selects it.
    """

    owned: NDArray[np.bool_]
    pages: tuple[KnownPages, ...] = ()

    @property
    def taken(self) -> NDArray[np.bool_]:
        """Bits that are explained in all of these frames, or on some pages of them."""
        made = self.owned.copy()
        for one in self.pages:
            made |= one.under
        return made

    def explains(self, one: Said, usual: int) -> bool:
        """Return whether all bits of what is said are explained; from the end they are counted in ``usual`` bytes."""
        size = len(self.owned) // 8
        bits = [bit + (size - usual) * 8 * bool(one.places_text) for bit in one.bits]
        return bool(bits) and max(bits) < len(self.owned) and bool(self.taken[bits].all())

    def with_bits(self, bits: Iterable[int]) -> Known:
        """Return the same with some more bits explained in all frames."""
        owned = self.owned.copy()
        owned[[bit for bit in bits if bit < len(owned)]] = True
        return replace(self, owned=owned)

    def up_to(self, size: int) -> Known:
        """Return what is explained of the first bytes."""
        pages = tuple(replace(one, under=one.under[: size * 8]) for one in self.pages)
        return Known(self.owned[: size * 8], pages)


@dataclass(frozen=True, slots=True, eq=False)
class KnownPages:
    """A field that selects others.

    Attributes
    ----------
    selector
    under : bool (size * 8,)
        Bits of all fields that it selects.
    """

    layout: Layout
    selector: Field
    under: NDArray[np.bool_]

    def at(self, raw: int) -> Known:
        """Return what is explained in frames where the selector has a value."""
        return _known(self.layout, len(self.under) // 8, self.selector.id, raw)


def known_of_kind(meaning: Meaning, kind: int, size: int) -> Known:
    """Return what the first layout of a kind explains of payloads of a size.

    What moves in the layout counts where it is in all frames.
    """
    readers = meaning.kinds[kind].readers
    if not readers:
        return Known(np.zeros(size * 8, np.bool_))
    layout = readers[0].shown
    known = _known(layout, size, None, 0)
    if layout.moves:
        owners = owners_of_kind(meaning, kind)[: size * 8]
        known.owned[: len(owners)] |= (owners >= 0) & ~known.taken[: len(owners)]
    known.owned[[bit for bit in layout.reserved_bits() if bit < size * 8]] = True
    return known


def is_explained(known: Known, finding: Finding) -> bool:
    """Return whether all bits of a finding are explained where it holds; one about no bits never is."""
    bits = [bit for bit in bits_of(finding, len(known.owned) // 8) if bit < len(known.owned)]
    if not bits:
        return False
    where = {when.places: when.values for when in finding.when}
    return bool(_owned_where(known, where)[bits].all())


def _owned_where(known: Known, where: dict[str, str]) -> NDArray[np.bool_]:
    owned = known.owned.copy()
    for pages in known.pages:
        values = where.get(str(pages.selector.places))
        if values is not None and values.isdecimal():
            owned |= _owned_where(pages.at(int(values)), where)
    return owned


def _known(layout: Layout, size: int, selector: UUID | None, raw: int) -> Known:
    owned = np.zeros(size * 8, np.bool_)
    pages = []
    for field in _fields_at(layout, selector, raw):
        owned |= _mask(field, size)
        selected = [one for one in layout.fields if one.selected is not None and one.selected.field == field.id]
        # a payload that ends before its selector has no pages
        if selected and max(field.places.bits, default=size * 8) < size * 8:
            under = np.zeros(size * 8, np.bool_)
            for one in selected:
                under |= _mask(one, size)
            pages.append(KnownPages(layout, field, under))
    return Known(owned, tuple(pages))


def _fields_at(layout: Layout, selector: UUID | None, raw: int) -> Iterator[Field]:
    for field in layout.fields:
        if field.selected is None:
            if selector is None:
                yield field
        elif field.selected.field == selector and raw in field.selected.values:
            yield field


def _mask(field: Field, size: int) -> NDArray[np.bool_]:
    made = np.zeros(size * 8, np.bool_)
    made[[bit for bit in field.places.bits if bit < size * 8]] = True
    return made
