"""What can be found by a few letters: messages and their fields, the library, moments, and what can be done."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import chain, islice
from typing import Any
from uuid import UUID

from ..app.commands import Command
from ..app.session import Session


@dataclass(frozen=True, eq=False)
class Finding:
    """One line of the list: what it is, its name, what stands at the right, and what happens.

    Attributes
    ----------
    more
        Words by which it is found though they do not stand in its line.
    """

    what: str
    name: str
    beside: str
    run: Callable[[], object]
    more: str = ""

    @cached_property
    def letters(self) -> str:
        """All that it is found by."""
        return f"{self.what} {self.name} {self.beside} {self.more}".lower()


class Findable:
    """Things that are found together, such as a message with its fields.

    Lines are made of them when their letters have what is wanted: to make those of thousands of messages takes longer
    than a key may.

    Parameters
    ----------
    names
        What the names of its lines begin with.
    letters
        Those of all its lines, small ones.
    make
    """

    def __init__(self, names: Iterable[str], letters: str, make: Callable[[], list[Finding]]) -> None:
        self._names = tuple(name.lower() for name in names)
        self._letters = letters
        self._make = make

    @classmethod
    def of(cls, what: str, name: str, beside: str, run: Callable[[], object], more: str = "") -> Findable:
        """Return one that is a single line."""
        line = Finding(what, name, beside, run, more)
        return cls([name], line.letters, lambda: [line])

    def has(self, words: Sequence[str]) -> bool:
        """Return whether all words are among its letters."""
        return all(word in self._letters for word in words)

    def begins_with(self, word: str) -> bool:
        """Return whether a name of it begins so."""
        return any(name.startswith(word) for name in self._names)

    @cached_property
    def lines(self) -> list[Finding]:
        """Its lines, the most telling first."""
        return self._make()


def search(known: Sequence[Findable], text: str, most: int) -> list[Finding]:
    """Return what has all words of a text, first what begins with the first of them."""
    words = text.lower().split()
    if not words:
        return list(islice((line for one in known for line in one.lines), most))
    return list(islice(chain(_lines(known, words, begin=True), _lines(known, words, begin=False)), most))


def _lines(known: Sequence[Findable], words: list[str], *, begin: bool) -> Iterator[Finding]:
    for one in known:
        if one.has(words) and (not begin or one.begins_with(words[0])):
            for line in one.lines:
                if all(word in line.letters for word in words) and line.name.lower().startswith(words[0]) == begin:
                    yield line


class WhatIsThere:
    """Lists what there is to be found in a session."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def of_trial(self) -> Iterator[Findable]:
        """Yield what the trial holds: messages with their fields, moments, and what is asked again and again."""
        session = self._session
        if session.capture is None:
            return
        for kind in range(len(session.capture.kinds.keys)):
            yield self._message(kind)
        for moment in session.trial.file.moments:
            at = session.clock.words(moment.time_ns)
            go = partial(session.clock.set_cursor, moment.time_ns, follow=True)
            yield Findable.of("moment", moment.text, f"{at} s", go)
        for kept in session.trial.file.conditions:
            yield Findable.of("ask", kept.name, kept.text, partial(self._ask, kept.text))

    def of_library(self) -> Iterator[Findable]:
        """Yield the layouts that read nothing of the capture; each is found by its fields as well."""
        session = self._session
        read = {reader.layout.id for kind in session.reading.kinds_read() for reader in session.reading.readers(kind)}
        for layout in session.edits.layouts():
            if layout.id not in read:
                fields = " ".join(f"{field.name} {field.unit}" for field in layout.all_fields())
                beside = f"{layout.applies.words()} · not in this capture"
                yield Findable.of("layout", layout.name, beside, partial(self._show_layout, layout.id), fields)

    def of_commands(self, commands: Iterable[Command]) -> Iterator[Findable]:
        """Yield what can be done now."""
        for command in commands:
            if command.enabled():
                yield Findable.of("do", command.title, command.shortcut, partial(self._do, command))

    def _message(self, kind: int) -> Findable:
        session = self._session
        address = session.kinds.address(kind)
        lane = session.capture.lanes[session.kinds.key(kind).lane].name
        words, beside = session.kinds.name(kind) or f"{address} unnamed", f"{address} · {lane}"
        readers = session.reading.readers(kind)
        message = Finding("message", words, beside, partial(session.in_hand.take_kind, kind))
        names = [words, *(reader.layout.name for reader in readers)]
        letters = f"message · field {session.kinds.letters(kind)}"
        return Findable(names, letters, lambda: [message, *self._fields(kind, readers)])

    def _fields(self, kind: int, readers: Iterable[Any]) -> Iterator[Finding]:
        for reader in readers:
            for field in reader.shown.once_a_frame():
                title = f"{reader.layout.name}.{field.name}"
                yield Finding("field", title, field.unit, partial(self._show_field, kind, field.id))

    def _show_layout(self, layout_id: UUID) -> None:
        self._session.in_hand.take_layout(layout_id)
        self._session.desk_wanted.emit("Layouts")

    def _show_field(self, kind: int, field_id: UUID) -> None:
        self._session.in_hand.take_kind(kind)
        if (kind, field_id) not in self._session.traces.shown:
            self._session.traces.toggle(kind, field_id)
        self._session.desk_wanted.emit("Read")

    def _ask(self, condition: str) -> None:
        self._session.asking.ask(condition)
        self._session.desk_wanted.emit("Read")

    def _do(self, command: Command) -> None:
        """Do something where it can be seen."""
        if command.desk:
            self._session.desk_wanted.emit(command.desk)
        command.run()
