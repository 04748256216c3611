"""A message that goes out again and again: its fields fed, its counters running, its checks worked out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, Protocol
from uuid import UUID

from ..codec.encode import EncodeError
from ..codec.lists import list_from_text
from ..codec.messages import encode_message
from ..codec.scalar import physical_of
from ..errors import MisuseError
from ..frames import flags as F
from ..layouts.checks.counter import Counter
from ..layouts.model import Field, Layout
from ..live.endpoint import Outgoing
from ..protocols import can
from .feed_words import parse_feed
from .feeds import Feed
from .listening import Listening
from .wrong_checks import with_wrong_checks

_CAN_CLASSIC = 8
_MOST_KEPT = 4096
_FAULTY = 10
"""Of so many frames one is left out or late on purpose: often enough to be seen, seldom enough that a bus stays up."""


@dataclass(frozen=True, slots=True)
class Faults:
    """What is made wrong on purpose, so that one sees what the other side does.

    Attributes
    ----------
    wrong_check
        Every check over bytes that stands in a frame once is turned round.
    frozen_counter
        Counters stay where they are.
    too_short
        The last byte is left out.
    missing_frame
        Each tenth frame does not go out, and its number is used up.
    late_frame
        Each tenth frame goes out half a period late; one without a period by 100 ms.
    """

    wrong_check: bool = False
    frozen_counter: bool = False
    too_short: bool = False
    missing_frame: bool = False
    late_frame: bool = False

    def leaves_out(self, number: int) -> bool:
        """Return whether a frame does not go out, counted from 0."""
        return self.missing_frame and number % _FAULTY == _FAULTY - 1

    def is_late(self, number: int) -> bool:
        """Return whether a frame goes out late, counted from 0."""
        return self.late_frame and number % _FAULTY == _FAULTY // 2 - 1

    @property
    def words(self) -> tuple[str, ...]:
        """Return what is wrong, as it is written."""
        return tuple(word for word, name in FAULT_WORDS.items() if getattr(self, name))


FAULT_WORDS = {
    "wrong check": "wrong_check", "frozen counter": "frozen_counter", "too short": "too_short",
    "missing frame": "missing_frame", "late frame": "late_frame",
}  # fmt: skip


def faults_of(words: Sequence[str]) -> Faults:
    """Return the faults that words name; raises MisuseError if one names none."""
    unknown = next((word for word in words if word not in FAULT_WORDS), None)
    if unknown is not None:
        raise MisuseError(f"there is no fault {unknown!r}.", hint=f"There are {', '.join(FAULT_WORDS)}.")
    return Faults(**{FAULT_WORDS[word]: True for word in words})


class Outward(Protocol):
    """What makes frames that go out.

    Attributes
    ----------
    faults
        What is made wrong on purpose.
    """

    faults: Faults

    def frame(self, number: int, time_s: float) -> Outgoing:
        """Return frame ``number``, from 0, sent ``time_s`` after the first."""


@dataclass(slots=True)
class OneFrame:
    """The same frame each time."""

    same: Outgoing
    faults: Faults = field(default_factory=Faults)

    def frame(self, number: int, time_s: float) -> Outgoing:
        """Return it."""
        return self.same


class OutgoingMessage:
    """Makes the frames of one message, each from the values that its feeds give at that moment.

    Counters that nothing feeds go on by their step with every frame; checks, counts and lengths that nothing feeds are
    worked out.

    Parameters
    ----------
    layout
        With what it carries in its place, see :func:`~zesty_abacus.core.codec.named.layout_named`.
    feeds
        By name of the field, in the order in which they may name each other.
    listening
        Knows what is heard, which some feeds pass on; None where nothing is.
    flags
        What its frames have besides that the layout says.

    Raises
    ------
    MisuseError
        If a field is not there, or a feed names one that is not fed before it.
    """

    def __init__(
        self, layout: Layout, feeds: Mapping[str, Feed], faults: Faults | None = None,
        listening: Listening | None = None, *, flags: int = 0,
    ) -> None:  # fmt: skip
        self.layout = layout
        self.faults = faults or Faults()
        self._listening = listening
        self._lists = frozenset(part.name for part in layout.lists())
        self._feeds = {name: feed.listening_to(listening) for name, feed in feeds.items()}
        self._counters = _counters(layout, frozenset(feeds))
        self._kept: dict[tuple[int, ...], bytes] = {}
        self._is_still = not any(feed.moves for feed in self._feeds.values())
        self._flags, self._address = _flags_of(layout) | flags, layout.applies.address or 0
        _check_order(layout, self._feeds)

    @property
    def feeds(self) -> Mapping[str, Feed]:
        """What feeds each field, by its name."""
        return self._feeds

    @property
    def listens(self) -> bool:
        """Whether some field passes on what is heard."""
        return any(feed.listens for feed in self._feeds.values())

    def listen_to(self, listening: Listening) -> None:
        """Ask somebody else what is heard from now on."""
        self._listening = listening
        self._feeds = {name: feed.listening_to(listening) for name, feed in self._feeds.items()}

    def set(self, name: str, feed: Feed) -> None:
        """Feed a field otherwise from now on."""
        feeds = self._feeds | {name: feed.listening_to(self._listening)}
        _check_order(self.layout, feeds)
        self._feeds = feeds
        self._kept.clear()
        self._is_still = not any(one.moves for one in feeds.values())
        self._counters = _counters(self.layout, frozenset(feeds))

    def make_wrong(self, faults: Faults) -> None:
        """Make something else wrong from now on."""
        self.faults = faults
        self._kept.clear()

    def values(self, time_s: float, number: int) -> dict[str, Any]:
        """Return the value of every fed field, and what lists hold, at a time; raises FeedError where there is none."""
        made: dict[str, Any] = {}
        known: dict[str, Fraction] = {}
        for name, feed in self._feeds.items():
            value = feed.value(time_s, number, known)
            made[name] = list_from_text(name, value) if name in self._lists and isinstance(value, str) else value
            try:
                known[name] = Fraction(str(value))
            except (ValueError, TypeError):
                continue  # a name or a text; an expression that asks for it as a number is told so
        return made

    def frame(self, number: int, time_s: float) -> Outgoing:
        """Return frame ``number`` of the message, from 0, sent ``time_s`` after the first.

        Raises
        ------
        MisuseError
            If a value does not fit.
        """
        counts = tuple(one.at(0 if self.faults.frozen_counter else number) for one in self._counters)
        payload = self._kept.get(counts) if self._is_still else None
        if payload is None:
            payload = self._payload(counts, time_s, number)
            if self._is_still and len(self._kept) < _MOST_KEPT:
                self._kept[counts] = payload
        return Outgoing(payload, self._address, self._flags | (F.LONG if self._is_long(payload) else 0))

    def _payload(self, counts: Sequence[int], time_s: float, number: int) -> bytes:
        values = self.values(time_s, number)
        for counter, count in zip(self._counters, counts, strict=True):
            values[counter.field.name] = physical_of(counter.field, count)
        payload = encode_message(self.layout, values).payload
        if self.faults.wrong_check:
            payload = with_wrong_checks(self.layout, values, payload)
        if self.faults.too_short:
            payload = payload[:-1]
        if self._is_long(payload):
            room = next((size for size in can.DATA_SIZES if size >= len(payload)), len(payload))
            payload = payload.ljust(room, b"\0")
        return payload

    def _is_long(self, payload: bytes) -> bool:
        return self.layout.applies.protocol == can.NAME and len(payload) > _CAN_CLASSIC


@dataclass(frozen=True, slots=True)
class _Running:
    """A counter that goes on by itself."""

    field: Field
    step: int
    values: int

    def at(self, number: int) -> int:
        return number * self.step % self.values


def _counters(layout: Layout, fed: frozenset[str]) -> tuple[_Running, ...]:
    fields: dict[UUID, Field] = {field.id: field for field in layout.fields}
    found = []
    for check in layout.checks:
        field = fields.get(check.field) if isinstance(check, Counter) else None
        if isinstance(check, Counter) and field is not None and field.name not in fed and field.selected is None:
            found.append(_Running(field, check.step, check.wraps_at or 1 << len(field.places)))
    return tuple(found)


def _check_order(layout: Layout, feeds: Mapping[str, Feed]) -> None:
    names = {field.name for field in layout.all_fields()} | {part.name for part in layout.parts}
    before: set[str] = set()
    for name, feed in feeds.items():
        if name not in names:
            raise EncodeError(
                f"there is no field {name!r}.", where=layout.name, hint=f"It has {', '.join(sorted(names)) or 'none'}."
            )
        missing = feed.names - before
        if missing:
            raise MisuseError(
                f"{name} is worked out from {', '.join(sorted(missing))}, which is not fed before it.",
                where=layout.name, hint="Give that field first.",
            )  # fmt: skip
        before.add(name)


def _flags_of(layout: Layout) -> int:
    applies = layout.applies
    extended = F.EXTENDED if applies.protocol == can.NAME and applies.extended else 0
    return extended | {"read": F.READ, "answer": F.ANSWER}.get(applies.way, 0)


def feeds_of(pairs: Sequence[str]) -> dict[str, Feed]:
    """Return feeds written as ``FIELD=VALUE`` or ``FIELD=FEED``.

    Raises
    ------
    MisuseError
        If one has no equals sign, or says no feed.
    """
    made = {}
    for pair in pairs:
        name, equals, text = pair.partition("=")
        if not equals:
            raise MisuseError(f"{pair!r} is not FIELD=VALUE.")
        made[name.strip()] = parse_feed(text)
    return made
