"""Endpoints as they are written: ``can:vcan0``, ``serial:/dev/ttyUSB0?baud=19200``, ``udp://127.0.0.1:5000?listen=1``.

One form on the command line, in a trial and in a rehearsal.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from urllib.parse import parse_qsl, unquote, urlsplit

from ..errors import MisuseError

_HIGHEST_PORT = 65_535
_YES = {"1", "yes", "true", "on"}
_NO = {"0", "no", "false", "off", ""}


@dataclass(frozen=True, slots=True)
class EndpointAddress:
    """An endpoint as text says it, taken apart.

    Attributes
    ----------
    text
        As it was written.
    scheme
        ``can``, ``udp`` and so on.
    place
        What stands behind the scheme: an interface, a path, a name; of a network address what follows the port.
    host, port
        Of a network address; the port is 0 where none is written.
    options
        What stands behind the question mark.
    """

    text: str
    scheme: str
    place: str = ""
    host: str = ""
    port: int = 0
    options: Mapping[str, str] = field(default_factory=dict)

    def __str__(self) -> str:
        return self.text

    @property
    def short(self) -> str:
        """Return the endpoint as a lane is named after it."""
        if self.host:
            where = f"[{self.host}]" if ":" in self.host else self.host
            return f"{self.scheme} {where}:{self.port}"
        return self.place.rpartition("/")[2] or self.scheme

    def only(self, *known: str) -> EndpointAddress:
        """Return itself, if it has no options but these.

        Raises
        ------
        MisuseError
            If it has another one.
        """
        for name in self.options:
            if name not in known:
                hint = f"Known are {', '.join(known)}." if known else "It takes none."
                raise MisuseError(f"{self.scheme} has no option {name!r}.", where=self.text, hint=hint)
        return self

    def is_on(self, name: str) -> bool:
        """Return whether an option such as ``listen=1`` is switched on; raises MisuseError where it is neither."""
        value = self.options.get(name, "").lower()
        if value in _YES:
            return True
        if value in _NO:
            return False
        raise MisuseError(f"{name}={value} is neither 1 nor 0.", where=self.text)

    def number(self, name: str, default: float, lowest: float, highest: float) -> float:
        """Return an option that is a number.

        Raises
        ------
        MisuseError
            If it is none, or not between the lowest and the highest.
        """
        text = self.options.get(name)
        if text is None:
            return default
        try:
            value = float(text)
        except ValueError:
            value = float("nan")
        if not lowest <= value <= highest:
            raise MisuseError(f"{name}={text} is no number from {lowest:g} to {highest:g}.", where=self.text)
        return value

    def word(self, name: str, default: str, *known: str) -> str:
        """Return an option that is one of some words; raises MisuseError if it is another."""
        value = self.options.get(name, default)
        if value not in known:
            raise MisuseError(f"{name}={value} is not one of {', '.join(known)}.", where=self.text)
        return value


def check_port(address: EndpointAddress) -> None:
    """Raise MisuseError if a network address names no port."""
    if not address.port:
        raise MisuseError("it names no port.", where=str(address), hint=f"Write {address.scheme}://127.0.0.1:5000.")


def parse_endpoint(text: str) -> EndpointAddress:
    """Read an endpoint as it is written.

    Raises
    ------
    MisuseError
        If it has no scheme, a port that is none, or an option without a value.
    """
    scheme, colon, rest = text.strip().partition(":")
    if not colon or not scheme.isalpha() or not rest:
        raise MisuseError(
            f"{text[:80]!r} is no endpoint.", hint="Write one such as can:vcan0, udp://127.0.0.1:5000 or bench:yuzu."
        )
    body, _, query = rest.partition("?")
    options = _options(text, query)
    if not body.startswith("//"):
        return EndpointAddress(text, scheme.lower(), unquote(body), options=options)
    host, port, place = _network_place(text)
    return EndpointAddress(text, scheme.lower(), place, host, port, options)


def _network_place(text: str) -> tuple[str, int, str]:
    try:
        parts = urlsplit(text)
        host, port = parts.hostname or "", parts.port or 0
    except ValueError as error:
        raise MisuseError(f"its port is no number up to {_HIGHEST_PORT}.", where=text) from error
    if not host:
        raise MisuseError("it names no host.", where=text, hint=f"Write {parts.scheme}://127.0.0.1:5000.")
    return host, port, parts.path.strip("/")


def _options(text: str, query: str) -> dict[str, str]:
    if not query:
        return {}
    try:
        return dict(parse_qsl(query, keep_blank_values=True, strict_parsing=True))
    except ValueError as error:
        raise MisuseError("an option is written name=value.", where=text) from error
