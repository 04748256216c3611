"""A way to another program: where it leads, and how a reading is handed over."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol
from urllib.parse import SplitResult, unquote, urlsplit, urlunsplit

from ..errors import MisuseError
from .readings import Reading


class Way(Protocol):
    """An open way; used by one thread."""

    def deliver(self, place: str, body: bytes) -> None:
        """Hand over one reading; when it returns the other side has it. Raises :class:`AwayError` if not."""
        ...

    def close(self) -> None:
        """Let go."""
        ...


@dataclass(frozen=True, slots=True)
class ForwardAddress:
    """Where readings go.

    Attributes
    ----------
    url
        As it was written, without a password: none may stand there.
    parts
        The same, taken apart.
    password
        From the environment or the keyring; shown nowhere.
    """

    url: str
    parts: SplitResult
    password: str | None = None

    @classmethod
    def parse(cls, text: str) -> ForwardAddress:
        """Read an address.

        Raises
        ------
        MisuseError
            If it is none, or holds a password.
        """
        try:
            parts = urlsplit(text)
            port, host = parts.port, parts.hostname
        except ValueError as error:
            raise MisuseError(f"this is no address ({error}).", where=text[:80]) from error
        if parts.password is not None:
            shown = urlunsplit(parts._replace(netloc=parts.netloc.rpartition("@")[2]))
            raise MisuseError("a password stands in the address, where others can read it.", where=shown,
                              hint="Put it into ZESTY_ABACUS_PASSWORD, or into the keyring.")  # fmt: skip
        if not host or port == 0:
            raise MisuseError("it names no host.", where=text[:80], hint="Write mqtt://HOST:PORT/TOPIC.")
        return cls(text, parts)

    @property
    def user(self) -> str | None:
        """The user that stands in the address."""
        return unquote(self.parts.username) if self.parts.username else None

    @property
    def host(self) -> str:
        """The host."""
        return self.parts.hostname or ""

    def parts_of(self, reading: Reading) -> Iterator[Reading]:
        """Yield a reading as it is sent: whole, or a value each where the place names its field."""
        if _FIELD not in unquote(self.parts.path):
            yield reading
            return
        for key, value in reading.values.items():
            yield Reading(reading.time_ns, reading.lane, reading.message, {key: value})

    def place_of(self, reading: Reading) -> str:
        """Return the path or topic of a reading: ``{lane}``, ``{message}`` and ``{field}`` in it are filled in."""
        path = unquote(self.parts.path)
        field = next(iter(reading.values), "")
        for word, name in (("{lane}", reading.lane), ("{message}", reading.message), (_FIELD, field)):
            # a slash would be a level of its own, and these signs ask for many topics
            path = path.replace(word, name.translate(_NO_LEVELS))
        return path


_FIELD = "{field}"
_NO_LEVELS = str.maketrans({"/": "-", "+": "-", "#": "-", "\0": "-"})


@dataclass(frozen=True, slots=True)
class Opens:
    """What a module of ways offers.

    Attributes
    ----------
    schemes
        First words of addresses.
    example
    open
        Makes a way; it need not be reachable yet.
    """

    schemes: tuple[str, ...]
    example: str
    open: Callable[[ForwardAddress], Way]
