"""What a language is to the rest: a name, and the files that it makes of a project."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from .manifest import Manifest
from .project import Project

MADE_BY = "by Zesty Abacus. Made anew whenever layouts change."
"""In the head of every file: a file that says so may be replaced by a newer one."""


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
    """

    name: str
    title: str
    make: Callable[[Project], Made]
