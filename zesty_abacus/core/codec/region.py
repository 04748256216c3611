"""A stretch of a frame under construction: its bytes, and the values that are known while it is written."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from fractions import Fraction
from typing import Any

from ..layouts.model import Check, Field, Part
from .encode import EncodeError, content_bytes, put_bits, raw_of, whole_of
from .scalar import bits_of_raw, physical_of
from .spots import SpotInBytes, SpotInText
from .workings import Workings
from .writing_scope import WritingScope
from .written import text_of


class Region(WritingScope):
    """A stretch under construction: fixed fields at its start, parts behind.

    Attributes
    ----------
    data
        The bytes so far.
    address
        Of the frame.
    keeps_checks
        Whether checks stay as they were before.
    given
        Names of the fields that values were given for.
    losses
        What values lost on the way to their bits, by path and name, of the whole frame.
    """

    def __init__(
        self, fields: Sequence[Field], size: int, outer: Region | None, path: str, base: bytes = b"", *,
        address: int = 0, own_names: bool = False, workings: Workings | None = None,
    ) -> None:  # fmt: skip
        super().__init__(outer, path, workings, own_names=own_names)
        self.address: int = outer.address if outer is not None else address
        self.fields = list(fields)
        self.spots.update({field.id: SpotInBytes(field, self, 0) for field in fields})
        self.data = bytearray(base[:size].ljust(size, b"\0"))
        self.keeps_checks = len(base) > 0
        self.given: set[str] = set()
        self.losses: dict[str, Fraction] = outer.losses if outer is not None else {}

    def set(self, field: Field, start: int, value: object) -> None:
        """Write a value where the field lies, its part beginning at ``start``."""
        with self._told_where():
            raw, loss = raw_of(field, value)  # type: ignore[arg-type]
        self.put(field, start, raw)
        self.given.add(field.name)
        self._lose(field, loss)

    def put(self, field: Field, start: int, raw: int) -> None:
        """Write bits where the field lies."""
        needed = start + field.places.size_needed
        _extend(self.data, needed)
        view = bytearray(self.data[start:needed])
        put_bits(view, field, raw)
        self.data[start:needed] = view

    def refused(self, sentence: str, what: str = "") -> EncodeError:
        """Return the error that something here cannot be written; to be raised."""
        return EncodeError(sentence, where=what or self.path.rstrip("."))

    # what parts are written with

    def place(self, begin: int, content: bytes) -> int:
        """Write bytes from ``begin`` on and return where they end."""
        end = begin + len(content)
        _extend(self.data, end)
        self.data[begin:end] = content
        return end

    def take_in(self, fields: Sequence[Field], begin: int, size: int) -> None:
        """Make fields of a part of ``size`` bytes known here; their places count from ``begin``."""
        for field in fields:
            self.spots[field.id] = SpotInBytes(field, self, begin)
        _extend(self.data, begin + size)

    def fill_fields(self, fields: Iterable[Field], start: int, unused: dict[str, Any]) -> None:
        """Write the fields that values are given for, and take these out of ``unused``."""
        for field in fields:
            if field.name in unused:
                self.set(field, start, unused.pop(field.name))

    def build_parts(self, parts: Sequence[Part], cursor: int, unused: dict[str, Any], origin: int = 0) -> int:
        """Write parts one behind the other from ``cursor`` on, and return where the last one ends.

        ``origin`` is the byte from which their starts and steps count: that where the part begins that holds them.
        """
        for part in parts:
            if part.selected is not None:
                if not unused.keys().isdisjoint([part.name, *(field.name for field in part.fields_once())]):
                    self.let_be_there(part.selected)
                if not self.selects(part.selected):
                    continue
            begin = cursor
            # a start that is counted from an end that is not known yet comes behind what is there
            if part.start is not None and all(self.spot_named(name) for name in part.start.names):
                self.make_true(part.start, cursor - origin, f"{part.name} begins at", at_least=True)
                begin = origin + int(self.evaluate(part.start))
            begin = origin - (origin - begin) // part.align * part.align
            _extend(self.data, begin)
            cursor = part.build(self, begin, unused)
        return cursor

    def inner(self, path: str, fields: Sequence[Field], size: int, *, own_names: bool = False) -> Region:
        """Return a region inside this one, whose names hide those here; with ``own_names`` it knows no others."""
        return Region(fields, size, self, self.path + path, own_names=own_names)

    def fill_checks(self, checks: Sequence[Check], begin: int, end: int) -> None:
        """Make the checks of a part agree whose bytes are ``begin`` up to ``end``."""
        from .filling import FrameToCheck, fill_checks  # which looks at regions as frames

        if checks:
            fill_checks(FrameToCheck(self, begin, end), checks)

    def build_inner(
        self, path: str, fields: Sequence[Field], parts: Sequence[Part], size: int, values: Mapping,
        checks: Sequence[Check] = (),
    ) -> bytes:  # fmt: skip
        """Return the bytes of an item with fields and parts of its own; raises where a value is left over."""
        inner = self.inner(path, fields, size)
        unused = dict(values)
        inner.fill_fields(fields, 0, unused)
        end = inner.build_parts(parts, size, unused)
        if unused:
            raise inner.refused(f"there is no field {next(iter(unused))!r}.")
        inner.fill_checks(checks, 0, max(end, size))
        return bytes(inner.data[: max(end, size)])

    def content(self, field: Field, value: object) -> bytes:
        """Return the bytes of a text or raw bytes field."""
        with self._told_where():
            return content_bytes(field, value)  # type: ignore[arg-type]

    def whole(self, field: Field, value: object, item: str = "") -> int:
        """Return the raw number of a value; what is lost on the way is noted. ``item`` is where it stands in a list."""
        with self._told_where(item):
            raw, loss = whole_of(field, value)  # type: ignore[arg-type]
        self._lose(field, loss, item)
        return raw

    def bits(self, field: Field, value: object, item: str = "") -> int:
        """Return a value as the bits that it is written in, as wide as the places of the field."""
        return bits_of_raw(field, self.whole(field, value, item))

    def column(self, field: Field, unused: dict[str, Any]) -> str:
        """Return a value as a column of text has it; of one that is not given what was worked out, or nothing."""
        key = self.path + field.name
        if field.name in unused:
            value = unused.pop(field.name)
            self.given.add(field.name)
        elif key in self.workings.values:
            value = self.workings.values[key]
        else:
            self.spots[field.id] = SpotInText(field, self, None)
            return ""
        if not field.raw_is_number:
            return self.content(field, value).decode("latin-1")
        with self._told_where():
            said = text_of(field, value)
        self._lose(field, said.loss)
        self.spots[field.id] = SpotInText(field, self, said)
        return said.text

    def work_out(self, field: Field, raw: int) -> None:
        """Give a column of text, which stands already, another raw value when everything is written again."""
        key, value = self.path + field.name, physical_of(field, raw)
        if self.workings.values.get(key) != value:
            self.workings.values[key] = value
            self.workings.is_settled = False

    def _lose(self, field: Field, loss: Fraction, item: str = "") -> None:
        if loss:
            self.losses[self.path + item + field.name] = loss

    @contextmanager
    def _told_where(self, item: str = "") -> Iterator[None]:
        """Say of a value that cannot be written in which item it stands; those who write values know their field."""
        try:
            yield
        except EncodeError as error:
            raise EncodeError(error.message, where=self.path + item + error.where, hint=error.hint) from error


def _extend(data: bytearray, size: int) -> None:
    """Put zeros at the end until there are ``size`` bytes."""
    if len(data) < size:
        data.extend(bytes(size - len(data)))
