"""Which kinds carry the same message: found by its layout, or named by lane and address."""

from __future__ import annotations

from collections.abc import Iterable

from ..errors import MisuseError
from ..frames.capture import Capture
from ..frames.kind_key import KindKey
from ..protocols.registry import protocol_named
from ..reading.meaning import Meaning


def kinds_like(meaning: Meaning, kind: int) -> list[int]:
    """Return the kinds that carry the same message as one, itself first.

    Those that a layout of the same name reads, or, where nobody reads it, of the same address and flags on other lanes.
    """
    keys = meaning.capture.kinds.keys
    names = {reader.layout.name for reader in meaning.kinds[kind].readers}
    lanes = {key.lane: meaning.capture.lanes[key.lane] for key in keys}

    def is_like(other: int, key: KindKey) -> bool:
        if lanes[key.lane].protocol != lanes[keys[kind].lane].protocol:
            return False
        if names:
            return bool(names & {reader.layout.name for reader in meaning.kinds[other].readers})
        return (key.address, key.flags) == (keys[kind].address, keys[kind].flags)

    return [kind, *(other for other, key in enumerate(keys) if other != kind and is_like(other, key))]


def kinds_named(meaning: Meaning, message: str) -> list[int]:
    """Return the kinds that a layout of this name reads, in order of lane and address.

    Raises
    ------
    MisuseError
        If nothing here is called so.
    """
    found = [
        kind for kind, means in enumerate(meaning.kinds)
        if any(reader.layout.name == message for reader in means.readers)
    ]  # fmt: skip
    if not found:
        raise MisuseError(f"no message here is called {message!r}.")
    return found


def kinds_at(capture: Capture, places: Iterable[str]) -> list[int]:
    """Return the kinds that are named by lane and address, as ``deck:0x1A0``.

    Raises
    ------
    MisuseError
        If one is none, or nothing is there.
    """
    found = []
    for text in places:
        lane, colon, address = text.rpartition(":")
        try:
            number = int(address, 0)
        except ValueError:
            raise MisuseError(f"{text!r} is no lane and address.", hint="Write deck:0x1A0.") from None
        here = [
            kind for kind, key in enumerate(capture.kinds.keys)
            if colon and capture.lanes[key.lane].name == lane and number in (key.address, _device(capture, key))
        ]  # fmt: skip
        if not here:
            raise MisuseError(f"nothing of address {address} was seen on {lane or 'no lane'}.")
        found += here
    return found


def _device(capture: Capture, key: KindKey) -> int:
    return protocol_named(capture.lanes[key.lane].protocol).device_of(key)
