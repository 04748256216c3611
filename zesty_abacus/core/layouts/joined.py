"""A text that is put together of the values of several fields: ``{hours:02}:{minutes:02} {place}``."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from ..errors import MisuseError

_PIECE = re.compile(r"\{\{|\}\}|\{(?P<name>[^{}:]+)(?::(?P<form>[^{}]*))?\}|(?P<loose>[{}])")
_FORM = re.compile(r"0(?P<width>\d{1,2})|\.(?P<decimals>\d)")
_LONGEST = 1000


@dataclass(frozen=True, slots=True)
class Piece:
    """A field in a text.

    Attributes
    ----------
    name
    width
        A whole number is written with at least so many digits, zeros in front.
    decimals
        Digits behind the point; None writes those that there are.
    """

    name: str
    width: int = 0
    decimals: int | None = None


class JoinedText:
    """A text with fields in braces; an immutable value whose JSON form is its text.

    Braces that stand for themselves are doubled.

    Raises
    ------
    MisuseError
        If a brace is alone, or what stands behind a colon is no form.
    """

    __slots__ = ("__dict__", "_text")

    def __init__(self, text: str) -> None:
        self._text = text
        self.pieces  # noqa: B018 - a text that cannot be read is refused here

    @cached_property
    def pieces(self) -> tuple[str | Piece, ...]:
        """Texts that stand for themselves, and fields."""
        if len(self._text) > _LONGEST:
            raise MisuseError(f"a text of {len(self._text)} characters is longer than {_LONGEST}.")
        return tuple(self._read())

    def _read(self) -> Iterator[str | Piece]:
        place = 0
        for found in _PIECE.finditer(self._text):
            if found.start() > place:
                yield self._text[place : found.start()]
            place = found.end()
            if found["loose"] is not None:
                raise MisuseError(
                    f"{self._text[:60]!r} has a brace by itself.", hint="Write {{ or }} for one, {name} for a field."
                )
            yield _piece(found) if found["name"] is not None else found[0][0]
        if place < len(self._text):
            yield self._text[place:]

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The fields in it, each once, in order."""
        return tuple(dict.fromkeys(piece.name for piece in self.pieces if isinstance(piece, Piece)))

    def renamed(self, old: str, new: str) -> JoinedText:
        """Return it with another name for a field; itself if it does not have it."""
        if old not in self.names:
            return self
        return JoinedText(re.sub(rf"(?<!\{{)\{{\s*{re.escape(old)}\s*(?=[:}}])", lambda _: f"{{{new}", self._text))

    def __bool__(self) -> bool:
        return bool(self._text)

    def __eq__(self, other: object) -> bool:
        return self._text == other._text if isinstance(other, JoinedText) else NotImplemented

    def __hash__(self) -> int:
        return hash(self._text)

    def __str__(self) -> str:
        return self._text

    def __repr__(self) -> str:
        return f"JoinedText({self._text!r})"


NO_TEXT = JoinedText("")


def _piece(found: re.Match[str]) -> Piece:
    name, form = found["name"].strip(), (found["form"] or "").strip()
    if not form:
        return Piece(name)
    read = _FORM.fullmatch(form)
    if read is None:
        raise MisuseError(
            f"{form!r} behind {name} is no form.", hint="Write {name:02} for two digits, {name:.1} for one decimal."
        )
    if read["width"] is not None:
        return Piece(name, width=int(read["width"]))
    return Piece(name, decimals=int(read["decimals"]))
