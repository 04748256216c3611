"""The sender's layout made from the receiver's: what is written is then what is read."""

from __future__ import annotations

from collections import Counter
from uuid import UUID, uuid5

from msgspec.structs import replace

from ..layouts.fields import Field
from ..layouts.model import Layout, rewrite

_SHELVES = ("fields", "parts", "checks", "computed")


def mirror(sender: Layout, receiver: Layout) -> tuple[Layout, tuple[str, ...]]:
    """Return the sender's layout with everything on the wire as the receiver reads it, and what was left out.

    The mirror keeps who it is: identity, name, where it applies, sender and note; its items keep the identities of
    those with the same names. Fields, parts, checks and computed values are the receiver's. What only the sender has
    stays where its bits are free, with the checks over it: a receiver that looks at less does not send less. What has
    no room is left out, and a sentence says so.
    """
    theirs, ours = _ids_by_name(receiver), _ids_by_name(sender)
    # what has no namesake gets an identity of its own: the two layouts live on apart
    ids = {item: ours.get(word) or uuid5(sender.id, str(item)) for word, item in theirs.items()}
    shelves = {name: getattr(receiver, name) for name in _SHELVES}
    made: Layout = rewrite(
        replace(sender, size=receiver.size, registers=receiver.registers, **shelves),
        lambda node: ids.get(node, node) if isinstance(node, UUID) else node,
    )
    return _with_own(made, sender)


def _ids_by_name(layout: Layout) -> dict[tuple[str, str, int], UUID]:
    """Return the identities of everything in a layout by what it is, what it is called, and the how manieth it is."""
    found: dict[tuple[str, str, int], UUID] = {}
    seen: Counter[tuple[str, str]] = Counter()

    def look(node):  # type: ignore[no-untyped-def]
        if isinstance(getattr(node, "id", None), UUID):
            word = type(node).__name__, node.name
            found[*word, seen[word]] = node.id
            seen[word] += 1
        return node

    rewrite(tuple(getattr(layout, name) for name in _SHELVES), look)
    return found


def _with_own(made: Layout, sender: Layout) -> tuple[Layout, tuple[str, ...]]:
    """Give a mirror what only its sender has."""
    left_out = []
    names = {field.name for field in made.all_fields()}
    for field in sender.fields:
        if field.name in names:
            continue
        if _has_room(made, field):
            size = max(made.size, field.places.size_needed)
            made = replace(made, fields=(*made.fields, field), size=size)
        else:
            left_out.append(f"{field.name} is left out: what is read lies where it was sent.")
    known = {field.id for field in made.all_fields()}
    written = {check.fields() for check in made.checks}
    for check in sender.checks:
        if check.fields() and set(check.fields()) <= known and check.fields() not in written:
            made = replace(made, checks=(*made.checks, check))
    return made, tuple(left_out)


def _has_room(layout: Layout, field: Field) -> bool:
    bits = set(field.places.bits)
    taken = {bit for other in layout.fields for bit in other.places.bits}
    if not bits or bits & taken:
        return False
    if field.selected is not None and all(field.selected.field != other.id for other in layout.all_fields()):
        return False
    # parts follow the fixed fields; behind those nothing fixed has a place
    return not layout.parts or max(bits) < max(taken, default=-1)
