"""Finds the ways."""

from __future__ import annotations

from functools import cache

from ...discover import discover
from ...errors import MisuseError
from ..way import ForwardAddress, Opens, Way


@cache
def ways() -> dict[str, Opens]:
    """Return what opens a way, by the first word of its address."""
    import zesty_abacus.core.forward.ways as package  # cannot be named before it is imported

    return {scheme: opens for opens in reversed(discover(package, "OPENS")) for scheme in opens.schemes}


def check_scheme(address: ForwardAddress) -> None:
    """Raise :class:`MisuseError` if no module speaks what an address asks for."""
    _opens(address)


def way_to(address: ForwardAddress) -> Way:
    """Open a way; raises :class:`MisuseError` if no module speaks what the address asks for."""
    return _opens(address).open(address)


def _opens(address: ForwardAddress) -> Opens:
    opens = ways().get(address.parts.scheme)
    if opens is None:
        hint = "Write " + " or ".join(sorted({one.example for one in ways().values()})) + "."
        raise MisuseError(
            f"readings cannot be sent by {address.parts.scheme or 'this'!r}.", where=address.url, hint=hint
        )
    return opens
