"""Large recordings are cut, and what comes of the pieces is what comes of the whole."""

import json
import random
import struct
from itertools import pairwise
from pathlib import Path
from uuid import UUID

import pyarrow.dataset
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.captures.frame_file import write_frames
from tests.cli.program import run
from tests.voyages import voyage
from zesty_abacus.cli.main import cli
from zesty_abacus.core.archive import dataset as dataset_module
from zesty_abacus.core.archive.answers import Answers
from zesty_abacus.core.archive.cuts import pieces_of
from zesty_abacus.core.archive.dataset import Dataset, decode_recording, decode_tasks, recordings_in
from zesty_abacus.core.archive.task import Failed, Task
from zesty_abacus.core.captures.registry import open_writer, read_recording
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.layouts.json_form import layouts_to_file_text
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.recipes.json_form import recipe_to_json
from zesty_abacus.core.recipes.model import Recipe
from zesty_abacus.demo.layouts import make_field

LAYOUT = new_layout(
    "Motion", Applies(address=0x2C1), 4, [make_field("speed", "B0 B1", "signed"), make_field("low", "B2 B3")]
)
DAY_NS = 86_400 * 10**9


def recording(path, frames, seed=1):
    rng = random.Random(seed)
    batch = Batch()
    for number in range(frames):
        flags = F.EXTENDED if rng.random() < 0.2 else 0
        payload = rng.randbytes(rng.choice([0, 1, 3, 4, 8]))
        batch.add(DAY_NS + number * 1_000_003, payload, rng.choice([0x2C1, 0x100, 0x7FF]), flags)
    if path.suffix == ".csv":
        write_frames(path, batch.table(), ["can0"])
        return path
    writer = open_writer(path, ["can0"])
    writer.append(batch.table())
    writer.close()
    return path


def task(path, folder):
    layouts = folder / "layouts.json"
    layouts.write_text(layouts_to_file_text([LAYOUT]))
    # a table does not say what it speaks
    recipes = (recipe_to_json(Recipe(id=UUID(int=7), name="frames")),) if path.suffix == ".csv" else ()
    return Task(str(path), "ab" * 32, path.stat().st_size, recipes, str(layouts))


def rows_of(folder):
    return sorted(map(repr, pyarrow.dataset.dataset(folder, format="parquet").to_table().to_pylist()))


@pytest.mark.parametrize("name", ["a.log", "a.pcap", "a.pcapng", "a.csv"])
@settings(max_examples=8)
@given(cut=st.integers(3000, 9000), seed=st.integers(0, 50))
def test_pieces_are_the_whole_wherever_it_is_cut(tmp_path_factory, name, cut, seed):
    folder = tmp_path_factory.mktemp("cut")
    path = recording(folder / name, 1500, seed)
    pieces = pieces_of(path, path.stat().st_size, cut)
    # of pcapng a section of 28 bytes and an interface of 20, with its name of 4 and its resolution of 1 as options
    heads = {"a.log": 0, "a.pcap": 24, "a.pcapng": 28 + 20 + 8 + 8 + 4}
    head = heads[name] if name in heads else path.read_bytes().index(b"\n") + 1
    assert len(pieces) >= path.stat().st_size // cut - 1
    assert (pieces[0].begin, pieces[-1].end) == (head, path.stat().st_size)
    assert all(one.end == other.begin for one, other in pairwise(pieces))
    data = path.read_bytes()
    (folder / "copy").mkdir()
    copied = [one.copy(path, folder / "copy").read_bytes() for one in pieces]
    assert b"".join(part[head:] for part in copied) == data[head:]
    assert all(part[:head] == data[:head] for part in copied)
    if not head:
        assert all(part.endswith(b"\n") for part in copied)


@pytest.mark.parametrize("name", ["a.log", "a.pcap", "a.pcapng", "a.csv"])
def test_a_dataset_of_pieces_is_that_of_the_whole(tmp_path, monkeypatch, name):
    path = recording(tmp_path / name, 3000)
    folders = []
    for cut in (1 << 40, 20_000):
        monkeypatch.setattr(dataset_module, "pieces_of", lambda at, size, cut=cut: pieces_of(at, size, cut))
        folder = tmp_path / f"set {cut}"
        dataset = Dataset(folder)
        dataset.begin("{}", "state")
        asked = decode_tasks([task(path, tmp_path)], str(folder), "state")
        done = [decode_recording(one) for one in asked]
        assert not [one for one in done if isinstance(one, Failed)]
        assert sum(one.frames for one in done) == 3000
        assert all(dataset.done(one) is not None for one in asked)
        folders.append((folder, asked))
    (whole, one), (cut, many) = folders
    assert len(one) == 1 and len(many) > 3
    assert rows_of(whole / "Motion") == rows_of(cut / "Motion")
    assert pq.read_table(cut / "Motion").num_rows > 0
    # what was cut elsewhere, or not at all, is taken away
    Dataset(cut).keep_only({many[0].key})
    assert [found.key for found in recordings_in(cut)] == [many[0].key]
    assert {file.stem for file in cut.rglob("*.parquet")} <= {many[0].key}


def block(kind, body, order="<"):
    size = 12 + len(body)
    return struct.pack(f"{order}II", kind, size) + body + struct.pack(f"{order}I", size)


def pcapng(*, order="<", link=227, later=b"", packets=400):
    """A file by the draft's own words: a section, an interface, packets of one CAN frame."""
    mark = block(0x0A0D0D0A, struct.pack(f"{order}IHHq", 0x1A2B3C4D, 1, 0, -1), order)
    described = block(1, struct.pack(f"{order}HHI", link, 0, 0), order)
    frame = struct.pack(">IBBBB", 0x2C1, 4, 0, 0, 0) + b"\1\2\3\4"
    one = [
        block(6, struct.pack(f"{order}IIIII", 0, 0, 1000 * number, 12, 12) + frame, order) for number in range(packets)
    ]
    return mark + described + b"".join(one[: packets // 2]) + later + b"".join(one[packets // 2 :])


@pytest.mark.parametrize("order", ["<", ">"])
def test_blocks_of_either_byte_order_are_followed(tmp_path, order):
    path = tmp_path / "a.pcapng"
    path.write_bytes(pcapng(order=order))
    pieces = pieces_of(path, path.stat().st_size, 2000)
    assert len(pieces) == path.stat().st_size // 2000 + 1
    assert {(one.begin - 48) % 44 for one in pieces} == {0}, "each begins with a packet of 44 bytes"
    whole, cut = [], []
    read_recording(path, lambda table, _lanes: whole.append(len(table)))
    for one in pieces:
        (tmp_path / str(one.number)).mkdir()
        read_recording(one.copy(path, tmp_path / str(one.number)), lambda table, _lanes: cut.append(len(table)))
    assert sum(whole) == sum(cut) == 400


@pytest.mark.parametrize(
    "data",
    [
        pcapng(later=block(1, struct.pack("<HHI", 227, 0, 0))),
        pcapng(later=block(3, struct.pack("<I", 12) + bytes(12))),
        pcapng(later=pcapng(packets=2)),
        pcapng(link=1),
        pcapng(later=b"\0" * 44),
        pcapng()[:-4],
    ],
    ids=["interface later", "packet without a time", "second section", "network", "broken", "cut off"],
)
def test_a_chain_that_pieces_would_not_understand_is_not_cut(tmp_path, data):
    path = tmp_path / "a.pcapng"
    path.write_bytes(data)
    assert pieces_of(path, len(data), 2000) == ()


@pytest.mark.parametrize("name", ["a.csv", "a.pcapng", "a.log.gz"])
def test_what_does_not_stand_for_itself_is_not_cut(tmp_path, name):
    path = tmp_path / name
    path.write_bytes(bytes(range(256)) * 400)
    assert pieces_of(path, path.stat().st_size, 1000) == ()


def test_a_small_one_is_not_cut(tmp_path):
    path = recording(tmp_path / "a.log", 50)
    assert pieces_of(path, path.stat().st_size) == ()


def test_the_command_tells_pieces_and_goes_on_where_it_was(tmp_path, tmp_path_factory, monkeypatch):
    library, runs = voyage(tmp_path_factory, "4s") / "library.sqlite", tmp_path / "runs"
    runs.mkdir()
    recording(runs / "a.log", 2000)
    assert run("archive", "add", runs, "--library", library)[0] == 0
    monkeypatch.setattr(dataset_module, "pieces_of", lambda at, size: pieces_of(at, size, 20_000))

    def decode():
        words = ["archive", "decode", "--library", library, "-o", tmp_path / "set", "--workers", "1"]
        made = CliRunner().invoke(cli, [str(word) for word in words])
        assert made.exit_code == 0, made.output
        return made

    first = decode()
    assert "decoding 1 recording in " in first.stderr and "pieces with" in first.stderr
    assert json.loads(first.stdout.splitlines()[-1]) == {"recordings": 1, "frames": 2000, "failed": []}
    files = sorted((tmp_path / "set").rglob("*.parquet"))
    gone = next(path for path in (tmp_path / "set" / "_zesty" / "done").glob("*-1.json"))
    gone.unlink()
    assert "decoding 1 recording with" in decode().stderr, "the one piece that is missing"
    assert sorted((tmp_path / "set").rglob("*.parquet")) == files
    assert "decoding 0 recordings" in decode().stderr


def test_answers_come_in_the_order_of_the_catalogue(tmp_path):
    answers = Answers(tmp_path)
    assert answers.schema is None
    for name in ("b", "a"):
        answers.put(name, pyarrow.table({"name": [name] * 3}))
    assert [table.column("name")[0].as_py() for table in answers.tables(["a", "none", "b"])] == ["a", "b"]
    assert answers.count == 6
    assert len(list(Path(tmp_path).glob("*.arrow"))) == 2


def table(path, rows, header="time_s,address,payload\n"):
    path.write_text(header + "".join(rows))
    return path


def test_a_table_is_cut_only_where_each_piece_is_the_same_table(tmp_path):
    rows = [f"{number / 100:.2f},0x{0x100 + number % 5:X},{number % 256:02x}ff\n" for number in range(3000)]
    assert len(pieces_of(table(tmp_path / "plain.csv", rows), 60_000, 8000)) > 5
    # without times rows are counted, so that each has to know of all before it
    bare = [row.partition(",")[2] for row in rows]
    assert not pieces_of(table(tmp_path / "bare.csv", bare, "address,payload\n"), 45_000, 8000)
    # a cell in quotes may go over several lines
    quoted = [*rows[:2900], '29.00,"0x100\n",00ff\n', *rows[2900:]]
    assert not pieces_of(table(tmp_path / "quoted.csv", quoted), 60_000, 8000)
    # what is guessed otherwise further down would be read otherwise there
    other = [*rows[:2000], *(row.replace(",", ";") for row in rows[2000:])]
    assert not pieces_of(table(tmp_path / "other.csv", other), 60_000, 8000)
