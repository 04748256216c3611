"""XTCE (OMG and CCSDS 660.0-B): telemetry containers of a space system as layouts.

A container without a base is a layout. Containers that extend it become fields, or groups where something
moves, that are present while the restriction of their base holds. Bits count through the container as they
are sent, highest bit of a byte first.
"""

from __future__ import annotations

import json
from typing import Any

import msgspec

from ..errors import AbacusError
from ..expressions.expression import quoted
from ..layouts.applies import BY_HAND
from ..layouts.json_form import from_plain
from ..layouts.model import (
    Applies,
    Expression,
    Field,
    Group,
    Layout,
    Places,
    RawSet,
    Repeat,
    Reserved,
    Run,
    Selected,
)
from ..layouts.validate import check_layout
from .names import untaken
from .result import CannotCarryError, Exchanged, ExchangeError, id_of, stable_id
from .xml import Element, below, child, children, local, parse_xml, place_of, text_of
from .xtce_content import Content, bytes_of, declared_size, held
from .xtce_document import MAX_DEPTH, Document, last_name
from .xtce_terms import adjustment, common, compared, linear
from .xtce_types import Shape, sent_bits, whole

NAME = "XTCE"
NAMESPACE = "http://www.omg.org/spec/XTCE/20180204"
OWN_DATA = "zesty-abacus"
"""Name of the ancillary data that keep our identities and when a layout applies."""


def recognises(data: bytes) -> bool:
    """Return whether a file looks like a space system."""
    return b"SpaceSystem" in data[:8192] and b"XTCE" in data[:8192]


def read(data: bytes, where: str) -> Exchanged:
    """Read the telemetry containers of a space system; raises :class:`ExchangeError` if there are none."""
    root = parse_xml(data, where)
    found = Exchanged()
    reader = _Reader(root, found)
    for container in reader.document.containers.values():
        if child(container, "BaseContainer") is None and not reader.document.is_used_inside(container):
            reader.read_family(container)
    for unread in below(root, "CommandMetaData"):
        found.leave(place_of(unread), "commands are not carried over.")
    if not found.layouts and not found.left:
        raise ExchangeError("the space system has no containers.", where=where)
    return found


class _Reader:
    """Holds what the document declares, by name."""

    def __init__(self, root: Element, found: Exchanged) -> None:
        self.found = found
        self.document = Document(root)
        self._names: set[str] = set()
        self._by_parameter: dict[str, Field] = {}
        self._path = ""

    def read_family(self, container: Element) -> None:
        """Read a container with all that extend it as one layout."""
        name = container.get("name", "")
        own = own_data(container)
        self._path = f"xtce/{name}"
        self._names = set()
        self._by_parameter = {}
        try:
            content = Content()
            self._fill(content, container, 0)
            self._extend(content, container, 0)
            content.close()
        except CannotCarryError as error:
            self.found.leave(place_of(container), str(error))
            return
        size = max(bytes_of(content.fields), declared_size(container))
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

    def _fill(self, content: Content, container: Element, depth: int) -> None:
        if depth > MAX_DEPTH:
            raise CannotCarryError(f"containers hold one another more than {MAX_DEPTH} deep.")
        for entry in children(child(container, "EntryList")):
            try:
                self._take(content, entry, depth)
            except (CannotCarryError, AbacusError, ValueError) as error:
                said = error.message if isinstance(error, AbacusError) else str(error)
                self.found.leave(place_of(entry) + _reference(entry), said)

    def _extend(self, content: Content, base: Element, depth: int) -> None:
        """Add the containers that extend one: all begin behind its last entry."""
        heirs = self.document.heirs(base)
        if depth > MAX_DEPTH:
            raise CannotCarryError("containers extend one another in a circle.")
        start = content.bit
        moves = content.moves or any(self.document.moves(heir, 0) for heir in heirs)
        if moves and not content.moves and start % 8:
            raise CannotCarryError("what extends it moves and does not begin at a whole byte.")
        for heir in heirs:
            try:
                selected = self._restriction(child(heir, "BaseContainer"))
            except CannotCarryError as error:
                self.found.leave(place_of(heir), str(error))
                continue
            inner = Content(0 if moves else start)
            self._fill(inner, heir, depth + 1)
            if moves:
                self._add_group(content, heir, inner, selected, depth)
                continue
            content.fields += [held(field, selected) for field in inner.fields]
            content.checks += inner.checks
            content.bit = inner.bit
            self._extend(content, heir, depth + 1)
            content.bit = start

    def _add_group(
        self, content: Content, heir: Element, inner: Content, selected: Selected | None, depth: int
    ) -> None:
        self._extend(inner, heir, depth + 1)
        inner.close()
        size = max(bytes_of(inner.fields), declared_size(heir))
        name = heir.get("name", "")
        group = Group(
            id=stable_id(self._path, name), name=untaken(name, self._names), size=size, fields=tuple(inner.fields),
            parts=tuple(inner.parts), selected=selected,
        )  # fmt: skip
        content.close()
        content.parts.append(group)

    def _restriction(self, base: Element | None) -> Selected | None:
        criteria = child(base, "RestrictionCriteria")
        if criteria is None:
            return None
        return self._condition(criteria)

    def _condition(self, holder: Element) -> Selected:
        """Read one or more comparisons with one parameter as a set of its raw values."""
        listed = child(holder, "ComparisonList")
        comparisons = list(children(holder if listed is None else listed, "Comparison"))
        names = {last_name(one.get("parameterRef", "")) for one in comparisons}
        if len(names) != 1:
            raise CannotCarryError("its condition is more than comparisons with one parameter.")
        name = names.pop()
        field = self._by_parameter.get(name)
        if field is None:
            raise CannotCarryError(f"its condition asks for {name}, which is not in front of it.")
        values: RawSet | None = None
        for one in comparisons:
            found = compared(one, field)
            values = found if values is None else common(values, found)
        return Selected(field.id, values or RawSet())

    def _take(self, content: Content, entry: Element, depth: int) -> None:
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

    def _move(self, content: Content, entry: Element) -> None:
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
        name = last_name(reference.get("parameterRef", ""))
        if name not in self._by_parameter:
            raise CannotCarryError(f"{name}, which it asks for, is not in front of it.")
        return quoted(self._by_parameter[name].name)

    def _take_parameter(self, content: Content, entry: Element) -> None:
        name = last_name(entry.get("parameterRef", ""))
        parameter = self.document.parameters.get(name)
        if parameter is None:
            raise CannotCarryError(f"there is no parameter {name}.")
        selected = self._selected(entry)
        type_name = last_name(parameter.get("parameterTypeRef", ""))
        shape = self.document.shape(type_name)
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

    def _take_run(self, content: Content, field: Field, shape: Shape, selected: Selected | None) -> None:
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
        slope, intercept = adjustment(dynamic)
        if slope % 8 == 0 and intercept % 8 == 0:
            return Expression(linear(name, slope // 8, intercept // 8))
        return Expression(f"floor(({linear(name, slope, intercept)}) / 8)")

    def _take_container(self, content: Content, entry: Element, depth: int) -> None:
        name = last_name(entry.get("containerRef", ""))
        container = self.document.containers.get(name)
        if container is None:
            raise CannotCarryError(f"there is no container {name}.")
        repeat = child(entry, "RepeatEntry")
        selected = self._selected(entry)
        if repeat is None and selected is None and not content.moves:
            self._fill(content, container, depth + 1)
            return
        inner = Content()
        self._fill(inner, container, depth + 1)
        inner.close()
        amount = self._count(child(repeat, "Count")) if repeat is not None else None
        size = max(bytes_of(inner.fields), declared_size(container))
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
        slope, intercept = adjustment(dynamic)
        return Expression(linear(self._told_by(reference), slope, intercept))

    def _take_array(self, content: Content, entry: Element) -> None:
        name = last_name(entry.get("parameterRef", ""))
        parameter = self.document.parameters.get(name)
        array = (
            self.document.types.get(last_name(parameter.get("parameterTypeRef", ""))) if parameter is not None else None
        )
        if array is None or local(array) != "ArrayParameterType":
            raise CannotCarryError(f"{name} is no array parameter.")
        dimensions = child(entry, "DimensionList")
        listed = list(children(child(array, "DimensionList") if dimensions is None else dimensions, "Dimension"))
        if len(listed) != 1:
            raise CannotCarryError(f"{name} has {len(listed)} dimensions; one can be carried.")
        first = whole(text_of(listed[0], "StartingIndex", "FixedValue"))
        last = self._count(child(listed[0], "EndingIndex"))
        shape = self.document.shape(last_name(array.get("arrayTypeRef", "")))
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


def _reference(entry: Element) -> str:
    named = entry.get("parameterRef") or entry.get("containerRef") or ""
    return f" {last_name(named)}" if named else ""


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
