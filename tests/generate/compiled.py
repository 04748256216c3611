"""Builds generated C and loads it by what its manifest says, as any other program would."""

from __future__ import annotations

import ctypes
import json
import re
import shutil
import subprocess
from pathlib import Path
from typing import Any

from zesty_abacus.core.generate.folder import write_folder
from zesty_abacus.core.generate.language import Made
from zesty_abacus.core.generate.languages.registry import language_named
from zesty_abacus.core.generate.project import Project
from zesty_abacus.core.layouts.model import Layout
from zesty_abacus.core.origin import Origin

STRICT = ("-std=c99", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion", "-Wshadow", "-Werror")
WATCHED = {"gcc": ("-fsanitize=address,undefined", "-fno-sanitize-recover=all"), "clang": ("-O2",)}
"""The sanitizers of clang come in a package of their own, which few machines have."""
COMPILERS = [name for name in ("gcc", "clang") if shutil.which(name)]


def made_of(layouts: list[Layout], language: str = "c", prefix: str = "any", **settings: Any) -> Made:
    """Return the code of layouts."""
    return language_named(language).make(Project.of(layouts, Origin("any", "id", 7), prefix=prefix, **settings))


def built(folder: Path, made: Made, *options: str, compiler: str = "gcc", sources: tuple[str, ...] = ()) -> Path:
    """Return a program, or a library where an option says so, of the sources in a folder."""
    write_folder(folder, made, replace=True)
    program = folder / f"out-{compiler}"
    files = [folder / name for name in (*made.manifest.sources, *sources)]
    command = [compiler, *STRICT, *options, "-o", str(program), *map(str, files), "-lm"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr[:3000]
    return program


_TYPES = {f"{sign}int{bits}_t": getattr(ctypes, f"c_{sign}int{bits}") for sign in ("", "u") for bits in (8, 16, 32, 64)}


class Loaded:
    """Generated C as a manifest describes it.

    Parameters
    ----------
    folder
        With a ``manifest.json``.
    """

    def __init__(self, folder: Path, library: Path) -> None:
        self.manifest = json.loads((folder / "manifest.json").read_text())
        self.library = ctypes.CDLL(str(library))
        header = (folder / self.manifest["headers"][0]).read_text()
        listed = header.split("enum {")[1].split("}")[0]
        numbers = {name: int(number) for name, number in re.findall(r"(\w+) = (\d+)", listed)}
        self.results = {numbers[constant]: word for word, constant in self.manifest["results"].items()}
        self.structs = {one["message"]: self._struct(one) for one in self.manifest["messages"]}
        self.messages = {one["message"]: one for one in self.manifest["messages"]}

    def _struct(self, message: dict) -> type[ctypes.Structure]:
        members = []
        for one in message["fields"]:
            word, _, count = one["raw_type"].partition("[")
            kind = _TYPES[word]
            members.append((one["raw"], kind * int(count.rstrip("]")) if count else kind))
            behind = {"size": ctypes.c_size_t, "tens": ctypes.c_int16, "known": ctypes.c_uint8}
            members += [(one[word], kind) for word, kind in behind.items() if one.get(word)]
        for part in message.get("inside", ()):
            inner = self._struct(part["holds"])
            if part.get("count"):
                members += [(part["count"], ctypes.c_size_t), (part["member"], inner * part["most"])]
            else:
                members.append((part["member"], inner))
        return type(message["struct"], (ctypes.Structure,), {"_fields_": members})

    def unpack(self, message: str, payload: bytes) -> tuple[str, ctypes.Structure]:
        """Return the result in words, and the struct."""
        struct = self.structs[message]()
        function = self.library[self.messages[message]["unpack"]]
        return self.results[function(ctypes.byref(struct), payload, ctypes.c_size_t(len(payload)))], struct

    def pack(self, message: str, data: bytes, struct: ctypes.Structure) -> tuple[str, bytes]:
        """Return the result in words, and the bytes."""
        room = ctypes.create_string_buffer(data, len(data))
        function = self.library[self.messages[message]["pack"]]
        if self.messages[message].get("moves"):
            used = ctypes.c_size_t()
            came = function(room, ctypes.c_size_t(len(data)), ctypes.byref(used), ctypes.byref(struct))
            return self.results[came], room.raw[: used.value]
        word = self.results[function(room, ctypes.c_size_t(len(data)), ctypes.byref(struct))]
        return word, room.raw

    def value(self, name: str, struct: ctypes.Structure) -> float:
        """Return what a value function gives."""
        function = self.library[name]
        function.restype = ctypes.c_double
        return function(ctypes.byref(struct))

    def present(self, name: str, struct: ctypes.Structure) -> bool:
        """Return what a presence function gives."""
        function = self.library[name]
        function.restype = ctypes.c_bool
        return function(ctypes.byref(struct))
