"""What a module offers as ``LAYOUT_FORMAT``: how layout files of a standard are known, read and written."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from ..harmless import visible
from ..layouts.model import Layout
from .result import Exchanged, Written


@dataclass(frozen=True, slots=True)
class LayoutFormat:
    """Layout files of one standard.

    Attributes
    ----------
    word
        By which the command line asks for it.
    name
        As people call it.
    suffix
        The usual ending of the file's name.
    recognises
        Whether a file's content is of this format.
    read, write
        What cannot be carried is listed, with its place.
    seen
        Makes a text harmless for what such a file is: in a format of lines it keeps a name from making two.
    """

    word: str
    name: str
    suffix: str
    recognises: Callable[[bytes], bool]
    read: Callable[[bytes, str], Exchanged]
    write: Callable[[Iterable[Layout]], Written]
    seen: Callable[[str], str] = visible
