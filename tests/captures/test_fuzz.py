"""Every reader meets mutated files: no crash, no hang, bounded memory; what comes out holds together.

``FUZZ=3000`` reads as many mutations of each file; without it a few of them are read.
"""

import contextlib
import gzip
import os
import time
import tracemalloc

import numpy as np
import pyarrow as pa
import pytest

from zesty_abacus.core.captures.reference import read_reference
from zesty_abacus.core.captures.registry import line_formats, read_lines
from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.recipes.prepare import prepare_line
from zesty_abacus.core.recipes.run import run_on_frames, run_recipe
from zesty_abacus.core.trial.intake import SourceRequest, frames_of_source
from zesty_abacus.demo.recipes import demo_recipes
from zesty_abacus.demo.trial import SHIPPED

COUNT = int(os.environ.get("FUZZ", "60"))
PATIENCE_S = 20.0
FILES = {
    "deck-bus.vcd.gz": ("VCD", "deck", 40_000), "winch-load.vcd.gz": ("VCD", "winch", 40_000),
    "bilge-scl-sda.csv.gz": ("sample table", "bilge", 30_000), "beacon.wav": ("WAV", "beacon", 30_000),
    "sounder.wav": ("WAV", "", 30_000), "pendant.sigmf-data": ("SigMF", "pendant", 60_000),
    "bridge-remote.pulses": ("pulse lengths", "", 6000), "compass.bytes": ("timed bytes", "compass", 8000),
    "shore-meter.pcap": ("pcap", "shore", 20_000), "thruster.log.gz": ("SocketCAN text log", "", 20_000),
    "battery.pcapng.zst": ("pcapng", "", 20_000),
}  # fmt: skip


def mutations(data, count, seed):
    """Yield a file with bits turned, bytes set to extremes, pieces cut, doubled or put elsewhere."""
    rng = np.random.default_rng(seed)
    for _ in range(count):
        made = bytearray(data)
        for _ in range(int(rng.integers(1, 6))):
            at, size = int(rng.integers(0, max(len(made), 1))), int(rng.integers(1, 40))
            kind = rng.integers(0, 6)
            if kind == 0 and made:
                made[at % len(made)] ^= 1 << int(rng.integers(0, 8))
            elif kind == 1 and made:
                made[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"9999"])
            elif kind == 2:
                del made[at : at + size]
            elif kind == 3:
                made[at:at] = made[max(at - size, 0) : at]
            elif kind == 4:
                made[at:at] = rng.integers(0, 256, size, dtype=np.uint8).tobytes()
            elif rng.random() < 0.3:
                del made[at:]
        yield bytes(made)


def content(name, size):
    data = (SHIPPED / name).read_bytes()
    if name.endswith(".zst"):
        return pa.CompressedInputStream(pa.BufferReader(data), "zstd").read(size)
    if name.endswith(".gz"):
        data = gzip.decompress(data)
    return data[:size]


def read(path, form, recipe, folder):
    """Read a file and run the lane's recipe on whatever it holds."""
    if form in {one.name for one in line_formats()}:
        recording, report = read_lines(path, folder, form)
        if recipe is not None:
            run_recipe(recipe, recording)
        for channel in recording.channels[:3]:
            if recipe is None:
                prepare_line(channel, demo_recipes()["deck"].level(channel.name))
    else:
        table, report = frames_of_source(SourceRequest(path, form=form))
        frames, _ = run_on_frames(recipe, table)
        frames.check()
    return report


@pytest.mark.parametrize("name", sorted(FILES))
def test_mutated_files_do_no_harm(name, tmp_path):
    form, lane, size = FILES[name]
    recipe = demo_recipes().get(lane)
    data = content(name, size)
    path = tmp_path / name.removesuffix(".gz").removesuffix(".zst").removesuffix(".zst")
    if form == "SigMF":
        path.with_suffix(".sigmf-meta").write_bytes((SHIPPED / "pendant.sigmf-meta").read_bytes())
    refused = 0
    # whatever has to be compiled for it is compiled before anything is timed
    path.write_bytes(data)
    with contextlib.suppress(AbacusError):
        read(path, form, recipe, tmp_path / "columns")
    tracemalloc.start()
    for number, changed in enumerate(mutations(data, COUNT, len(name))):
        path.write_bytes(changed)
        # of this program's own time, which a machine that does other things does not take away
        begin = time.process_time()
        try:
            read(path, form, recipe, tmp_path / f"columns{number}")
        except AbacusError as error:
            refused += 1
            assert str(error), "an error says something"
        assert time.process_time() - begin < PATIENCE_S, f"mutation {number} took too long"
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 300 << 20, f"{peak >> 20} MB for files of {size} bytes"
    assert refused < COUNT, "most of a file is read whatever is wrong with a part"


def test_mutated_descriptions_of_radio_recordings_do_no_harm(tmp_path):
    meta = (SHIPPED / "pendant.sigmf-meta").read_bytes()
    (tmp_path / "a.sigmf-data").write_bytes(bytes(4000))
    for number, changed in enumerate(mutations(meta, COUNT * 2, 3)):
        (tmp_path / "a.sigmf-meta").write_bytes(changed)
        try:
            read_lines(tmp_path / "a.sigmf-meta", tmp_path / f"columns{number}", "SigMF")
        except AbacusError as error:
            assert "sigmf" in str(error)


def test_mutated_tables_do_no_harm(tmp_path):
    """A table of frames and one of an instrument, each read as what it is and with its columns guessed anew."""
    rows = [f"{n * 0.01:.2f},can{n % 2},{256 + n % 3:X},rx,3,{n:02X} 0A FF" for n in range(120)]
    table = ("time,bus,id,dir,len,data\n" + "\n".join(rows) + "\n").encode()
    reference = (SHIPPED / "gnss.csv").read_bytes()[:4000]
    for number, changed in enumerate(mutations(table, COUNT, 5)):
        path = tmp_path / "frames.csv"
        path.write_bytes(changed)
        try:
            read(path, "frame table", None, tmp_path / f"columns{number}")
        except AbacusError as error:
            assert "frames.csv" in str(error)
    for changed in mutations(reference, COUNT, 6):
        path = tmp_path / "gnss.csv"
        path.write_bytes(changed)
        try:
            found = read_reference(path)
            assert (np.diff(found.time_ns) >= 0).all()
        except AbacusError as error:
            assert "gnss.csv" in str(error)
