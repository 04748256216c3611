"""What ``library check --history`` looks at: whether history holds together, and whether anybody rewrote it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import msgspec

from ...core.errors import DataError
from ...core.files.reading import read_file
from ...core.layouts.json_form import layout_to_json, layouts_from_file
from ...core.library.chain import Compared, Link, broken_lines, chains, compare_with_copy, compare_with_export
from ...core.library.store import Library
from ...core.origin import ENDING, Origin

_MOST_BYTES = 1 << 20


@dataclass(frozen=True, slots=True)
class LookedAt:
    """What was found: the chain of each sort of changes, what is wrong, and what was compared."""

    links: list[Link]
    problems: list[str]
    compared: dict[str, int]

    def lines(self) -> Iterator[str]:
        """Yield what is said of it, without the problems."""
        for link in self.links:
            yield f"{link.sort}: {link.changes} changes, up to {link.newest}, sha256 {link.sha256}"
        for name, same in self.compared.items():
            yield f"{name}: {same} changes are as they were."

    def plain(self) -> dict[str, object]:
        """Return it for JSON, without the problems."""
        return {"history": msgspec.to_builtins(self.links), "compared": self.compared}


def look_at_history(source: Library, against: tuple[Path, ...]) -> LookedAt:
    """Look at the history of a library, and compare it with what is older."""
    problems, compared = broken_lines(source), {}
    for path in against:
        found = _compared(source, path)
        compared[str(path)] = found.same
        problems += [f"{path}: {sentence}" for sentence in found.differing]
    return LookedAt(chains(source), problems, compared)


def _compared(source: Library, path: Path) -> Compared:
    beside = path.with_name(path.name + ENDING)
    if not beside.exists():
        # what is no library is refused with the words for that
        older = Library.open(path)
        try:
            return compare_with_copy(source, older)
        finally:
            older.close()
    try:
        origin = msgspec.json.decode(read_file(beside, _MOST_BYTES), type=Origin)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise DataError(f"this does not say where a file comes from ({error}).", where=str(beside)) from error
    if origin.library_id != source.id:
        raise DataError(f"it was put out of another library ({origin.library}).", where=str(path))
    documents = [layout_to_json(layout) for layout in layouts_from_file(path)]
    return compare_with_export(source, documents, origin.release, origin.revision)
