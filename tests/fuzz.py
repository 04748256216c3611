"""Feeds changed files to every reader, guided by what of the program they reach; for as long as one likes, by hand.

    python -m tests.fuzz FAMILY SECONDS

with a family of :data:`FAMILIES`. It needs the package atheris; without it inputs are changed at random, unguided.
Whatever is raised that is no :class:`AbacusError` is a fault and ends the run with the input in a file.
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

try:
    import atheris
except ImportError:
    atheris = None

CORE = Path(__file__).parent.parent / "zesty_abacus" / "core"
KERNELS = [
    ".".join(("zesty_abacus", "core", *path.relative_to(CORE).with_suffix("").parts))
    for path in CORE.rglob("*.py") if "njit" in path.read_text(encoding="utf-8")
]  # fmt: skip
"""Modules with compiled kernels: the compiler takes no function that somebody put counters into."""

if atheris is not None:
    with atheris.instrument_imports(include=["zesty_abacus.core"], exclude=KERNELS):
        from zesty_abacus.core.captures.registry import read_lines, read_recording, recognise
        from zesty_abacus.core.errors import AbacusError
        from zesty_abacus.core.exchange.registry import WRITERS, read_layout_file
        from zesty_abacus.core.layouts.json_form import layouts_from_text, layouts_to_file_text
        from zesty_abacus.core.layouts.validate import check_layout
        from zesty_abacus.core.library.address import library_address
        from zesty_abacus.core.library.store import Library
        from zesty_abacus.core.recipes.json_form import recipes_from_file
        from zesty_abacus.core.trial.trial import Trial
else:
    from zesty_abacus.core.captures.registry import read_lines, read_recording, recognise
    from zesty_abacus.core.errors import AbacusError
    from zesty_abacus.core.exchange.registry import WRITERS, read_layout_file
    from zesty_abacus.core.layouts.json_form import layouts_from_text, layouts_to_file_text
    from zesty_abacus.core.layouts.validate import check_layout
    from zesty_abacus.core.library.address import library_address
    from zesty_abacus.core.library.store import Library
    from zesty_abacus.core.recipes.json_form import recipes_from_file
    from zesty_abacus.core.trial.trial import Trial

DEMO = Path(__file__).parent.parent / "zesty_abacus" / "demo" / "yuzu"
_SEED_BYTES = 6000


class Place:
    """A folder with one file in it, written anew for each input."""

    def __init__(self) -> None:
        self.folder = Path(
            tempfile.mkdtemp(prefix="zesty-fuzz-", dir="/dev/shm" if Path("/dev/shm").is_dir() else None)
        )

    def file(self, name: str, data: bytes) -> Path:
        """Write the file."""
        path = self.folder / name
        path.write_bytes(data)
        return path


PLACE = Place()


def frames(data: bytes) -> None:
    """Read a recording of frames, whatever it is."""
    for name in ("a.log", "a.csv"):
        read_recording(PLACE.file(name, data), lambda table, _names: table.check())


def lines(data: bytes) -> None:
    """Read a recording of lines, whatever it is."""
    for name in ("a.vcd", "a.pulses"):
        path = PLACE.file(name, data)
        if recognise(path):
            made, _ = read_lines(path, PLACE.folder / "columns")
            assert made.span_ns[0] <= made.span_ns[1]


def layouts(data: bytes) -> None:
    """Read our own layouts; what is accepted is checked and comes out again."""
    for layout in layouts_from_text(data):
        if not check_layout(layout):
            layouts_from_text(layouts_to_file_text([layout]).encode())


def standards(data: bytes) -> None:
    """Read layouts of any standard, and tables."""
    for name in ("a.xml", "a.csv", "a.eds"):
        read_layout_file(PLACE.file(name, data))


def own(data: bytes) -> None:
    """Read a trial, a recipe, a library and an address."""
    for read in (
        lambda: Trial.open(PLACE.file("trial.json", data)), lambda: recipes_from_file(PLACE.file("a.json", data)),
        lambda: Library.open(PLACE.file("a.sqlite", data)).close(),
        lambda: library_address("postgresql://" + data.decode("utf-8", "replace")),
    ):  # fmt: skip
        try:
            read()
        except AbacusError:
            continue


def _demo(*names: str) -> list[bytes]:
    import gzip

    found = []
    for name in names:
        for path in DEMO.glob(name):
            data = path.read_bytes()
            found.append((gzip.decompress(data) if path.suffix == ".gz" else data)[:_SEED_BYTES])
    return found


def _written() -> list[bytes]:
    known = layouts_from_text((DEMO / "layouts.json").read_bytes())[:4]
    return [WRITERS[form][2](known).data for form in ("xtce", "autosar", "csv", "xlsx", "eds", "thing")]


def _library() -> list[bytes]:
    path = PLACE.folder / "seed.sqlite"
    Library.create(path).close()
    return [path.read_bytes()]


FAMILIES: dict[str, tuple[Callable[[bytes], None], Callable[[], list[bytes]]]] = {
    "frames": (frames, lambda: _demo("*.log.gz", "*.pcap", "*.bytes", "gnss.csv")),
    "lines": (lines, lambda: _demo("*.vcd*", "*.pulses", "*.wav", "*.sigmf-meta", "*.csv*")),
    "layouts": (layouts, lambda: _demo("layouts.json")),
    "standards": (standards, _written),
    "own": (own, lambda: [*_demo("trial.json", "recipes.json"), *_library()]),
}


def main() -> None:
    """Run one family for some seconds."""
    family, seconds = sys.argv[1], float(sys.argv[2])
    read, seeds = FAMILIES[family]

    def one(data: bytes) -> None:
        try:
            read(data)
        except AbacusError:
            return

    corpus = Path(tempfile.mkdtemp(prefix=f"zesty-corpus-{family}-"))
    for number, seed in enumerate(seeds()):
        (corpus / f"seed-{number}").write_bytes(seed)
    if atheris is not None:
        arguments = [sys.argv[0], str(corpus), f"-max_total_time={seconds:.0f}", "-rss_limit_mb=4000", "-max_len=20000",
                     f"-artifact_prefix={corpus}/", "-timeout=30", "-print_final_stats=1"]  # fmt: skip
        atheris.Setup(arguments, one)
        atheris.Fuzz()
        return
    chance, until, runs = random.Random(1), time.monotonic() + seconds, 0
    known = [path.read_bytes() for path in corpus.iterdir()]
    while time.monotonic() < until:
        data = bytearray(chance.choice(known))
        for _ in range(chance.randrange(1, 12)):
            data[chance.randrange(len(data))] = chance.randrange(256)
        (corpus / "last").write_bytes(data)
        one(bytes(data))
        runs += 1
    print(f"{family}: {runs} inputs")


if __name__ == "__main__":
    main()
