"""``manifest.json``: what lies in a folder of generated code, for programs that use it."""

from __future__ import annotations

import msgspec

from .carried import LeftOut


class ManifestField(msgspec.Struct, frozen=True, kw_only=True):
    """A field of a message.

    Attributes
    ----------
    field
        Its name in the layout.
    raw, raw_type
        The member of the struct, and its type.
    value, present
        Functions of the struct; None where it has no number, or is always there.
    """

    field: str
    raw: str
    raw_type: str
    value: str | None
    present: str | None


class ManifestValue(msgspec.Struct, frozen=True, kw_only=True):
    """A value that is computed, and the function that gives it."""

    field: str
    value: str


class ManifestMessage(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A message; ``address`` is None where its layout asks for none, or for more than one."""

    message: str
    address: int | None
    size: int
    struct: str
    unpack: str
    pack: str
    fields: tuple[ManifestField, ...]
    computed: tuple[ManifestValue, ...] = ()


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
