"""Finds the protocols: every module of this package, or of a package from outside, that has a ``PROTOCOL``."""

from __future__ import annotations

from functools import cache

from ..discover import discover
from .protocol import Protocol


@cache
def protocols() -> dict[str, Protocol]:
    """Return all known protocols by name."""
    import zesty_abacus.core.protocols as package  # the package cannot be named before it is imported

    found = discover(package, "PROTOCOL", besides=frozenset({"registry", "protocol", "spaces", "can_bits", "groups"}))
    return {protocol.name: protocol for protocol in found}


@cache
def protocol_named(name: str) -> Protocol:
    """Return a protocol; one that is not known here has plain addresses."""
    known = protocols().get(name)
    if known is not None:
        return known
    plain = Protocol()
    plain.name = plain.title = name
    return plain
