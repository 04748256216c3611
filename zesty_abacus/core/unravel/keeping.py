"""Makes what was found a part of a layout: a field, with the check or counter that it holds, on the page it is on."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any
from uuid import UUID, uuid4

from msgspec.structs import replace

from ..errors import MisuseError
from ..layouts.checks.complement import Complement
from ..layouts.checks.counter import Counter
from ..layouts.checks.registry import check_kinds
from ..layouts.json_form import from_plain
from ..layouts.model import Check, Field, FieldKind, Layout, NamedValue, RawSet, Selected, new_field
from ..layouts.places import Places, parse_places
from ..layouts.template import free_name
from .finding import Finding, bits_of, is_from_end
from .joined_kept import with_joined
from .lines_kept import with_lines
from .meant import PLAIN, Meant
from .parts_kept import with_end, with_item_field
from .resting import widened

KEPT = frozenset({"field", "counter", "check", "complement", "selector", "text", "length", "count"})
"""Kinds of findings that become a part of a layout."""
_OF_A_FIELD = frozenset({"reference", "mirror", "reaction", "difference", "order"})
"""Kinds that say something of a field: to keep them is to keep that field."""
_MOST_NAMED_BITS = 4
_WORDS = {
    "length": "length", "count": "count", "counter": "counter", "check": "check", "complement": "safeguard",
    "selector": "page", "flag": "flag", "names": "state", "float": "quantity", "unsigned": "quantity",
    "signed": "quantity", "text": "label",
}  # fmt: skip
"""What fields are called that are kept unseen; a text that is only called so would claim nothing."""
_KINDS = {kind.value: kind for kind in FieldKind}


def offered_name(finding: Finding, layout: Layout) -> str:
    """Return what a finding may be called in a layout, until somebody knows better."""
    word = _WORDS.get(str(finding.parameters.get("reading", finding.kind)), "quantity")
    return free_name(layout, word)


def field_behind(finding: Finding, beside: Iterable[Finding]) -> Finding:
    """Return the finding that is kept for one: itself, or of what says something of a field, that field.

    Parameters
    ----------
    beside
        Other findings of its message.
    """
    if finding.kind not in _OF_A_FIELD:
        return finding
    place = finding.places, finding.when
    found = next((one for one in beside if one.kind == "field" and (one.places, one.when) == place), None)
    if found is not None:
        return replace(found, reason=finding.reason)
    plain = "flag" if len(parse_places(finding.places)) == 1 else "unsigned"
    own = {name: value for name, value in finding.parameters.items() if name in ("reading", "inverted")}
    return replace(finding, kind="field", parameters={"reading": plain} | own)


def kept(
    layout: Layout, finding: Finding, name: str = "", meant: Meant = PLAIN, beside: Iterable[Finding] = ()
) -> Layout:
    """Return a layout with what was found.

    Parameters
    ----------
    name
        Of the new field; empty takes :func:`offered_name`.
    meant
        Unit and scale of the new field.
    beside
        Other findings of its message; those of an array tell where its items begin, and numbers what scales them.

    Raises
    ------
    MisuseError
        If layouts have no such part, or its bits, or the page that it is on, are not free in this one.
    """
    if finding.kind not in KEPT:
        raise MisuseError(f"a {finding.kind} is not a part of a layout.", hint="It can be written down as a claim.")
    if not finding.places:
        raise MisuseError("what stands in columns of text has no bits.", hint="Lay the line out under Layouts.")
    finding = widened(finding)
    bits = bits_of(finding, _bytes_from_end(finding))
    field = _field(layout, finding, Places(bits), name.strip() or offered_name(finding, layout), meant)
    if is_from_end(finding):
        made = with_end(layout, field, _bytes_from_end(finding))
    elif "array" in finding.parameters:
        made = with_item_field(layout, field, finding, beside)
    else:
        _must_be_free(layout, field)
        # a layout of shorter messages grows to the bytes that are found in longer ones
        made = replace(layout.with_field(field), size=max(layout.size, field.places.size_needed))
    check = _check(made, finding, field)
    made = made if check is None else made.with_item(check)
    return with_joined(made, (finding, *beside))


def _bytes_from_end(finding: Finding) -> int:
    return len(finding.places.split()) if is_from_end(finding) else 0


def all_kept(
    layout: Layout, findings: Iterable[Finding], least: float, meant_of: Callable[[Finding], Meant] = lambda _one: PLAIN
) -> tuple[Layout, int]:
    """Return a layout with everything found that is likely enough, and how much that was.

    What does not fit any more, or no layout can say, is left out. Selectors go first: others stand on their pages; what
    counts by sender goes after what tells senders apart, and what moves after all that does not.

    Parameters
    ----------
    meant_of
        Says what a finding is called and in which scale it is.
    """
    findings = list(findings)
    layout, count = with_lines(layout, findings, least)
    wanted = [
        one for one in findings if one.places and one.kind in KEPT and one.confidence >= least and not one.instead_of
    ]
    # of two that stand alike the first in the payload is named first
    wanted.sort(key=lambda one: min(bits_of(one), default=0))
    for one in sorted(wanted, key=_standing):
        meant = meant_of(one)
        try:
            layout = kept(layout, one, free_name(layout, meant.name) if meant.name else "", meant, findings)
        except MisuseError:
            continue
        count += 1
    return layout, count


def _standing(finding: Finding) -> tuple[bool, int, bool, bool]:
    """Return what puts findings in an order in which each stands on those before it."""
    moves = is_from_end(finding) or "array" in finding.parameters
    return moves, len(finding.when), finding.kind != "selector", "per" in finding.parameters


def _field(layout: Layout, finding: Finding, places: Places, name: str, meant: Meant) -> Field:
    reading = str(finding.parameters.get("reading", ""))
    kind = FieldKind.TEXT if finding.kind == "text" else _KINDS.get(reading, FieldKind.UNSIGNED)
    names: tuple[NamedValue, ...] = ()
    if kind is FieldKind.NAMES:
        if len(places) > _MOST_NAMED_BITS:
            kind = FieldKind.UNSIGNED
        else:
            names = tuple(NamedValue(raw=raw, label=f"{name} {raw}") for raw in range(1 << len(places)))
    return new_field(
        name, places, kind, unit=meant.unit.strip(), names=names, note=finding.reason,
        ratio=meant.ratio, offset=meant.offset, inverted=bool(finding.parameters.get("inverted")),
        encoding=str(finding.parameters.get("encoding", "ascii")), selected=_page(layout, finding),
    )  # fmt: skip


def _page(layout: Layout, finding: Finding) -> Selected | None:
    """Return the page that a finding is on; the innermost one, since a layout names one selector a field."""
    if not finding.when:
        return None
    when = finding.when[-1]
    if when.in_ is not None:
        raise MisuseError("another message says when it is there, which no layout can say.",
                          hint="It can be written down as a claim.")  # fmt: skip
    selector = next((one for one in layout.fields if str(one.places) == when.places), None)
    if selector is None:
        raise MisuseError(f"{when.places}, which selects it, is no field yet.", hint="Keep the selector first.")
    return Selected(selector.id, from_plain(when.values, RawSet))


def _must_be_free(layout: Layout, field: Field) -> None:
    for one in layout.fields:
        if set(one.places.bits) & set(field.places.bits) and not _apart(one, field):
            raise MisuseError(f"{one.name} is in these bits already.", hint="Take it out first.")


def _apart(one: Field, other: Field) -> bool:
    """Return whether two fields are on different pages of the same selector."""
    if one.selected is None or other.selected is None:
        return False
    return one.selected.field == other.selected.field and one.selected.values != other.selected.values


def _check(layout: Layout, finding: Finding, field: Field) -> Check | None:
    name = free_name(layout, finding.kind)
    parameters = finding.parameters
    if finding.kind == "counter":
        wraps = int(parameters["wraps_at"])
        return Counter(
            id=uuid4(), name=name, field=field.id, step=int(parameters["step"]) % wraps,
            wraps_at=None if wraps == 1 << len(field.places) else wraps, per=_senders(layout, parameters),
        )  # fmt: skip
    if finding.kind == "complement":
        return Complement(id=uuid4(), name=name, field=field.id, of=_field_at(layout, str(parameters["of"])))
    if finding.kind == "check":
        plain: dict[str, Any] = {**parameters, "id": str(uuid4()), "name": name, "field": str(field.id)}
        form = next(one for one in check_kinds() if one.__struct_config__.tag == parameters["check"])
        return from_plain(plain, form)
    return None


def _senders(layout: Layout, parameters: dict[str, Any]) -> tuple[UUID, ...]:
    """Return the fields that tell senders apart, each of which counts for itself."""
    if "per" not in parameters:
        return ()
    places = str(parameters["per"])
    bits = set(parse_places(places).bits)
    found = tuple(one.id for one in layout.fields if one.places.bits and bits.issuperset(one.places.bits))
    if not found:
        raise MisuseError(f"{places}, by which it counts, is no field yet.", hint="Keep that first.")
    return found


def _field_at(layout: Layout, places: str) -> UUID:
    found = next((one for one in layout.fields if str(one.places) == places), None)
    if found is None:
        raise MisuseError(f"{places}, which it turns round, is no field yet.", hint="Keep that first.")
    return found.id
