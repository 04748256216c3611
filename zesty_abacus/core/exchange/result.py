"""What reading somebody else's layout file gives."""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from pathlib import Path
from uuid import NAMESPACE_URL, UUID, uuid5

from msgspec.structs import replace

from ..errors import DataError
from ..files.errors import file_errors_as
from ..files.reading import read_file
from ..layouts.model import Field, FieldKind, Layout

MAX_FILE_BYTES = 32 << 20
_NAMESPACE = uuid5(NAMESPACE_URL, "zesty-abacus exchange")


class ExchangeError(DataError):
    """A file that is not what it should be, or cannot be read."""


class CannotCarryError(Exception):
    """Something this program has no word for; with the sentence that says so."""


@dataclass(frozen=True, slots=True)
class Left:
    """Something that could not be carried over, or is to be known.

    Attributes
    ----------
    place
        Where it stands in the file, such as ``group.points[3]`` or ``[1A00]``.
    reason
        In a sentence.
    is_kept
        Whether it was carried over all the same.
    """

    place: str
    reason: str
    is_kept: bool = False

    def words(self) -> str:
        """Return it as a line tells it."""
        return f"{self.place}: {'' if self.is_kept else 'not carried over: '}{self.reason}"


@dataclass(slots=True)
class Exchanged:
    """Layouts read from a file.

    Attributes
    ----------
    layouts
        Valid ones, in the order of the file.
    left
        What was not carried over.
    """

    layouts: list[Layout] = field(default_factory=list)
    left: list[Left] = field(default_factory=list)

    def leave(self, place: str, reason: str) -> None:
        """Note something that is not carried over."""
        self.left.append(Left(place, reason))

    def tell(self, place: str, reason: str) -> None:
        """Note something that is carried over, and to be known."""
        self.left.append(Left(place, reason, is_kept=True))


@dataclass(slots=True)
class Written:
    """A file made of layouts.

    Attributes
    ----------
    data
        Its content.
    left
        What the format has no room for.
    """

    data: bytes
    left: list[Left]


def stable_id(*names: str) -> UUID:
    """Return an id that is the same each time the file is read, so that reading again changes instead of doubling."""
    return uuid5(_NAMESPACE, "/".join(names))


def exact_of(text: str) -> Fraction:
    """Read a number as the decimal it is written as; raises :class:`CannotCarryError`."""
    try:
        number = Decimal(text.strip())
        if not number.is_finite() or abs(number.adjusted()) > 60:
            raise InvalidOperation
        return Fraction(number)
    except InvalidOperation as error:
        raise CannotCarryError(f"{text[:40]!r} is no number.") from error


def decimal_of(number: Fraction) -> str:
    """Write a number as a decimal: exactly where a double says it, else the nearest."""
    return str(number.numerator) if number.denominator == 1 else repr(float(number))


def is_decimal(number: Fraction) -> bool:
    """Whether :func:`decimal_of` says a number exactly."""
    return Fraction(decimal_of(number)) == number


def id_of(text: object) -> UUID | None:
    """Return the identity a text is, None if it is none."""
    try:
        return UUID(str(text))
    except ValueError:
        return None


def read_bytes(path: Path) -> bytes:
    """Return a file's content.

    Raises
    ------
    ExchangeError
        If it cannot be read or is larger than :data:`MAX_FILE_BYTES`.
    """
    with file_errors_as(ExchangeError):
        return read_file(path, MAX_FILE_BYTES)


def in_plain_kinds(field: Field, left: Exchanged, place: str) -> Field:
    """Return what forms that know no sets and no code tables can say of a field; what is left out is told.

    A set of named bits becomes a plain number, a text of symbols raw bytes or, where it is no whole bytes, a number.
    """
    if field.code is not None:
        left.leave(place, "the code table that its symbols are read by has no place.")
        kind = FieldKind.BYTES if len(field.places) % 8 == 0 else FieldKind.UNSIGNED
        return replace(field, kind=kind, symbols=(), encoding="ascii")
    if field.kind is not FieldKind.BITS:
        return field
    left.leave(place, "the names of its bits have no place.")
    return replace(field, kind=FieldKind.UNSIGNED, names=())
