"""The JSON schema of layout files, made from the model itself, so that the two cannot part."""

from __future__ import annotations

import enum
from fractions import Fraction
from typing import Any

from msgspec import inspect

from ..expressions.expression import Expression
from .joined import JoinedText
from .json_form import FORMAT, VERSION
from .model import Layout
from .places import Places
from .raw_sets import RawSet

_EXACT = r"[+-]?(\d+/\d+|(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?)"
_PLACE = r"[BR]\d+(\.\.[BR]\d+|\[\d+(\.\.\d+)?\])?"
_RAW = r"[+-]?(0[xX][0-9a-fA-F]+|\d+)(\s*\.\.\s*[+-]?(0[xX][0-9a-fA-F]+|\d+))?"
_VALUES: dict[type, dict[str, Any]] = {
    Fraction: {"description": "An exact number: a decimal or a ratio of two integers.", "pattern": f"^{_EXACT}$"},
    Places: {
        "description": "Runs of bits from the most to the least significant, such as 'B3[3..0] B2'; may be empty.",
        "pattern": f"^({_PLACE}([ ,]+{_PLACE})*)?$",
    },
    RawSet: {
        "description": "Raw values and spans of them, such as '3, 5..9'.",
        "pattern": f"^({_RAW}(\\s*,\\s*{_RAW})*)?$",
    },
    JoinedText: {"description": "A text with fields in braces, such as '{hours:02}:{minutes:02}'."},
    Expression: {"description": "An expression over field names, such as 'voltage * current'."},
}


def layout_schema() -> dict[str, Any]:
    """Return the JSON schema of a layout file of the current version."""
    parts: dict[str, Any] = {}
    body = _schema_of(inspect.type_info(Layout), parts)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Zesty Abacus layouts, version {VERSION}",
        "type": "object",
        "required": ["format", "version", "layouts"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "layouts": {"type": "array", "items": body},
        },
        "additionalProperties": False,
        "$defs": dict(sorted(parts.items())),
    }


def _schema_of(kind: inspect.Type, parts: dict[str, Any]) -> dict[str, Any]:
    if isinstance(kind, inspect.StructType):
        return _struct_schema(kind, parts)
    if isinstance(kind, inspect.UnionType):
        return {"anyOf": [_schema_of(one, parts) for one in kind.types]}
    if isinstance(kind, inspect.VarTupleType):
        return {"type": "array", "items": _schema_of(kind.item_type, parts)}
    if isinstance(kind, inspect.EnumType):
        return {"enum": [member.value for member in kind.cls if isinstance(member, enum.Enum)]}
    if isinstance(kind, inspect.LiteralType):
        return {"enum": list(kind.values)}
    if isinstance(kind, inspect.CustomType):
        return {"type": "string", **_VALUES[kind.cls]}
    return dict(_PLAIN[type(kind)])


_PLAIN: dict[type, dict[str, Any]] = {
    inspect.IntType: {"type": "integer"},
    inspect.StrType: {"type": "string"},
    inspect.BoolType: {"type": "boolean"},
    inspect.NoneType: {"type": "null"},
    inspect.UUIDType: {"type": "string", "format": "uuid"},
}


def _struct_schema(kind: inspect.StructType, parts: dict[str, Any]) -> dict[str, Any]:
    name = kind.cls.__name__
    if name not in parts:
        parts[name] = {}
        properties = {field.encode_name: _schema_of(field.type, parts) for field in kind.fields}
        required = [field.encode_name for field in kind.fields if field.required]
        if kind.tag is not None and kind.tag_field is not None:
            properties = {kind.tag_field: {"const": kind.tag}, **properties}
            required = [kind.tag_field, *required]
        parts[name] = {
            "description": (kind.cls.__doc__ or "").strip().splitlines()[0],
            "type": "object",
            "properties": properties,
            "required": required,
            "additionalProperties": False,
        }
    return {"$ref": f"#/$defs/{name}"}
