"""Layouts as JSON: one documented form for files, the library and the clipboard.

The published schema is ``schema/layouts-2.schema.json``. Exact numbers and places are strings, so that
nothing is rounded and order stays readable. Keys come in a stable order.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from ..errors import AbacusError, DataError, MisuseError
from ..expressions.expression import Expression
from ..files.errors import file_errors_as
from ..files.reading import read_file
from ..harmless import json_text
from ..json_faults import faults_in, faults_of, name_in
from .address_spans import in_numbers
from .by_name import with_identities
from .doubled import doubled_identities
from .joined import JoinedText
from .model import Layout, rewrite
from .numbers import format_exact, parse_exact
from .places import Places, parse_places
from .raw_sets import RawSet, parse_raw_set

FORMAT = "zesty-abacus layouts"
VERSION = 2
"""1 had only fixed fields; its files are read as they are."""
SCHEMA_PATH = Path(__file__).parent / "schema" / "layouts-2.schema.json"
MAX_FILE_BYTES = 64 << 20


_T = TypeVar("_T")


class LayoutFormError(DataError):
    """JSON that is not a layout."""


class _LayoutFile(msgspec.Struct):
    format: str
    version: int
    layouts: list[msgspec.Raw]


def _to_plain(value: Any) -> Any:
    if isinstance(value, Fraction):
        return format_exact(value)
    if isinstance(value, Places | RawSet | Expression | JoinedText):
        return str(value)
    raise NotImplementedError(f"{type(value).__name__} has no JSON form")


def _from_plain(kind: type, value: Any) -> Any:
    try:
        if kind is Fraction:
            return parse_exact(str(value))
        if kind is Places:
            return parse_places(str(value)) if value else Places(())
        if kind is RawSet:
            return _raw_set(value)
        if kind is Expression:
            return Expression(str(value))
        if kind is JoinedText:
            return JoinedText(str(value))
    except AbacusError as error:
        raise ValueError(str(error)) from error
    raise NotImplementedError(f"{kind.__name__} has no JSON form")


def _raw_set(value: Any) -> RawSet:
    """Read a set; version 1 wrote a list of numbers."""
    if isinstance(value, list) and all(isinstance(item, int) for item in value):
        return RawSet.of(*value)
    return parse_raw_set(str(value))


_encoder = msgspec.json.Encoder(enc_hook=_to_plain)
_decoder = msgspec.json.Decoder(Layout, dec_hook=_from_plain)


def layout_to_json(layout: Layout) -> bytes:
    """Return the compact JSON document of one layout; equal layouts give the same document."""
    return _encoder.encode(rewrite(layout, _with_own_defaults))


def _with_own_defaults(node: Any) -> Any:
    """Put the very default where a value equals it: the encoder leaves out what is the default, not what equals it."""
    if not isinstance(node, msgspec.Struct):
        return node
    names, defaults = node.__struct_fields__, node.__struct_defaults__
    pairs = zip(names[len(names) - len(defaults) :], defaults, strict=True)
    same = {
        name: default
        for name, default in pairs
        if (value := getattr(node, name)) is not default and type(value) is type(default) and value == default
    }
    return msgspec.structs.replace(node, **same) if same else node


def layout_from_json(document: bytes, *, where: str = "") -> Layout:
    """Read one layout.

    Raises
    ------
    LayoutFormError
        With the path of the first element that is wrong, such as ``$.fields[2].places``.
    """
    try:
        return _decoder.decode(document)
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        raise LayoutFormError(f"this is not a layout: {error}.", where=where) from error


def _put_in_numbers(document: Any, called: str) -> list[str]:
    """Put numbers in the place of an address that a layout writes as people do; return what is wrong with it."""
    applies = document.get("applies") if isinstance(document, dict) else None
    if not isinstance(applies, dict):
        return []
    try:
        document["applies"] = in_numbers(applies)
    except MisuseError as error:
        # any address: what is wrong with this one is told already
        document["applies"] = {name: value for name, value in applies.items() if name != "address"}
        return [f"{called}, applies, address: {str(error).rstrip('.')}"]
    return []


def to_plain(value: Any) -> Any:
    """Return any value of the model as what JSON holds."""
    return json.loads(_encoder.encode(value))


def from_plain(plain: Any, kind: type[_T]) -> _T:
    """Return a value of the model from what :func:`to_plain` made of it; raises :class:`LayoutFormError`."""
    try:
        return msgspec.convert(plain, kind, dec_hook=_from_plain)
    except (msgspec.ValidationError, ValueError, RecursionError) as error:
        raise LayoutFormError(f"this is no {kind.__name__}: {error}.") from error


def layouts_to_file_text(layouts: Iterable[Layout]) -> str:
    """Return the text of a layout file, indented for reading and comparing."""
    plain = [json.loads(layout_to_json(layout)) for layout in layouts]
    document = {"format": FORMAT, "version": VERSION, "layouts": plain}
    return json_text(json.dumps(document, indent=1, ensure_ascii=False)) + "\n"


def layouts_from_file(path: Path) -> list[Layout]:
    """Read a layout file.

    Raises
    ------
    LayoutFormError
        If it cannot be read, is too large, or something in it is wrong; the message names everything that is.
    """
    with file_errors_as(LayoutFormError):
        data = read_file(path, MAX_FILE_BYTES)
    return layouts_from_text(data, where=str(path))


def layouts_from_text(data: bytes, *, where: str = "") -> list[Layout]:
    """Read the content of a layout file; raises as :func:`layouts_from_file`."""
    try:
        head = msgspec.json.decode(data, type=_LayoutFile)
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        wrong = faults_in(data, _LayoutFile) or [str(error)]
        raise LayoutFormError.of("this is not a layout file", wrong, where=where) from error
    if head.format != FORMAT or head.version > VERSION:
        raise LayoutFormError(
            f"format={head.format!r} version={head.version}, expected {FORMAT!r} up to {VERSION}.", where=where
        )
    try:
        made = [_decoder.decode(raw) for raw in head.layouts]
    except (msgspec.DecodeError, ValueError, RecursionError):
        # written by hand, or wrong: slower, and it tells everything at once
        made = _by_hand(head.layouts, where)
    twice = doubled_identities(made)
    if twice:
        raise LayoutFormError.of("identities stand twice", twice, where=where)
    return made


def _by_hand(raws: list[msgspec.Raw], where: str) -> list[Layout]:
    try:
        written = [msgspec.json.decode(raw) for raw in raws]
        documents, wrong = with_identities(written)
    except RecursionError as error:
        raise LayoutFormError("it nests too deep.", where=where) from error
    for number, document in enumerate(documents, 1):
        called = name_in(document) or f"layout {number}"
        wrong += _put_in_numbers(document, called)
        wrong += faults_of(document, Layout, inside=called, dec_hook=_from_plain)
    if wrong:
        raise LayoutFormError.of("these are no layouts", wrong, where=where)
    return [from_plain(document, Layout) for document in documents]
