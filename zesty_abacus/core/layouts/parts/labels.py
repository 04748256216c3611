"""A name of labels, each behind its length, joined to one text: as in the domain name system (RFC 1035)."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar
from uuid import uuid4

import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ..attribute import YES_NO, Attribute, escaped, optional_expression, with_escapes, yes
from ..fields import FieldKind, new_field
from ..places import Places
from ..problems import Said
from ..template import Template, free_name
from .one_field import OneField

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ..model import Layout
    from .part import Columns

_LONGEST, _LONGEST_WITH_POINTERS = 255, 63
"""Bytes of a label: a length of a byte, whose two highest bits tell pointers (RFC 1035, 3.1 and 4.1.4)."""


class Labels(OneField, frozen=True, kw_only=True, omit_defaults=True, tag="labels"):
    """A name of labels, up to one without a length.

    Attributes
    ----------
    field
        Of the kind text, without places: all labels with the separator between them. Within a label a separator or
        backslash has a backslash in front (RFC 1035, 5.1).
    separator
        One character.
    pointers
        Whether a length with its two highest bits set is a pointer: the name goes on where its other 14 bits say,
        which is before it.
    origin
        The byte of the payload that pointers count from.
    """

    separator: str = "."
    pointers: bool = True
    origin: Expression | None = None

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *OneField.attributes, Attribute("separator", "separator", ".", with_escapes, writer=escaped),
        Attribute("pointers", "may have pointers", "", yes, YES_NO),
        Attribute("origin", "pointers count from", "0, the first byte of the payload", optional_expression),
    )  # fmt: skip
    rank: ClassVar[int] = 5

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Name of labels (RFC 1035)", "moving parts", _add),)

    def words(self) -> str:
        return "name of labels"

    def problems(self) -> Said:
        yield from super().problems()
        if self.field.kind is not FieldKind.TEXT or self.field.code is not None:
            yield "field", f"{self.name} is to be text of characters."
        if len(self.separator) != 1 or not self.separator.isascii() or self.separator == "\\":
            yield "separator", f"The separator of {self.name} is one ASCII character, and no backslash."

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        from ...kernels.labels import CUT, GOOD, read_labels  # compiled code loads when frames are read

        origin = here.amount(self.origin)
        text, lengths, after, state = read_labels(
            np.ascontiguousarray(here.matrix), here.row, here.start, here.end, origin, ord(self.separator),
            pointers=self.pointers,
        )  # fmt: skip
        reader.cut(here, state == CUT)
        reader.own_bytes(self.field, here, here.start, after)
        column = reader.text(self.field, text, lengths, state == GOOD, state == CUT)
        return {self.field.id: column}, np.maximum(after, here.start)

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        name = self.field.name if self.field.name in unused else self.name
        text = region.content(self.field, unused.pop(name, b"")).decode("latin-1")
        return region.place(begin, b"".join(self._label(region, label) for label in self._parted(text)) + b"\0")

    def _parted(self, text: str) -> list[str]:
        labels, characters = [""], iter(text)
        for character in characters:
            if character == "\\":
                labels[-1] += next(characters, character)
            elif character == self.separator:
                labels.append("")
            else:
                labels[-1] += character
        # what ends with a separator, as whole names are written, has no further label
        return labels if labels[-1] else labels[:-1]

    def _label(self, region: Region, label: str) -> bytes:
        content = label.encode("latin-1", "replace")
        most = _LONGEST_WITH_POINTERS if self.pointers else _LONGEST
        if not 1 <= len(content) <= most:
            raise region.refused(f"a label has 1 to {most} bytes; {label[:40]!r} has {len(content)}.", self.name)
        return bytes([len(content)]) + content


def _add(layout: Layout) -> Layout:
    name = free_name(layout, "name")
    return layout.with_item(Labels(id=uuid4(), name=name, field=new_field(name, Places(()), FieldKind.TEXT)))


PART = Labels
