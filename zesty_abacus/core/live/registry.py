"""Finds the endpoints: modules of :mod:`.endpoints` that have ``OPENS``, and those that other packages add."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache

from ..discover import discover
from ..errors import MisuseError
from . import endpoints as package
from .address import EndpointAddress, parse_endpoint
from .endpoint import Endpoint


@dataclass(frozen=True, slots=True)
class Opens:
    """What a module offers as ``OPENS``.

    Attributes
    ----------
    scheme
        As it is written before the colon.
    example
        An endpoint of this sort.
    make
        Takes the address; what is wrong with it is told before anything is connected.
    """

    scheme: str
    example: str
    make: Callable[[EndpointAddress], Endpoint]


@cache
def schemes() -> Mapping[str, Opens]:
    """Return every sort of endpoint by its scheme."""
    return {one.scheme: one for one in discover(package, "OPENS")}


def endpoint_of(text: str) -> Endpoint:
    """Return the endpoint that a text says, not yet open; ``LANE=ENDPOINT`` names its lane.

    Raises
    ------
    MisuseError
        If it is none, or has an option that makes no sense.
    """
    lane, written = lane_and_address(text)
    address = parse_endpoint(written)
    if address.scheme not in schemes():
        known = ", ".join(one.example for one in schemes().values())
        raise MisuseError(f"there is no endpoint {address.scheme!r}.", where=text, hint=f"Known are {known}.")
    made = schemes()[address.scheme].make(address)
    made.named(lane)
    return made


def lane_and_address(text: str) -> tuple[str, str]:
    """Return the lane that ``LANE=ENDPOINT`` names, empty if none, and the endpoint."""
    before, equals, after = text.partition("=")
    # the options of an endpoint have equals signs, too, but only behind its colon
    return (before.strip(), after) if equals and ":" not in before else ("", text)
