"""XTCE (OMG and CCSDS 660.0-B): telemetry containers of a space system as layouts.

A container without a base is a layout. Containers that extend it become fields, or groups where something
moves, that are present while the restriction of their base holds. Bits count through the container as they
are sent, highest bit of a byte first.
"""

from __future__ import annotations

import json
from fractions import Fraction
from typing import Any

import msgspec

from ..errors import AbacusError
from ..expressions.expression import quoted
from ..layouts.applies import BY_HAND
from ..layouts.json_form import from_plain
from ..layouts.model import (
    Applies,
    Check,
    Expression,
    Field,
    Group,
    Layout,
    Part,
    Places,
    RawSet,
    Repeat,
    Reserved,
    Run,
    Selected,
)
from ..layouts.validate import check_layout
from .names import untaken
from .result import CannotCarryError, Exchanged, ExchangeError, exact_of, id_of, stable_id
from .xml import Element, below, child, children, local, parse_xml, place_of, text_of
from .xtce_types import Shape, sent_bits, shape_of, whole

NAME = "XTCE"
NAMESPACE = "http://www.omg.org/spec/XTCE/20180204"
OWN_DATA = "zesty-abacus"
"""Name of the ancillary data that keep our identities and when a layout applies."""
_MAX_DEPTH = 16


def recognises(data: bytes) -> bool:
    """Return whether a file looks like a space system."""
    return b"SpaceSystem" in data[:8192] and b"XTCE" in data[:8192]


def read(data: bytes, where: str) -> Exchanged:
    """Read the telemetry containers of a space system; raises :class:`ExchangeError` if there are none."""
    root = parse_xml(data, where)
    found = Exchanged()
    reader = _Reader(root, found)
    for container in reader.containers.values():
        if child(container, "BaseContainer") is None and not reader.is_used_inside(container):
            reader.read_family(container)
    for unread in below(root, "CommandMetaData"):
        found.leave(place_of(unread), "commands are not carried over.")
    if not found.layouts and not found.left:
        raise ExchangeError("the space system has no containers.", where=where)
    return found


class _Content:
    """What a container holds, from its own first bit on.

    ``fields`` lie ahead of ``parts``; ``open`` is the group that takes fixed fields once something has moved.
    """

    def __init__(self, bit: int = 0) -> None:
        self.fields: list[Field] = []
        self.parts: list[Part] = []
        self.checks: list[Check] = []
        self.bit = bit
        self._behind: list[Field] | None = None

    @property
    def moves(self) -> bool:
        return bool(self.parts) or self._behind is not None

    def put(self, field: Field) -> None:
        (self.fields if self._behind is None else self._behind).append(field)

    def put_part(self, part: Part) -> None:
        """Add what moves; fixed fields that follow go into a group of their own behind it."""
        if self.bit % 8:
            raise CannotCarryError("it does not begin at a whole byte.")
        self.close()
        self.parts.append(part)
        self._behind = []
        self.bit = 0

    def close(self) -> None:
        """Make a group of the fixed fields behind the last part."""
        if self._behind:
            first = self._behind[0]
            self.parts.append(
                Group(id=stable_id("behind", str(first.id)), name=f"from {first.name}", size=(self.bit + 7) // 8,
                      fields=tuple(self._behind))
            )  # fmt: skip
        if self._behind is not None:
            self._behind = []
            self.bit = 0


class _Reader:
    """Holds what the document declares, by name."""

    def __init__(self, root: Element, found: Exchanged) -> None:
        self.found = found
        self.types = {one.get("name", ""): one for group in below(root, "ParameterTypeSet") for one in children(group)}
        self.parameters = {one.get("name", ""): one for one in below(root, "Parameter")}
        sets = below(root, "ContainerSet")
        self.containers = {one.get("name", ""): one for group in sets for one in children(group, "SequenceContainer")}
        self._children: dict[str, list[Element]] = {}
        for one in self.containers.values():
            base = child(one, "BaseContainer")
            if base is not None:
                self._children.setdefault(_last(base.get("containerRef", "")), []).append(one)
        self._inside = {_last(one.get("containerRef", "")) for one in below(root, "ContainerRefEntry")}
        self._names: set[str] = set()
        self._by_parameter: dict[str, Field] = {}
        self._path = ""

    def is_used_inside(self, container: Element) -> bool:
        """Whether another container holds this one; it then is no message of its own."""
        name = container.get("name", "")
        return name in self._inside and name not in self._children

    def read_family(self, container: Element) -> None:
        """Read a container with all that extend it as one layout."""
        name = container.get("name", "")
        own = own_data(container)
        self._path = f"xtce/{name}"
        self._names = set()
        self._by_parameter = {}
        try:
            content = _Content()
            self._fill(content, container, 0)
            self._extend(content, container, 0)
            content.close()
        except CannotCarryError as error:
            self.found.leave(place_of(container), str(error))
            return
        size = max(_bytes_of(content.fields), _declared_size(container))
        layout = Layout(
            id=id_of(own.get("id")) or stable_id(self._path), name=own.get("name") or name, size=size,
            applies=_applies(own), fields=tuple(content.fields), parts=tuple(content.parts),
            checks=tuple(content.checks), note=container.get("shortDescription", ""), sender=str(own.get("sender", "")),
        )  # fmt: skip
        problems = check_layout(layout)
        if problems:
            self.found.leave(place_of(container), problems[0].sentence)
        else:
            self.found.layouts.append(layout)

    def _fill(self, content: _Content, container: Element, depth: int) -> None:
        if depth > _MAX_DEPTH:
            raise CannotCarryError(f"containers hold one another more than {_MAX_DEPTH} deep.")
        for entry in children(child(container, "EntryList")):
            try:
                self._take(content, entry, depth)
            except (CannotCarryError, AbacusError, ValueError) as error:
                said = error.message if isinstance(error, AbacusError) else str(error)
                self.found.leave(place_of(entry) + _reference(entry), said)

    def _extend(self, content: _Content, base: Element, depth: int) -> None:
        """Add the containers that extend one: all begin behind its last entry."""
        heirs = self._children.get(base.get("name", ""), [])
        if depth > _MAX_DEPTH:
            raise CannotCarryError("containers extend one another in a circle.")
        start = content.bit
        moves = content.moves or any(self._family_moves(heir, 0) for heir in heirs)
        if moves and not content.moves and start % 8:
            raise CannotCarryError("what extends it moves and does not begin at a whole byte.")
        for heir in heirs:
            try:
                selected = self._restriction(child(heir, "BaseContainer"))
            except CannotCarryError as error:
                self.found.leave(place_of(heir), str(error))
                continue
            inner = _Content(0 if moves else start)
            self._fill(inner, heir, depth + 1)
            if moves:
                self._add_group(content, heir, inner, selected, depth)
                continue
            content.fields += [_held(field, selected) for field in inner.fields]
            content.checks += inner.checks
            content.bit = inner.bit
            self._extend(content, heir, depth + 1)
            content.bit = start

    def _add_group(
        self, content: _Content, heir: Element, inner: _Content, selected: Selected | None, depth: int
    ) -> None:
        self._extend(inner, heir, depth + 1)
        inner.close()
        size = max(_bytes_of(inner.fields), _declared_size(heir))
        name = heir.get("name", "")
        group = Group(
            id=stable_id(self._path, name), name=untaken(name, self._names), size=size, fields=tuple(inner.fields),
            parts=tuple(inner.parts), selected=selected,
        )  # fmt: skip
        content.close()
        content.parts.append(group)

    def _family_moves(self, container: Element, depth: int) -> bool:
        """Whether anything in a container, or in one that extends it, has no fixed place."""
        if depth > _MAX_DEPTH:
            return False
        entries = children(child(container, "EntryList"))
        heirs = self._children.get(container.get("name", ""), [])
        return any(map(self._entry_moves, entries)) or any(self._family_moves(heir, depth + 1) for heir in heirs)

    def _entry_moves(self, entry: Element) -> bool:
        if local(entry) == "ArrayParameterRefEntry":
            return True
        if local(entry) == "ContainerRefEntry":
            return child(entry, "RepeatEntry") is not None or child(entry, "IncludeCondition") is not None
        parameter = self.parameters.get(_last(entry.get("parameterRef", "")))
        if parameter is None:
            return False
        try:
            return self._shape(_last(parameter.get("parameterTypeRef", ""))).width is None
        except CannotCarryError:
            return False

    def _restriction(self, base: Element | None) -> Selected | None:
        criteria = child(base, "RestrictionCriteria")
        if criteria is None:
            return None
        return self._condition(criteria)

    def _condition(self, holder: Element) -> Selected:
        """Read one or more comparisons with one parameter as a set of its raw values."""
        listed = child(holder, "ComparisonList")
        comparisons = list(children(holder if listed is None else listed, "Comparison"))
        names = {_last(one.get("parameterRef", "")) for one in comparisons}
        if len(names) != 1:
            raise CannotCarryError("its condition is more than comparisons with one parameter.")
        name = names.pop()
        field = self._by_parameter.get(name)
        if field is None:
            raise CannotCarryError(f"its condition asks for {name}, which is not in front of it.")
        values: RawSet | None = None
        for one in comparisons:
            found = _compared(one, field)
            values = found if values is None else _common(values, found)
        return Selected(field.id, values or RawSet())

    def _take(self, content: _Content, entry: Element, depth: int) -> None:
        self._move(content, entry)
        kind = local(entry)
        if kind == "ParameterRefEntry":
            self._take_parameter(content, entry)
        elif kind == "ContainerRefEntry":
            self._take_container(content, entry, depth)
        elif kind == "ArrayParameterRefEntry":
            self._take_array(content, entry)
        elif kind == "FixedValueEntry":
            width = whole(entry.get("sizeInBits", ""))
            value = int(entry.get("binaryValue", "0") or "0", 16)
            places = Places(sent_bits(content.bit, width))
            name = entry.get("name", "") or "fixed"
            content.checks.append(Reserved(id=stable_id(self._path, name), name=name, places=places, value=value))
            content.bit += width
        else:
            raise CannotCarryError("this kind of entry is not carried over.")

    def _move(self, content: _Content, entry: Element) -> None:
        location = child(entry, "LocationInContainerInBits")
        if location is None:
            return
        if child(location, "FixedValue") is None:
            raise CannotCarryError("its place is not a fixed one.")
        offset = whole(text_of(location, "FixedValue"))
        reference = location.get("referenceLocation", "previousEntry")
        if reference == "previousEntry":
            content.bit += offset
        elif reference == "containerStart" and not content.moves:
            content.bit = offset
        else:
            raise CannotCarryError(f"its place is counted from {reference}.")

    def _selected(self, entry: Element) -> Selected | None:
        condition = child(entry, "IncludeCondition")
        return self._condition(condition) if condition is not None else None

    def _told_by(self, reference: Element) -> str:
        """Return the field a parameter became, as an expression says it."""
        name = _last(reference.get("parameterRef", ""))
        if name not in self._by_parameter:
            raise CannotCarryError(f"{name}, which it asks for, is not in front of it.")
        return quoted(self._by_parameter[name].name)

    def _take_parameter(self, content: _Content, entry: Element) -> None:
        name = _last(entry.get("parameterRef", ""))
        parameter = self.parameters.get(name)
        if parameter is None:
            raise CannotCarryError(f"there is no parameter {name}.")
        selected = self._selected(entry)
        type_name = _last(parameter.get("parameterTypeRef", ""))
        shape = self._shape(type_name)
        own = own_data(parameter)
        field = msgspec.structs.replace(
            shape.field, id=id_of(own.get("id")) or stable_id(self._path, name), selected=selected,
            name=untaken(str(own.get("name") or name), self._names),
            note=parameter.get("shortDescription", "") or shape.field.note,
        )  # fmt: skip
        self._by_parameter[name] = field
        if shape.width is None:
            self._take_run(content, field, shape, selected)
            return
        bits = shape.places(content.bit)
        if bits[-1] // 8 > 65535:
            raise CannotCarryError("it lies beyond any message.")
        content.bit += shape.width
        content.put(msgspec.structs.replace(field, places=Places(bits)))

    def _take_run(self, content: _Content, field: Field, shape: Shape, selected: Selected | None) -> None:
        length: Expression | None = None
        if shape.tag_bits:
            name = untaken(f"{field.name} length", self._names)
            tag = Field(id=stable_id(self._path, field.name, "length"), name=name,
                        places=Places(sent_bits(content.bit, shape.tag_bits)))  # fmt: skip
            content.bit += shape.tag_bits
            content.put(tag)
            length = Expression(f"floor({quoted(tag.name)} / 8)")
        elif shape.length is not None:
            length = self._length(shape.length)
        run = Run(id=stable_id(self._path, field.name, "run"), name=field.name, selected=selected, length=length,
                  field=msgspec.structs.replace(field, selected=None), end=shape.end)  # fmt: skip
        content.put_part(run)

    def _length(self, dynamic: Element) -> Expression:
        """Read a size in bits that a parameter tells, as bytes."""
        reference = child(dynamic, "ParameterInstanceRef")
        if reference is None:
            raise CannotCarryError("its length is not told by a parameter.")
        name = self._told_by(reference)
        slope, intercept = _adjustment(dynamic)
        if slope % 8 == 0 and intercept % 8 == 0:
            return Expression(_linear(name, slope // 8, intercept // 8))
        return Expression(f"floor(({_linear(name, slope, intercept)}) / 8)")

    def _take_container(self, content: _Content, entry: Element, depth: int) -> None:
        name = _last(entry.get("containerRef", ""))
        container = self.containers.get(name)
        if container is None:
            raise CannotCarryError(f"there is no container {name}.")
        repeat = child(entry, "RepeatEntry")
        selected = self._selected(entry)
        if repeat is None and selected is None and not content.moves:
            self._fill(content, container, depth + 1)
            return
        inner = _Content()
        self._fill(inner, container, depth + 1)
        inner.close()
        amount = self._count(child(repeat, "Count")) if repeat is not None else None
        size = max(_bytes_of(inner.fields), _declared_size(container))
        own = own_data(container)
        group_id = id_of(own.get("id")) or stable_id(self._path, name, str(entry.sourceline))
        content.put_part(
            Group(id=group_id, name=untaken(str(own.get("name") or name), self._names), size=size,
                  fields=tuple(inner.fields), parts=tuple(inner.parts), selected=selected, amount=amount,
                  repeat=Repeat.ONCE if amount is None else Repeat.COUNT)
        )  # fmt: skip

    def _count(self, count: Element | None) -> Expression:
        fixed = text_of(count, "FixedValue")
        if fixed:
            return Expression(str(whole(fixed)))
        dynamic = child(count, "DynamicValue")
        reference = child(dynamic, "ParameterInstanceRef")
        if dynamic is None or reference is None:
            raise CannotCarryError("how often it repeats is not told by a parameter.")
        slope, intercept = _adjustment(dynamic)
        return Expression(_linear(self._told_by(reference), slope, intercept))

    def _take_array(self, content: _Content, entry: Element) -> None:
        name = _last(entry.get("parameterRef", ""))
        parameter = self.parameters.get(name)
        array = self.types.get(_last(parameter.get("parameterTypeRef", ""))) if parameter is not None else None
        if array is None or local(array) != "ArrayParameterType":
            raise CannotCarryError(f"{name} is no array parameter.")
        dimensions = child(entry, "DimensionList")
        listed = list(children(child(array, "DimensionList") if dimensions is None else dimensions, "Dimension"))
        if len(listed) != 1:
            raise CannotCarryError(f"{name} has {len(listed)} dimensions; one can be carried.")
        first = whole(text_of(listed[0], "StartingIndex", "FixedValue"))
        last = self._count(child(listed[0], "EndingIndex"))
        shape = self._shape(_last(array.get("arrayTypeRef", "")))
        if shape.width is None or shape.width % 8:
            raise CannotCarryError(f"the items of {name} are no whole bytes.")
        item = msgspec.structs.replace(
            shape.field, id=stable_id(self._path, name, "item"), name=name, places=Places(shape.places(0))
        )
        content.put_part(
            Group(id=stable_id(self._path, name), name=untaken(name, self._names), size=shape.width // 8,
                  fields=(item,),
                  repeat=Repeat.COUNT, amount=Expression(f"{last} + {1 - first}" if first != 1 else str(last)))
        )  # fmt: skip

    def _shape(self, type_name: str) -> Shape:
        declared = self.types.get(type_name)
        if declared is None:
            raise CannotCarryError(f"there is no type {type_name}.")
        return shape_of(declared)


def _compared(comparison: Element, field: Field) -> RawSet:
    """Return the raw values for which a comparison holds."""
    text = comparison.get("value", "")
    label = next((named for named in field.names if named.label == text), None)
    value = label.raw if label is not None else _raw(text, field, comparison.get("useCalibratedValue", "true"))
    low, high = field.raw_range()
    operator = comparison.get("comparisonOperator", "==")
    spans = {
        "==": [(value, label.last if label is not None else value)], "!=": [(low, value - 1), (value + 1, high)],
        "<": [(low, value - 1)], "<=": [(low, value)], ">": [(value + 1, high)], ">=": [(value, high)],
    }  # fmt: skip
    if operator not in spans:
        raise CannotCarryError(f"the comparison {operator} is not known.")
    return RawSet((first, last) for first, last in spans[operator] if first <= last)


def _raw(text: str, field: Field, calibrated: str) -> int:
    flags = {"true": Fraction(1), "false": Fraction(0)}
    value = flags[text.lower()] if text.lower() in flags else exact_of(text)
    if calibrated != "false":
        value = (value - field.offset) / field.ratio
    if value.denominator != 1:
        raise CannotCarryError(f"the value {text} of its condition is between two raw values.")
    return value.numerator


def _common(first: RawSet, second: RawSet) -> RawSet:
    pairs = ((max(a, c), min(b, d)) for a, b in first.spans for c, d in second.spans)
    return RawSet((low, high) for low, high in pairs if low <= high)


def _linear(name: str, slope: int, intercept: int) -> str:
    text = f"{name} * {slope}" if slope != 1 else name
    return f"{text} + {intercept}" if intercept else text


def _bytes_of(fields: list[Field]) -> int:
    return max((field.places.size_needed for field in fields), default=0)


def _declared_size(container: Element) -> int:
    """Return the bytes a container says it has, 0 if it does not say."""
    return (whole(text_of(container, "BinaryEncoding", "SizeInBits", "FixedValue")) + 7) // 8


def _held(field: Field, selected: Selected | None) -> Field:
    if selected is None or field.selected is not None:
        return field
    return msgspec.structs.replace(field, selected=selected)


def _adjustment(dynamic: Element) -> tuple[int, int]:
    adjustment = child(dynamic, "LinearAdjustment")
    if adjustment is None:
        return 1, 0
    slope, intercept = exact_of(adjustment.get("slope", "1")), exact_of(adjustment.get("intercept", "0"))
    if slope.denominator != 1 or intercept.denominator != 1:
        raise CannotCarryError("its length is told in fractions.")
    return slope.numerator, intercept.numerator


def _last(reference: str) -> str:
    return reference.rpartition("/")[2]


def _reference(entry: Element) -> str:
    named = entry.get("parameterRef") or entry.get("containerRef") or ""
    return f" {_last(named)}" if named else ""


def own_data(element: Element) -> dict[str, Any]:
    """Return what an earlier export of ours kept beside an element, empty if nothing."""
    for one in children(child(element, "AncillaryDataSet"), "AncillaryData"):
        if one.get("name") == OWN_DATA:
            try:
                read_back = json.loads(one.text or "")
            except ValueError:
                return {}
            return read_back if isinstance(read_back, dict) else {}
    return {}


def _applies(own: dict[str, Any]) -> Applies:
    """Return when a layout applies; a space system does not say, so somebody else's are tied by hand."""
    try:
        return from_plain(own["applies"], Applies)
    except (KeyError, AbacusError):
        return Applies(protocol=BY_HAND)
