"""Finds the line decoders: every module of this package that has a ``DECODER`` takes part."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Protocol

from ..discover import discover
from ..errors import MisuseError
from ..waves.edges import Edges
from .result import LineResult
from .settings import LineSettings, Proposal, Setting, check_settings


class LineDecoder(Protocol):
    """What a line code offers as ``DECODER``.

    Attributes
    ----------
    name
        As the interface calls it.
    protocol
        What a lane of its frames speaks.
    gives
        ``frames``, ``bytes`` or ``bits``: what framings can take it further.
    settings
        Its class of settings.
    fields
        The settings, in the order in which they are shown.
    """

    name: str
    protocol: str
    gives: str
    settings: type[LineSettings]
    fields: tuple[Setting, ...]

    def decode(self, settings: LineSettings, lines: Mapping[str, Edges]) -> LineResult:
        """Decode lines, given by the names of the channel settings."""
        ...

    # a code whose marks carry addresses with more in them offers ``address_text(value)`` besides

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Return settings that the channels themselves suggest, each with a score and a reason."""
        ...


def address_text(settings: LineSettings | None, value: int) -> str | None:
    """Return the address that a mark carries as a line code writes it; None where it is a number like any other."""
    said = getattr(decoder_of(settings), "address_text", None) if settings is not None else None
    return said(value) if said is not None else None


@cache
def decoders() -> tuple[LineDecoder, ...]:
    """Return all line decoders, in order of their module names."""
    import zesty_abacus.core.lines as package  # the package cannot be named before it is imported

    return tuple(discover(package, "DECODER"))


def decoder_of(settings: LineSettings) -> LineDecoder:
    """Return the decoder of settings."""
    return next(decoder for decoder in decoders() if type(settings) is decoder.settings)


def decode_line(settings: LineSettings, channels: Mapping[str, Edges]) -> LineResult:
    """Decode the channels that the settings name.

    Raises
    ------
    MisuseError
        If a line that must be there is not chosen, or is not in the recording; if a setting is none of those there are.
    """
    decoder = decoder_of(settings)
    check_settings(settings, decoder.fields, decoder.name)
    lines = {}
    for field in decoder.fields:
        if field.kind != "channel":
            continue
        name = getattr(settings, field.name)
        if name and name in channels:
            lines[field.name] = channels[name]
        elif name or not field.optional:
            known = ", ".join(channels) or "none"
            raise MisuseError(
                f"{field.name}={name!r}, expected one of the channels ({known}).",
                where=decoder.name,
                hint=f"Choose the {field.words}.",
            )
    return decoder.decode(settings, lines)
