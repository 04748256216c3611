"""A library as scripts use it: its layouts in one state."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from ..core.codec.carried import with_carried
from ..core.codec.messages import encode_message
from ..core.errors import DataError
from ..core.exchange.registry import read_layout_file
from ..core.generate.folder import write_folder
from ..core.generate.languages.registry import language_named
from ..core.generate.project import Project
from ..core.layouts.model import Layout
from ..core.layouts.validate import problems_inside
from ..core.library.author import default_author
from ..core.library.store import Library as Store
from ..core.nearest import nearest
from ..core.origin import Origin
from ..core.trial.trial import Trial
from ..core.words import counted


class Library:
    """The layouts of a library in one state; it does not change while it is used.

    Use :func:`open_library`.

    Attributes
    ----------
    name
    release
        Empty for the newest state.
    """

    def __init__(self, layouts: Iterable[Layout], origin: Origin, where: str) -> None:
        # two messages may have one name; all of them are decoded, and the first one answers to it
        self._all = tuple(layouts)
        self._layouts = {layout.name: layout for layout in reversed(self._all)}
        self._origin = origin
        self._where = where
        self.name = origin.library
        self.release = origin.release

    @property
    def messages(self) -> tuple[str, ...]:
        """Names of the messages, in order."""
        return tuple(sorted(self._layouts))

    def fields(self, message: str) -> tuple[str, ...]:
        """Return the fields and computed values of a message that are there once a frame.

        Raises
        ------
        DataError
            If there is no such message.
        """
        return tuple(field.name for field in self._layout(message).once_a_frame())

    def encode(self, message: str, values: Mapping[str, Any]) -> bytes:
        """Return the payload of a message.

        Parameters
        ----------
        values
            By field: numbers in the field's unit, names of values, text; of an array a list. What is not given is zero;
            counts, lengths and checks are worked out. A number between two steps goes to the nearer one.

        Raises
        ------
        DataError
            If there is no such message.
        MisuseError
            If there is no such field, or a value does not fit.
        """
        others = {layout.id: layout for layout in self._all}
        return encode_message(with_carried(self._layout(message), others), values).payload

    def generate(
        self, language: str, folder: str | Path, *, messages: Iterable[str] = (), prefix: str = "",
        replace: bool = False,
    ) -> dict[str, Any]:  # fmt: skip
        """Write code of the layouts into a folder and return its manifest.

        Parameters
        ----------
        language
            ``c``, ``python`` or ``structured-text``.
        messages
            All if there are none.
        replace
            Whether files that somebody else wrote may be replaced.

        Raises
        ------
        MisuseError
            If there is no such language or message.
        DataError
            If a file of somebody else is in the way, or the folder cannot be written.
        """
        project = Project.of(self._all, self._origin, messages=messages, prefix=prefix)
        made = language_named(language).make(project)
        write_folder(Path(folder), made, replace=replace)
        return dict(json.loads(made.manifest.to_json()))

    def _layout(self, message: str) -> Layout:
        found = self._layouts.get(message)
        if found is None:
            hint = nearest(message, self._layouts)
            raise DataError(f"there is no message {message!r}.", where=self._where, hint=hint)
        return found

    def __repr__(self) -> str:
        return f"<Library {self.name}, {counted(len(self._layouts), 'message')}>"


def layouts_of(library: Library | None) -> tuple[Layout, ...]:
    """Return the layouts themselves, for the rest of this package; none of no library."""
    return library._all if library is not None else ()


def origin_of(library: Library) -> Origin:
    """Return where what is decoded with a library comes from."""
    return library._origin


def open_library(where: str | Path, *, release: str = "") -> Library:
    """Return the layouts of a library.

    Parameters
    ----------
    where
        Its file, the address of its server, or the folder of a trial.
    release
        The name of a release; the newest state if it is empty, of a trial the release that it is decoded with.

    Raises
    ------
    DataError
        If it cannot be opened, or has no such release.
    """
    address: Any = where
    if "://" not in str(where) and Path(where).is_dir():
        trial = Trial.open(Path(where))
        address, release = trial.library_address, release or trial.file.release
    store = Store.open(address)
    try:
        layouts = store.layouts.of_release(release) if release else store.layouts.states()
        return Library(layouts, store.origin(release), str(where))
    finally:
        store.close()


def new_library(where: str | Path, *layout_files: str | Path, author: str = "") -> Library:
    """Make a library file with the layouts of some files and return it.

    Parameters
    ----------
    layout_files
        In any form that layouts are read from.
    author
        Whose changes these are; this user if it is empty.

    Raises
    ------
    DataError
        If there is a library already, or a file cannot be read; then no library is made.
    """
    read = [(Path(file), read_layout_file(Path(file))[1].layouts) for file in layout_files]
    for file, layouts in read:
        if wrong := problems_inside(layouts):
            raise DataError.of("no frame could be read with this", wrong, where=str(file), hint="No library was made.")
    store = Store.create(Path(where), Path(where).stem)
    try:
        for file, layouts in read:
            reason = f"brought in from {file.name}"
            store.layouts.import_all(list(layouts), author=author or default_author(), reason=reason)
    finally:
        store.close()
    return open_library(where)
