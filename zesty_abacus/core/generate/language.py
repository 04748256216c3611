"""What a language is to the rest: a name, and the files that it makes of a project."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from .manifest import Manifest
from .project import Project

KEEP_BEGIN, KEEP_END = "yours from here:", "yours to here:"
"""Between two lines with these words and one name stands what a person wrote; it goes into the newer file."""


@dataclass(frozen=True, slots=True)
class Made:
    """Files by name, and what the manifest says of them."""

    files: dict[str, str]
    manifest: Manifest


@dataclass(frozen=True, slots=True)
class Language:
    """A language that code is made in.

    Attributes
    ----------
    name
        As it is asked for.
    title
        As people call it.
    make
        Makes all files of a project.
    has_nodes
        Whether it makes programs that send.
    """

    name: str
    title: str
    make: Callable[[Project], Made]
    has_nodes: bool = False
