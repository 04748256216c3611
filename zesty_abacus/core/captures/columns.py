"""What the columns of a text table mean, as it is kept in the recipe, and how its lines are cut into cells."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable
from contextlib import suppress

import msgspec

from ..errors import MisuseError

ROLES = ("ignore", "time", "channel", "lane", "address", "size", "direction", "flags", "payload", "byte")
DATE, MONTH_FIRST, CLOCK = "date", "date, month first", "time of day"
TIME_UNITS = ("s", "ms", "µs", "ns", DATE, MONTH_FIRST, CLOCK)
DATES = (DATE, MONTH_FIRST)
MONTH_FIRST_TOLD = ("dates", "the month stands before the day")
_HALF = r"[AaPp][Mm]"
_CLOCK_PARTS = (
    rf"(?P<hour>\d{{1,2}}):(?P<minute>\d\d)(?::(?P<second>\d\d)(?:[.,](?P<part>\d*))?)?(?:[ \t]*(?P<half>{_HALF}))?"
)
_DAY = r"\d{4}-\d\d-\d\d|\d{4}/\d\d/\d\d|\d\d?\.\d\d?\.\d{4}|\d\d?/\d\d?/\d{4}"
"""With points the day comes first; which does with strokes and the year at the end is asked of all dates there are."""
_YEAR_LAST = re.compile(r"(\d\d?)/(\d\d?)/\d{4}")
_DATED = rf"(?P<day>{_DAY})[T ]{_CLOCK_PARTS}\s*(?P<zone>Z|[+-]\d\d:?\d\d)?"
WRITTEN_OUT = {DATE: _DATED, MONTH_FIRST: _DATED, CLOCK: _CLOCK_PARTS}
"""How a time that is written out looks, with names for its parts."""
_NO_BRACKETS = str.maketrans("()[]", "    ")


class Columns(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a table is read.

    Attributes
    ----------
    separator
        One character; a blank stands for any run of blanks.
    decimal
        ``.`` or ``,``.
    head_lines
        Lines before the first row of data.
    names
        A name a column.
    roles
        One of :data:`ROLES` a column.
    time_unit
        One of :data:`TIME_UNITS`: of lengths since a beginning, or how times are written out.
    rate_hz
        Rows a second, where there is no time column.
    base, byte_base
        Of addresses and of bytes a column: 16 or 10.
    tail
        Whether the last column takes all the rest of a line, as bytes do that stand apart, however many there are.
        Cells are separated by blanks then, and brackets around them say nothing.
    """

    separator: str = ","
    decimal: str = "."
    head_lines: int = 0
    names: tuple[str, ...] = ()
    roles: tuple[str, ...] = ()
    time_unit: str = "s"
    rate_hz: float | None = None
    base: int = 16
    byte_base: int = 16
    tail: bool = False

    def of_role(self, role: str) -> list[int]:
        """Return the numbers of the columns with a role."""
        return [number for number, known in enumerate(self.roles) if known == role]

    def cells(self, line: str) -> list[str]:
        """Return the cells of a line."""
        return cells_before_tail(line, len(self.roles)) if self.tail else split_line(line, self.separator)

    def check(self) -> None:
        """Check that the choice can be used.

        Raises
        ------
        MisuseError
            With what is missing.
        """
        for role in self.roles:
            if role not in ROLES:
                raise MisuseError(f"role={role!r}, expected one of {', '.join(ROLES)}.", where="columns")
        for role in ("time", "lane", "address", "size", "direction", "payload"):
            if len(self.of_role(role)) > 1:
                raise MisuseError(f"{len(self.of_role(role))} columns have the role {role}.", where="columns",
                                  hint="One may have it.")  # fmt: skip
        if self.time_unit not in TIME_UNITS:
            raise MisuseError(
                f"time_unit={self.time_unit!r}, expected one of {', '.join(TIME_UNITS)}.", where="columns"
            )
        if self.tail and self.separator != " ":
            raise MisuseError(f"tail goes with blanks between cells, not {self.separator!r}.", where="columns")
        if len(self.separator) != 1 or self.decimal not in (".", ",") or self.separator == self.decimal:
            raise MisuseError(
                f"separator={self.separator!r} decimal={self.decimal!r} cannot be told apart.", where="columns"
            )


def dates_joined(text: str, separator: str = " ") -> str:
    """Return lines whose dates and times of day are one word each, as ISO 8601 writes them, and not two cells."""
    apart = r"[ \t]+" if separator == " " else rf"[ \t]*{re.escape(separator)}[ \t]*"
    text = re.sub(rf"({_DAY}){apart}(?=\d{{1,2}}:\d\d)", r"\1T", text)
    return re.sub(rf"(:\d\d(?:[.,]\d*)?)[ \t]+(?={_HALF}\b)", r"\1", text) if separator == " " else text


def date_form(words: Iterable[str]) -> str:
    """Return how dates are written: with the month first, if they have strokes and none says that it is the day."""
    found = [(int(one[1]), int(one[2])) for word in words if (one := _YEAR_LAST.match(word))]
    if not found or max(first for first, _ in found) > 12:
        return DATE
    return MONTH_FIRST


def cells_before_tail(line: str, width: int) -> list[str]:
    """Return so many cells of a line, the last one all the rest of it; brackets are left out."""
    cells = dates_joined(line.translate(_NO_BRACKETS)).split(None, width - 1)
    # a frame without bytes is one all the same
    return [*cells, ""] if len(cells) == width - 1 else cells


def split_line(line: str, separator: str) -> list[str]:
    """Return the cells of a line, without quotes and blanks around them; a separator in quotes separates nothing."""
    return [cell.strip().strip('"').strip() for cell in _cut(line, separator)]


def _cut(line: str, separator: str) -> list[str]:
    line = dates_joined(line, separator)
    if separator == " ":
        return line.split()
    if '"' in line:
        # as the rows are read later on (RFC 4180); what the reader refuses is cut as it stands
        with suppress(csv.Error):
            return next(csv.reader([line], delimiter=separator), [])
    return line.split(separator)
