"""First steps with an unknown device: which units answer, at which speed, and which registers they have."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import chain, product

from ...progress import Progress
from ...protocols.spaces import Space
from ..address import EndpointAddress, parse_endpoint
from .endpoint import ModbusEndpoint
from .errors import NO_PATH, TARGET_SILENT, ExchangeError, RefusedError
from .opening import client_of
from .requests import READS, read_request

SPEEDS = (9600, 19200, 38400, 57600, 115200, 4800, 2400, 1200)
PARITIES = ("E", "N", "O")
"""Of a serial line, the likeliest first (MODBUS over Serial Line V1.02, 3.2 and 3.3)."""
_AT_ONCE = 120
"""Registers or bits of a read: within what is allowed of each, and bits fill whole bytes."""
_ANSWERS_S = 0.2
"""So long an answer is waited for where the endpoint does not say: most devices take less than 50 ms."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Registers of one space that can be read.

    Attributes
    ----------
    space
    first, count
    moved
        How many of them changed while they were read again; None if they were read once.
    """

    space: Space
    first: int
    count: int
    moved: int | None = None

    @property
    def words(self) -> str:
        """Return it as a person says it."""
        last = self.first + self.count - 1
        moved = "" if self.moved is None else f", {self.moved} moved"
        return f"{self.space.words} {self.first}..{last}{moved}" if self.count > 1 else (
            f"{self.space.words} {self.first}{moved}"
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class FoundUnit:
    """A unit that answers, and what it has.

    Attributes
    ----------
    unit
    stretches
    """

    unit: int
    stretches: tuple[Stretch, ...] = ()

    @property
    def words(self) -> str:
        """Return it as a sentence."""
        has = "; ".join(one.words for one in self.stretches)
        return f"unit {self.unit} has {has}." if has else f"unit {self.unit} answers, and refuses every register."


def look_for_units(
    text: str, units: Sequence[int], progress: Progress | None = None,
    found: Callable[[str, ModbusEndpoint], None] = lambda _text, _client: None,
) -> list[str]:  # fmt: skip
    """Return the endpoints, as they are written, of the units that answer.

    Parameters
    ----------
    text
        An endpoint of Modbus. A serial one that names no speed or parity is tried at the usual ones, until somebody
        answers.
    found
        Told of each, as it is written to ask this unit again, while it is connected.

    Raises
    ------
    MisuseError
        If it is no endpoint of Modbus.
    EndpointError
        If it cannot be opened.
    Cancelled
    """
    progress = progress or Progress()
    made: list[str] = []
    ways = list(_ways(parse_endpoint(text)))
    for number, way in enumerate(ways):
        client = client_of(way, units[0])
        client.open()
        try:
            for unit in units_that_answer(client, units, progress.part(number / len(ways), (number + 1) / len(ways))):
                client.unit = unit
                made.append(_named(way, unit))
                found(made[-1], client)
        finally:
            client.close()
        if made:
            break
    return made


def units_that_answer(client: ModbusEndpoint, units: Sequence[int], progress: Progress) -> Iterator[int]:
    """Yield the units behind a connection that answer, each as soon as it did.

    Raises
    ------
    LinkDownError
        If the connection was lost.
    Cancelled
    """
    for place, unit in enumerate(units):
        progress.step(place / len(units), f"unit {unit} at {client.address}")
        if _answers(client, unit):
            yield unit


def look_for_registers(
    client: ModbusEndpoint, most: int, rounds: int = 1, every_s: float = 0.2, progress: Progress | None = None
) -> tuple[Stretch, ...]:
    """Return the registers of the first ``most`` numbers that a connected unit lets be read, space by space.

    Parameters
    ----------
    rounds, every_s
        How often they are read to see which of them move, and how far apart.

    Raises
    ------
    LinkDownError
        If the connection was lost.
    Cancelled
    """
    progress = progress or Progress()
    stretches: list[Stretch] = []
    for number, space in enumerate(READS):
        progress.step(number / len(READS) * 0.5, f"{space.words} of unit {client.unit}")
        blocks = (_readable(client, space, *block, progress) for block in _blocks(0, most))
        spans = _joined(chain.from_iterable(blocks))
        stretches += [Stretch(space, first, last - first) for first, last in spans]
    if rounds < 2:
        return tuple(stretches)
    read: list[list[bytes]] = []
    for number in range(rounds):
        progress.step(0.5 + number / rounds * 0.5, f"reading unit {client.unit} again")
        if number:
            time.sleep(every_s)
        read.append([_content(client, one) for one in stretches])
    return tuple(
        Stretch(one.space, one.first, one.count, _moved(one, [content[n] for content in read]))
        for n, one in enumerate(stretches)
    )


def _ways(address: EndpointAddress) -> Iterator[str]:
    """Yield an endpoint with every speed and parity that it leaves open."""
    waits = "" if "timeout" in address.options else f"timeout={_ANSWERS_S}"
    if address.scheme != "serial":
        yield _with_options(str(address), waits)
        return
    speeds = (0,) if "baud" in address.options else SPEEDS
    parities = ("",) if "parity" in address.options else PARITIES
    speaks = "" if "speak" in address.options else "speak=modbus"
    for speed, parity in product(speeds, parities):
        yield _with_options(
            str(address), speaks, f"baud={speed}" if speed else "", f"parity={parity}" if parity else "", waits
        )


def _with_options(text: str, *options: str) -> str:
    more = "&".join(one for one in options if one)
    if not more:
        return text
    return f"{text}{'&' if '?' in text else '?'}{more}"


def _named(way: str, unit: int) -> str:
    """Return an endpoint with the unit that answered."""
    address = parse_endpoint(way)
    if address.scheme == "serial":
        return way if "unit" in address.options else _with_options(way, f"unit={unit}")
    head, question, query = way.partition("?")
    plain = head[: -len(address.place) - 1] if address.place else head.rstrip("/")
    return f"{plain}/{unit}{question}{query}"


def _answers(client: ModbusEndpoint, unit: int) -> bool:
    try:
        client.ask(read_request(Space.HOLDING, 0, 1), unit)
    except RefusedError as error:
        # a gateway says that nobody is there
        return error.code not in (NO_PATH, TARGET_SILENT)
    except ExchangeError:
        # nobody, or at a wrong speed noise
        return False
    return True


def _readable(
    client: ModbusEndpoint, space: Space, first: int, last: int, progress: Progress
) -> Iterator[tuple[int, int]]:
    """Yield stretches that can be read, first and behind the last, by halving what is refused."""
    progress.check()
    try:
        client.ask(read_request(space, first, last - first))
    except RefusedError as error:
        if not error.is_about_the_place or last - first == 1:
            return
        middle = (first + last) // 2
        yield from _readable(client, space, first, middle, progress)
        yield from _readable(client, space, middle, last, progress)
    except ExchangeError:
        # some devices are silent instead of refusing
        return
    else:
        yield first, last


def _joined(spans: Iterator[tuple[int, int]]) -> list[tuple[int, int]]:
    made: list[tuple[int, int]] = []
    for first, last in spans:
        if made and made[-1][1] == first:
            made[-1] = made[-1][0], last
        else:
            made.append((first, last))
    return made


def _content(client: ModbusEndpoint, one: Stretch) -> bytes:
    content = b""
    for first, last in _blocks(one.first, one.first + one.count):
        try:
            content += client.ask(read_request(one.space, first, last - first))
        except ExchangeError:
            content += bytes(-(-(last - first) * one.space.register_bits // 8))
    return content


def _blocks(first: int, last: int) -> Iterator[tuple[int, int]]:
    """Yield as few reads as Modbus allows of any space: whole bytes of bits, too."""
    for begin in range(first, last, _AT_ONCE):
        yield begin, min(begin + _AT_ONCE, last)


def _moved(one: Stretch, contents: Sequence[bytes]) -> int:
    if one.space.register_bits == 1:
        numbers = [int.from_bytes(content, "little") for content in contents]
        return sum(len({number >> bit & 1 for number in numbers}) > 1 for bit in range(one.count))
    return sum(len({content[2 * n : 2 * n + 2] for content in contents}) > 1 for n in range(one.count))
