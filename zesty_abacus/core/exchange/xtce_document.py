"""What a space system declares: its types, parameters and containers by name, and which extends which."""

from __future__ import annotations

from .result import CannotCarryError
from .xml import Element, below, child, children, local
from .xtce_types import Shape, shape_of

MAX_DEPTH = 16
"""Containers inside containers, or extended ones: deeper than any that people write, against circles."""


class Document:
    """The declarations of a space system.

    Attributes
    ----------
    types, parameters, containers
        Elements by name.
    """

    def __init__(self, root: Element) -> None:
        self.types = {one.get("name", ""): one for group in below(root, "ParameterTypeSet") for one in children(group)}
        self.parameters = {one.get("name", ""): one for one in below(root, "Parameter")}
        sets = below(root, "ContainerSet")
        self.containers = {one.get("name", ""): one for group in sets for one in children(group, "SequenceContainer")}
        self._heirs: dict[str, list[Element]] = {}
        for one in self.containers.values():
            base = child(one, "BaseContainer")
            if base is not None:
                self._heirs.setdefault(last_name(base.get("containerRef", "")), []).append(one)
        self._inside = {last_name(one.get("containerRef", "")) for one in below(root, "ContainerRefEntry")}

    def heirs(self, container: Element) -> list[Element]:
        """Return the containers that extend one."""
        return self._heirs.get(container.get("name", ""), [])

    def is_used_inside(self, container: Element) -> bool:
        """Return whether another container holds this one; it then is no message of its own."""
        name = container.get("name", "")
        return name in self._inside and name not in self._heirs

    def moves(self, container: Element, depth: int) -> bool:
        """Return whether anything in a container, or in one that extends it, has no fixed place."""
        if depth > MAX_DEPTH:
            return False
        entries = children(child(container, "EntryList"))
        heirs = self.heirs(container)
        return any(map(self._moves_itself, entries)) or any(self.moves(heir, depth + 1) for heir in heirs)

    def _moves_itself(self, entry: Element) -> bool:
        if local(entry) == "ArrayParameterRefEntry":
            return True
        if local(entry) == "ContainerRefEntry":
            return child(entry, "RepeatEntry") is not None or child(entry, "IncludeCondition") is not None
        parameter = self.parameters.get(last_name(entry.get("parameterRef", "")))
        if parameter is None:
            return False
        try:
            return self.shape(last_name(parameter.get("parameterTypeRef", ""))).width is None
        except CannotCarryError:
            return False

    def shape(self, type_name: str) -> Shape:
        """Return the shape of a type; raises CannotCarryError if there is none that can be carried."""
        declared = self.types.get(type_name)
        if declared is None:
            raise CannotCarryError(f"there is no type {type_name}.")
        return shape_of(declared)


def last_name(reference: str) -> str:
    """Return the name at the end of a path of names."""
    return reference.rpartition("/")[2]
