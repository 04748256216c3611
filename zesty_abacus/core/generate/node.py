"""What a program that sends is made of: where it sends, how often, and what each field is fed with."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import urlsplit

import msgspec

from ..json_faults import faults_in
from .carried_fields import CarriedField
from .carried_message import CarriedMessage
from .errors import GenerateError

SOURCES = "node.json"
"""Where the sources stand, beside the code; whoever changes them makes the code anew."""
HOOK = "hook"


class Feed(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a field is fed with; one of the two is given.

    Attributes
    ----------
    constant
        Always this value.
    random
        Any value between two, another one each time.
    """

    constant: float | None = None
    random: tuple[float, float] | None = None


class MessageSources(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How often a message goes out, and what its fields are fed with: a number, limits, or ``hook``."""

    every_ms: int = 100
    fields: dict[str, Feed | str] = {}


Sources = dict[str, MessageSources]


@dataclass(frozen=True, slots=True)
class Link:
    """Where a node sends.

    Attributes
    ----------
    interface
        Of a CAN bus; empty for UDP.
    host, port
    frames
        Whether datagrams carry time, lane and address beside the payload.
    """

    interface: str = ""
    host: str = ""
    port: int = 0
    frames: bool = False

    @classmethod
    def parse(cls, endpoint: str) -> Link:
        """Read ``can:can0``, ``udp://HOST:PORT`` or ``udp://HOST:PORT?form=frames``.

        Raises
        ------
        GenerateError
            For what no node sends to.
        """
        scheme, _, place = endpoint.partition(":")
        if scheme == "can" and _INTERFACE.fullmatch(place):
            return cls(interface=place)
        try:
            parts = urlsplit(endpoint)
            port, host = parts.port, parts.hostname
        except ValueError:
            port, host = None, None
        options = parts.query if host else ""
        if scheme == "udp" and host and port and options in ("", "form=payload", "form=frames"):
            return cls(host=host, port=port, frames=options == "form=frames")
        hint = "Write can:can0 or udp://127.0.0.1:5000."
        raise GenerateError("a node sends to no such endpoint.", where=endpoint[:80], hint=hint)

    def reaches(self, message: CarriedMessage) -> bool:
        """Return whether a message can go there."""
        applies = message.layout.applies
        if message.moves:
            return False
        if not self.interface:
            return True
        return applies.protocol == "can" and applies.is_for_one_address and message.size_of_all <= _LONGEST_ON_CAN


_LONGEST_ON_CAN = 64
_INTERFACE = re.compile(r"[\w.@-]{1,15}")
"""A name that Linux gives an interface."""
_SLOWEST_MS = 3_600_000


def read_sources(text: bytes, where: str) -> Sources:
    """Return sources as they are written.

    Raises
    ------
    GenerateError
        If they are not as this program writes them, with the place.
    """
    try:
        found = msgspec.json.decode(text, type=Sources)
    except msgspec.DecodeError as error:
        hint = 'Write {"Motion": {"every_ms": 50, "fields": {"water speed": {"random": [0, 5]}}}}.'
        wrong = faults_in(text, Sources) or [str(error)]
        raise GenerateError.of("these are no sources of a node", wrong, where=where, hint=hint) from error
    for name, message in found.items():
        if not 1 <= message.every_ms <= _SLOWEST_MS:
            raise GenerateError(f"{name} cannot go out every {message.every_ms} ms.", where=where,
                                hint=f"From 1 to {_SLOWEST_MS}.")  # fmt: skip
        for field, source in message.fields.items():
            if source != HOOK if isinstance(source, str) else (source.constant is None) is (source.random is None):
                raise GenerateError(f"{name}, {field} is fed with {source!r}.", where=where,
                                    hint='Write {"constant": 1}, {"random": [0, 5]} or "hook".')  # fmt: skip
    return found


def write_sources(sources: Sources) -> str:
    """Return sources as a JSON document."""
    return msgspec.json.format(msgspec.json.encode(sources), indent=2).decode() + "\n"


def full_sources(messages: list[CarriedMessage], given: Mapping[str, MessageSources], where: str) -> Sources:
    """Return sources for every field that can be fed: those that are given, else limits, else zero.

    Raises
    ------
    GenerateError
        If something is given for a message or field that is not there.
    """
    by_name = {message.layout.name: message for message in messages}
    if unknown := [name for name in given if name not in by_name]:
        raise GenerateError(f"there is no message {unknown[0]!r} to feed.", where=where,
                            hint=f"There are {', '.join(by_name)}.")  # fmt: skip
    made: Sources = {}
    for name, message in by_name.items():
        told = given.get(name, MessageSources())
        fed = {one.field.name: one for one in message.fields if can_be_fed(message, one)}
        if unknown := [field for field in told.fields if field not in fed]:
            raise GenerateError(f"{name} has no field {unknown[0]!r} that can be fed.", where=where,
                                hint=f"There are {', '.join(fed)}.")  # fmt: skip
        fields = {field: told.fields.get(field, _usual(one)) for field, one in fed.items()}
        made[name] = MessageSources(told.every_ms, fields)
    return made


def can_be_fed(message: CarriedMessage, one: CarriedField) -> bool:
    """Return whether a field takes a value: along a curve it takes none, and checks and counters run by themselves."""
    held = {key for check in message.layout.checks for key in check.held_by()}
    return one.is_number and not one.field.is_curved and one.field.id not in held


def _usual(one: CarriedField) -> Feed:
    low, high = one.field.low, one.field.high
    if low is not None and high is not None:
        return Feed(random=(float(low), float(high)))
    return Feed(constant=0.0 if low is None or low <= 0 else float(low))
