"""Everything that is wrong with a JSON document at once, each thing with its place and what may stand there.

A reader stops at the first thing it does not understand and names it in the words of types. Whoever wrote a file by
hand wants all of it, in the words of the file. So a document that was refused is gone through once more, slower, beside
the description of what it should be.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from typing import Any
from uuid import UUID

import msgspec
import msgspec.inspect as described

from .nearest import nearest, short

Hook = Callable[[type, Any], Any]
"""Makes a value of a type that JSON does not know; raises ValueError with what is wrong."""

_SIMPLE: dict[type, tuple[str, tuple[type, ...]]] = {
    described.StrType: ("a text", (str,)),
    described.IntType: ("a whole number", (int,)),
    described.FloatType: ("a number", (int, float)),
    described.BoolType: ("true or false", (bool,)),
    described.NoneType: ("null", (type(None),)),
}
_BYTE = re.compile(r"(?:JSON is malformed: )?(.*) \(byte (\d+)\)")
_LISTS = (described.ListType, described.VarTupleType, described.SetType, described.FrozenSetType)


def faults_in(document: bytes | str, kind: Any, *, dec_hook: Hook | None = None) -> list[str]:
    """Return what is wrong with a JSON text, a line each; empty if it can be read as a type.

    Parameters
    ----------
    kind
        What the document should be: a msgspec type.
    dec_hook
        As the reader of the document has it.
    """
    data = document.encode() if isinstance(document, str) else document
    try:
        plain = msgspec.json.decode(data)
    except UnicodeDecodeError:
        return ["it holds bytes that are no UTF-8"]
    except RecursionError:
        return ["it nests too deep"]
    except msgspec.DecodeError as error:
        return [_where_it_breaks(str(error), data)]
    return faults_of(plain, kind, dec_hook=dec_hook)


def faults_of(plain: Any, kind: Any, *, inside: str = "", dec_hook: Hook | None = None) -> list[str]:
    """Return what is wrong with a document that is parsed already; see :func:`faults_in`.

    Parameters
    ----------
    inside
        What the document is called; it stands before every place in it.
    """
    try:
        found = list(_Walk(dec_hook).look(plain, described.type_info(kind)))
        # what only the whole of a thing shows, such as two members that do not go together
        found = found or _refused(plain, kind, dec_hook)
    except RecursionError:
        found = [((), "it nests too deep")]
    outer = (inside,) if inside else ()
    return [_line((*outer, *place), words) for place, words in found]


def _refused(plain: Any, kind: Any, dec_hook: Hook | None) -> list[tuple[tuple[str, ...], str]]:
    try:
        msgspec.convert(plain, kind, dec_hook=dec_hook)
    except (msgspec.ValidationError, ValueError) as error:
        words, _, place = str(error).partition(" - at `")
        return [(tuple(part for part in place.rstrip("`").lstrip("$").split(".") if part), words.rstrip("."))]
    return []


def _line(place: tuple[str, ...], words: str) -> str:
    return f"{', '.join(place)}: {words}" if place else words


def _where_it_breaks(said: str, data: bytes) -> str:
    """Put what the parser says, ``… (byte 87)``, in lines and letters, as editors count them."""
    if not data.strip():
        return "it is empty"
    found = _BYTE.fullmatch(said)
    if found is None:
        return "it ends in the middle"
    reason, at = found[1], int(found[2])
    before = data[:at].decode(errors="replace")
    line, letter = before.count("\n") + 1, len(before) - (before.rfind("\n") + 1) + 1
    return f"line {line}, letter {letter}: the JSON breaks off, {reason}"


_Found = Iterator[tuple[tuple[str, ...], str]]
"""Places, from the outside in, and what is wrong there."""


class _Walk:
    def __init__(self, dec_hook: Hook | None) -> None:
        self._dec_hook = dec_hook

    def look(self, value: Any, node: described.Type) -> _Found:
        """Yield what is wrong with a value that should be what a node describes."""
        if isinstance(node, described.Metadata):
            node = node.type
        if isinstance(node, described.UnionType):
            yield from self._one_of(value, node)
        elif isinstance(node, described.StructType):
            yield from self._struct(value, node)
        elif isinstance(node, _LISTS):
            yield from self._list(value, node.item_type)
        elif isinstance(node, described.DictType):
            yield from self._dict(value, node)
        else:
            words = self._words_of_simple(value, node)
            if words:
                yield (), words

    def _one_of(self, value: Any, node: described.UnionType) -> _Found:
        structs = {one.tag: one for one in node.types if isinstance(one, described.StructType) and one.tag is not None}
        if structs and isinstance(value, dict):
            (field,) = {str(one.tag_field) for one in structs.values()}
            if field not in value:
                yield (), f"{field} is missing"
            elif value[field] in structs:
                yield from self._struct(value, structs[value[field]])
            else:
                yield (field,), _means_nothing(value[field], [str(tag) for tag in structs])
            return
        tried = [(one, list(self.look(value, one))) for one in node.types]
        if all(found for _, found in tried):
            # where null or a number may stand, it is told of the number
            yield from next(found for one, found in tried if not isinstance(one, described.NoneType))

    def _struct(self, value: Any, node: described.StructType) -> _Found:
        if not isinstance(value, dict):
            yield (), f"it is an object in braces, not {_shown(value)}"
            return
        fields = {field.encode_name: field for field in node.fields}
        own = {str(node.tag_field)} if node.tag is not None else set()
        if node.forbid_unknown_fields:
            for name in value:
                if name not in fields and name not in own:
                    yield (), f"nothing is called {short(str(name))} here. {nearest(str(name), fields)}"
        for name, field in fields.items():
            if name in value:
                yield from self._inside(name, value[name], field.type)
            elif field.required:
                yield (), f"{name} is missing"

    def _list(self, value: Any, item: described.Type) -> _Found:
        if not isinstance(value, list):
            yield (), f"it is a list, not {_shown(value)}"
            return
        for number, each in enumerate(value, 1):
            for place, words in self.look(each, item):
                yield (short(name_in(each)) or str(number), *place), words

    def _dict(self, value: Any, node: described.DictType) -> _Found:
        if not isinstance(value, dict):
            yield (), f"it is an object in braces, not {_shown(value)}"
            return
        for name, each in value.items():
            yield from self._inside(str(name), each, node.value_type)

    def _inside(self, name: str, value: Any, node: described.Type) -> _Found:
        for place, words in self.look(value, node):
            # the name of a list goes with a number, and is no help before a name
            in_list = isinstance(value, list) and place
            if in_list and place[0].isdigit():
                yield (f"{name} {place[0]}", *place[1:]), words
            else:
                yield (place if in_list else (short(name), *place)), words

    def _words_of_simple(self, value: Any, node: described.Type) -> str:
        if isinstance(node, described.LiteralType):
            return "" if value in node.values else _means_nothing(value, [str(one) for one in node.values])
        if isinstance(node, described.EnumType):
            known = [str(one.value) for one in node.cls]
            return "" if value in known else _means_nothing(value, known)
        if isinstance(node, described.UUIDType):
            return "" if _is_identity(value) else f"it is an identity, not {_shown(value)}"
        if isinstance(node, described.CustomType):
            return self._words_of_hook(value, node.cls)
        name, types = _SIMPLE.get(type(node), ("", ()))
        if not types:
            return ""
        fits = isinstance(value, types) and (not isinstance(value, bool) or bool in types)
        return "" if fits else f"it is {name}, not {_shown(value)}"

    def _words_of_hook(self, value: Any, kind: type) -> str:
        try:
            if self._dec_hook is not None:
                self._dec_hook(kind, value)
        except ValueError as error:
            return str(error).rstrip(".")
        return ""


def name_in(plain: Any) -> str:
    """Return the name that a thing in a document gives itself; empty if it has none."""
    name = plain.get("name") if isinstance(plain, dict) else None
    return name if isinstance(name, str) else ""


def _is_identity(value: Any) -> bool:
    try:
        return isinstance(value, str) and bool(UUID(value))
    except ValueError:
        return False


def _means_nothing(value: Any, known: list[str]) -> str:
    return f"{_shown(value)} means nothing. {nearest(str(value), known, most=len(known))}"


def _shown(value: Any) -> str:
    """Return a value as the file has it, a long one by what it is."""
    if isinstance(value, list):
        return "a list"
    return "an object" if isinstance(value, dict) else short(json.dumps(value, ensure_ascii=False))
