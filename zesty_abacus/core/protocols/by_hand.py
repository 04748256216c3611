"""Layouts whose paper does not say what carries them: no frame asks for one by itself, it is tied by hand."""

from __future__ import annotations

from .protocol import Protocol

NAME = "tied by hand"


class ByHand(Protocol):
    """No lane speaks it."""

    name, title = NAME, NAME

    def address_text(self, address: int, *, extended: bool = False) -> str:
        return "no frame by itself"


PROTOCOL = ByHand()
