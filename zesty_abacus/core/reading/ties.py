"""Ties: what a trial says by hand about which layout reads what."""

from __future__ import annotations

from typing import TYPE_CHECKING
from uuid import UUID

import msgspec

from ..frames.capture import Lane
from ..frames.kind_key import KindKey
from ..layouts.applies import BY_HAND

if TYPE_CHECKING:
    # a trial says ties, and is opened by commands that load no layouts
    from ..layouts.model import Layout


class Tie(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A layout tied to a lane, or to one kind of message of it, by hand; goes before everything else.

    ``address`` and ``flags`` of a kind, or None for every kind of the lane that speaks the layout's protocol.
    """

    layout: UUID
    lane: str
    address: int | None = None
    flags: int | None = None

    def holds(self, layout: Layout, lane: Lane, key: KindKey) -> bool:
        """Return whether the tie makes its layout read a kind."""
        if self.layout != layout.id or self.lane != lane.name:
            return False
        if self.address is not None:
            return (self.address, self.flags) == (key.address, key.flags)
        return layout.applies.protocol in (lane.protocol, BY_HAND)
