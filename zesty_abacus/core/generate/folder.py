"""Writes generated code into a folder: over what was generated before, and over nothing else."""

from __future__ import annotations

import re
from pathlib import Path

from ..files.errors import FileError, file_errors
from ..files.reading import read_file
from ..files.writing import Target, check_targets
from .language import KEEP_BEGIN, KEEP_END, Made
from .manifest import Manifest
from .node import SOURCES, Sources, read_sources
from .project import MADE_BY

MANIFEST = "manifest.json"
_MOST_BYTES = 64 << 20


def write_folder(folder: Path, made: Made, *, replace: bool = False) -> list[Path]:
    """Write all files and the manifest, and return those that are not as they were before.

    A file that is the same is not touched, so that what is built of it is not built again.

    Parameters
    ----------
    replace
        Whether files that somebody else wrote may be replaced, too.

    Raises
    ------
    FileError
        If a file of somebody else is in the way, or the disk does not take one; then none is written.
    """
    with file_errors(folder, "the folder cannot be made"):
        folder.mkdir(parents=True, exist_ok=True)
    texts = {name: _with_kept(text, _text_of(folder / name)) for name, text in made.files.items()}
    texts[MANIFEST] = made.manifest.to_json()
    changed = {name: text for name, text in texts.items() if _text_of(folder / name) != text}
    targets = {name: Target(folder / name, replace or _is_ours(folder / name)) for name in changed}
    check_targets(targets.values())
    # the manifest comes last: who reads it finds what it speaks of
    for name in sorted(changed, key=lambda one: one == MANIFEST):
        targets[name].path.parent.mkdir(parents=True, exist_ok=True)
        targets[name].write(changed[name].encode())
    return [folder / name for name in changed]


def _with_kept(text: str, before: str | None) -> str:
    """Return a newer text with what a person wrote between marks in the one before; nothing of it is lost."""
    theirs = {mark["name"]: mark["body"] for mark in _KEPT.finditer(before or "")}

    def put_in(mark: re.Match[str]) -> str:
        return mark["head"] + theirs.pop(mark["name"], mark["body"]) + mark["foot"]

    made = _KEPT.sub(put_in, text)
    orphans = {name: body for name, body in theirs.items() if body.strip()}
    if not orphans:
        return made
    # whose field is fed otherwise now: out of the way of the compiler, and there for who wants it back
    rows = [f"\n#if 0\n/* {KEEP_BEGIN} {name} */\n{body}/* {KEEP_END} {name} */\n#endif\n"
            for name, body in orphans.items()]  # fmt: skip
    return made + "".join(rows)


_KEPT = re.compile(
    rf"(?P<head>^[^\n]*{KEEP_BEGIN} (?P<name>\w+)[^\n]*\n)(?P<body>.*?)(?P<foot>^[^\n]*{KEEP_END} (?P=name)\b)",
    re.MULTILINE | re.DOTALL,
)


def _text_of(path: Path) -> str | None:
    try:
        return read_file(path, _MOST_BYTES).decode()
    except (FileError, UnicodeDecodeError):
        return None


def _is_ours(path: Path) -> bool:
    """Return whether a file was generated: the head of code says so, and a manifest has the form of one."""
    text = _text_of(path)
    if text is None:
        return False
    if path.name == SOURCES:
        # read before the code was made, so what it says is in the newer one
        return True
    return Manifest.is_one(text) if path.name == MANIFEST else MADE_BY in text[:1000]


def sources_in(folder: Path) -> Sources:
    """Return what a folder says that the fields of a node are fed with; nothing if it does not.

    Raises
    ------
    GenerateError
        If what stands there is not as this program writes it.
    """
    path = folder / SOURCES
    return read_sources(read_file(path, _MOST_BYTES), str(path)) if path.exists() else {}
