"""``manifest.json``: what lies in a folder of generated code, for programs that use it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import msgspec

from ..origin import Origin
from .carried import LeftOut
from .carried_fields import CarriedField
from .carried_message import CarriedMessage, CarriedValue


class ManifestField(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A field of a message.

    Attributes
    ----------
    field
        Its name in the layout.
    raw, raw_type
        The member of the struct, and its type.
    value, present
        Functions of the struct; None where it has no number, or is always there.
    size, tens, known
        Members behind ``raw`` of what moves: how many bytes there are, the power of ten that a number in decimals is to
        be multiplied with, whether characters are a number or labels a name; empty where there is none.
    """

    field: str
    raw: str
    raw_type: str
    value: str | None
    present: str | None
    size: str = ""
    tens: str = ""
    known: str = ""

    @classmethod
    def of(cls, one: CarriedField, names: MessageNames) -> ManifestField:
        """Return what is said of a field under the names of a language."""
        return cls(
            field=one.field.name, raw=one.raw, raw_type=names.raw_type(one),
            value=names.value(one) if one.is_number else None,
            present=names.has(one) if one.field.selected is not None else None,
            size=one.size if one.varies else "", tens=one.tens if one.has_tens else "",
            known=one.known if one.has_known else "",
        )  # fmt: skip


class ManifestValue(msgspec.Struct, frozen=True, kw_only=True):
    """A value that is computed, and the function that gives it."""

    field: str
    value: str


@dataclass(frozen=True, slots=True)
class MessageNames:
    """What a language calls the parts of a message.

    Attributes
    ----------
    struct, unpack, pack
    value
        The function that gives the value of a field or computed value.
    has
        The function that says whether a field is there.
    raw_type
        The type of a field's member of the struct.
    """

    struct: str
    unpack: str
    pack: str
    value: Callable[[CarriedField | CarriedValue], str]
    has: Callable[[CarriedField], str]
    raw_type: Callable[[CarriedField], str]


class ManifestStruct(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A struct in a struct: an item of a list, the case of an element, a payload that is carried.

    Attributes
    ----------
    inside
        Structs in it, in the order in which they lie behind its fields.
    """

    struct: str
    fields: tuple[ManifestField, ...]
    computed: tuple[ManifestValue, ...] = ()
    inside: tuple[ManifestPart, ...] = ()


class ManifestPart(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A member that is a struct, or an array of them.

    Attributes
    ----------
    part
        Its name in the layout.
    count
        The member in front of an array that says how many there are; empty of a struct by itself.
    most
        How many there is room for.
    present
        The function that says whether a struct by itself is there; None where it always is.
    """

    part: str
    member: str
    holds: ManifestStruct
    count: str = ""
    most: int = 1
    present: str | None = None


class ManifestMessage(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A message.

    Attributes
    ----------
    address
        None where its layout asks for none, or for more than one.
    data
        The type that payloads lie in, of a language where that is one of the message's own.
    moves
        Whether parts of it have no fixed place: packing says how many bytes it made.
    inside
        Structs in its struct, in the order in which they lie behind its fields.
    """

    message: str
    address: int | None
    size: int
    struct: str
    unpack: str
    pack: str
    fields: tuple[ManifestField, ...]
    computed: tuple[ManifestValue, ...] = ()
    data: str = ""
    moves: bool = False
    inside: tuple[ManifestPart, ...] = ()

    @classmethod
    def of(
        cls, message: CarriedMessage, names: MessageNames, *, data: str = "", inside: tuple[ManifestPart, ...] = ()
    ) -> ManifestMessage:
        """Return what is said of a message under the names of a language."""
        applies = message.layout.applies
        fields = tuple(ManifestField.of(one, names) for one in message.fields)
        return cls(
            message=message.layout.name, address=applies.address if applies.is_for_one_address else None,
            size=message.layout.size, struct=names.struct, unpack=names.unpack, pack=names.pack, fields=fields,
            computed=tuple(ManifestValue(field=one.value.name, value=names.value(one)) for one in message.computed),
            data=data, moves=message.moves, inside=inside,
        )  # fmt: skip


class Manifest(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """All that is said of a folder of code.

    Attributes
    ----------
    results
        What the functions return, by what it means.
    node
        The program that sends, if there is one, and what builds it.
    """

    language: str
    library: str
    release: str
    revision: int
    prefix: str
    headers: tuple[str, ...]
    sources: tuple[str, ...]
    results: dict[str, str]
    messages: tuple[ManifestMessage, ...]
    left_out: tuple[LeftOut, ...]
    node: str | None = None

    @classmethod
    def of(cls, origin: Origin, **said: Any) -> Manifest:
        """Return a manifest of code from a library in one state."""
        return cls(library=origin.library, release=origin.release, revision=origin.revision, **said)

    @classmethod
    def is_one(cls, text: str) -> bool:
        """Return whether a text is a manifest, of any version of the program."""
        try:
            found = msgspec.json.decode(text, type=_Head)
        except msgspec.DecodeError:
            return False
        return bool(found.language and found.prefix)

    def to_json(self) -> str:
        """Return it as a JSON document."""
        return msgspec.json.format(msgspec.json.encode(self), indent=2).decode() + "\n"


class _Head(msgspec.Struct):
    language: str
    prefix: str
    left_out: list[object]
