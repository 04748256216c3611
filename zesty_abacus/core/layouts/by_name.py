"""Layout files written by hand: names where identities stand, and identities made where there are none.

What is made depends on names alone, so that the same file brought in again changes layouts instead of doubling them.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from uuid import UUID, uuid5

from ..nearest import nearest, short

_HERE = UUID("6f1b5a2e-6f5e-5d0a-9a0b-3f6f0c6f3a11")
_NAMES_FIELDS = {"field", "of"}
_HOLD_ITEMS = ("fields", "parts", "checks", "computed", "columns", "cases")
_HOLD_ONE = ("field", "type", "length")


def with_identities(layouts: list[Any]) -> tuple[list[Any], list[str]]:
    """Return layouts as JSON holds them, each thing in them with an identity, and named by it where it is named.

    Names stand for fields of the same layout in ``selected``, ``field``, ``of``, ``per`` and ``match``, and for layouts
    of the same file in a part that carries one. Whatever is no layout at all stays as it is. Beside the layouts come
    the names that stand for nothing or for several things, a line each.
    """
    made = [_with_ids(layout, _HERE, "layout") if isinstance(layout, dict) else layout for layout in layouts]
    by_name = _numbered(
        (str(one.get("name", "")), str(one["id"])) for one in made if isinstance(one, dict) and "id" in one
    )
    wrong = list[str]()
    return [_resolved(layout, by_name, wrong) if isinstance(layout, dict) else layout for layout in made], wrong


def _with_ids(node: dict[str, Any], outer: UUID, role: str) -> dict[str, Any]:
    name = str(node.get("name", ""))
    own = node.get("id")
    if own is None:
        own = str(uuid5(outer, f"{role} {name}"))
    around = uuid5(outer, f"{role} {name}")
    made: dict[str, Any] = {"id": own, **{key: value for key, value in node.items() if key != "id"}}
    for key in _HOLD_ITEMS:
        if isinstance(made.get(key), list):
            made[key] = [
                _with_ids(item, around, key) if isinstance(item, dict) else item for item in _told_apart(made[key])
            ]
    for key in _HOLD_ONE:
        if isinstance(made.get(key), dict):
            made[key] = _with_ids(made[key], around, key)
    return made


def _told_apart(items: list[Any]) -> list[Any]:
    """Give a name to columns that are passed over, which have none: their number tells them apart."""
    return [
        {"id": str(uuid5(_HERE, f"column {number}")), **item}
        if isinstance(item, dict) and not item.get("name") and "id" not in item
        else item
        for number, item in enumerate(items)
    ]


def _fields_in(node: Any) -> Iterator[tuple[str, str]]:
    """Yield names and identities of everything that has places or columns, wherever it lies."""
    if isinstance(node, dict):
        for key in ("fields", "columns"):
            for item in node.get(key, ()) if isinstance(node.get(key), list) else ():
                if isinstance(item, dict):
                    yield str(item.get("name", "")), str(item.get("id", ""))
        for key in _HOLD_ONE:
            if isinstance(node.get(key), dict) and "name" in node[key]:
                yield str(node[key]["name"]), str(node[key].get("id", ""))
        for key in ("parts", "cases"):
            for item in node.get(key, ()) if isinstance(node.get(key), list) else ():
                yield from _fields_in(item)


def _numbered(pairs: Iterator[tuple[str, str]]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for name, identity in pairs:
        found.setdefault(name, []).append(identity)
    return found


def _resolved(layout: dict[str, Any], layouts: dict[str, list[str]], wrong: list[str]) -> dict[str, Any]:
    fields = _numbered(_fields_in(layout))
    where = str(layout.get("name", ""))

    def one(name: Any, known: dict[str, list[str]], otherwise: str) -> Any:
        if not isinstance(name, str) or _is_identity(name):
            return name
        found = known.get(name, [])
        if len(set(found)) == 1:
            return found[0]
        wrong.append(
            f"{where}: {short(name)} is the name of {len(found)} things; give their ids" if found
            else f"{where}: {otherwise} {short(name)}. {nearest(name, known)}".rstrip()
        )  # fmt: skip
        # an identity that nothing has: what it should stand for is told already
        return str(_HERE)

    def field(name: Any) -> Any:
        return one(name, fields, "no field is called")

    def look(node: Any) -> Any:
        if isinstance(node, list):
            return [look(item) for item in node]
        if not isinstance(node, dict):
            return node
        made = {key: look(value) for key, value in node.items()}
        for key in _NAMES_FIELDS:
            if isinstance(made.get(key), str) and ("check" in made or "values" in made or "theirs" in made):
                made[key] = field(made[key])
        if isinstance(made.get("per"), list):
            made["per"] = [field(name) for name in made["per"]]
        if isinstance(made.get("match"), list):
            made["match"] = [
                {**pair, "field": field(pair["field"])} if isinstance(pair, dict) and "field" in pair else pair
                for pair in made["match"]
            ]
        if made.get("part") == "carried" and isinstance(made.get("layout"), str):
            made["layout"] = one(made["layout"], layouts, "no layout of this file is called")
        return made

    return look(layout)


def _is_identity(text: str) -> bool:
    try:
        UUID(text)
    except ValueError:
        return False
    return True
