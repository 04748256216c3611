"""An archive of some runs: its catalogue, its dataset, questions to all of it, processes that die."""

from __future__ import annotations

import csv
import json
import shutil
import subprocess
import sys

import msgspec
import pyarrow.dataset
import pyarrow.parquet as pq
import pytest

from tests.archive.workers import dies_always, dies_once, doubled
from tests.cli.background import Background
from tests.cli.program import run
from tests.live.sockets import free_port
from tests.voyages import voyage
from zesty_abacus.core.archive.engine import work_on
from zesty_abacus.core.archive.task import Failed
from zesty_abacus.core.handover.long_table import LONG_SCHEMA
from zesty_abacus.core.library.store import Library

RUNS = 3


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    """Runs with a bus and a wave each, a broken recording, what is none; and a library with its catalogue of them."""
    base = tmp_path_factory.mktemp("archive")
    for number in range(RUNS):
        voyage(tmp_path_factory, "4s", number).rename(base / f"trial {number}")
        folder = base / "runs" / f"run {number}"
        folder.mkdir(parents=True)
        for name in ("thruster.log.gz", "winch-load.vcd.gz"):
            shutil.copy(base / f"trial {number}" / name, folder)
    (base / "runs" / "broken.pcap").write_bytes(bytes(range(7, 207)) * 9)
    (base / "runs" / "notes.md").write_text("hello\n")
    shutil.copy(base / "trial 0" / "library.sqlite", base)
    code, _, err = run("archive", "add", base / "runs", "--library", base / "library.sqlite")
    assert code == 0 and f"{2 * RUNS + 1} recordings added" in err and "broken.pcap" in err, err
    return base


def decoded(made, folder, *more):
    code, out, err = run("archive", "decode", "--library", made / "library.sqlite", "-o", folder, *more)
    assert code == 0, err
    return json.loads(out.splitlines()[-1]), err


def rows_of(folder):
    table = pyarrow.dataset.dataset(folder).to_table()
    return sorted(map(repr, table.to_pylist()))


def singly(made, verb, *more):
    """Return what the command for one recording says of each, as dictionaries."""
    rows = []
    for path in sorted((made / "runs").glob("run */*")):
        code, out, err = run(verb, path, "--library", made / "library.sqlite", *more)
        assert code in (0, 3), err
        rows += [{**row, "recording": str(path)} for row in csv.DictReader(out.splitlines())]
    return rows


def test_the_catalogue_knows_recordings_by_their_content(made, tmp_path):
    library = Library.open(made / "library.sqlite")
    found = {one.path: one for one in library.recordings.states()}
    library.close()
    assert len(found) == 2 * RUNS + 1 and not any("notes" in path for path in found)
    log = next(one for path, one in found.items() if path.endswith("run 1/thruster.log.gz"))
    assert log.lanes[0].name == "thruster" and log.lanes[0].frames > 1000 and len(log.sha256) == 64
    (tmp_path / "again").mkdir()
    shutil.copy(made / "runs" / "run 1" / "thruster.log.gz", tmp_path / "again" / "another name.log.gz")
    code, _, err = run("archive", "add", made / "runs", tmp_path, "--library", made / "library.sqlite")
    assert code == 0 and "0 recordings added" in err
    assert run("archive", "add", tmp_path / "none", "--library", made / "library.sqlite")[0] == 1


def test_a_dataset_holds_what_decode_says_and_nothing_to_trip_over(made, tmp_path):
    said, err = decoded(made, tmp_path / "set")
    wanted = singly(made, "decode")
    table = pq.read_table(tmp_path / "set")
    assert table.schema.names == LONG_SCHEMA.names and table.num_rows == len(wanted)
    key = lambda row: (row["time_ns"], row["lane"], row["message"], row["field"], row["raw"], row["valid"])  # noqa: E731
    found = sorted(tuple(str("" if one is None else one) for one in key(row)) for row in table.to_pylist())
    assert found == sorted(key(row) for row in wanted)
    assert said["recordings"] == 2 * RUNS + 1 and "broken.pcap" in err
    assert [(one["path"].rpartition("/")[2], "/" in one["reason"]) for one in said["failed"]] == [
        ("broken.pcap", False)
    ]
    days = {path.parent.name for path in (tmp_path / "set").rglob("*.parquet")}
    assert days == {"2026-05-12"} or all(len(day) == 10 for day in days)
    assert (tmp_path / "set" / "Helm lever").is_dir()


def test_only_what_is_new_or_changed_is_done_again(made, tmp_path):
    library, runs = tmp_path / "library.sqlite", tmp_path / "runs"
    shutil.copytree(made / "runs" / "run 0", runs)
    shutil.copy(made / "trial 0" / "library.sqlite", library)

    def again():
        code, out, err = run("archive", "decode", "--library", library, "-o", tmp_path / "set", "--workers", "1")
        assert code == 0, err
        said = next(line for line in err.splitlines() if line.startswith("decoding"))
        return json.loads(out.splitlines()[-1]), said

    assert run("archive", "add", runs, "--library", library)[0] == 0
    first, said = again()
    assert "decoding 2 recordings" in said
    before = rows_of(tmp_path / "set")
    assert "decoding 0 recordings" in again()[1] and rows_of(tmp_path / "set") == before
    # another recording of the same name: the old one is not counted any more
    shutil.copy(made / "runs" / "run 1" / "thruster.log.gz", runs)
    assert run("archive", "add", runs, "--library", library)[0] == 0
    second, said = again()
    assert ("decoding 1 recording " in said and first["frames"] != second["frames"]) or second["recordings"] == 2
    assert rows_of(tmp_path / "set") != before and second["failed"] == []
    # an edit of the library: everything means something else
    opened = Library.open(library)
    head = opened.layouts.heads()[0]
    changed = msgspec.structs.replace(head.state, note="changed")
    opened.layouts.commit(changed, parent=head.revision.id, author="mara")
    opened.close()
    assert "decoding 2 recordings" in again()[1]
    # a file that is not what it was is told, and costs nothing else
    (runs / "winch-load.vcd.gz").write_bytes(b"short")
    shutil.rmtree(tmp_path / "set")
    third, _ = again()
    assert ["is not what was put" in one["reason"] for one in third["failed"]] == [True]


def test_results_do_not_depend_on_how_many_processes_there_are(made, tmp_path):
    decoded(made, tmp_path / "one", "--workers", "1")
    decoded(made, tmp_path / "three", "--workers", "3")
    assert rows_of(tmp_path / "one") == rows_of(tmp_path / "three") != []


def test_hits_problems_and_summary_are_those_of_each_recording(made):
    words = ("--library", made / "library.sqlite", "--workers", "2")
    condition = "`Helm lever`.`lever port` > 1"
    code, out, err = run("archive", "find", *words, "--where", condition)
    assert code == 0, err
    found = list(csv.DictReader(out.splitlines()))
    wanted = singly(made, "find", "--where", condition)
    assert len(found) > 10 and sorted(map(repr, found)) == sorted(map(repr, wanted))
    code, out, err = run("archive", "problems", *words)
    assert code == 0 and sorted(map(repr, csv.DictReader(out.splitlines()))) == sorted(
        map(repr, singly(made, "problems"))
    ), err
    code, out, err = run("archive", "summary", *words)
    assert code == 0, err
    rows = list(csv.DictReader(out.splitlines()))
    lever = [row for row in rows if row["field"] == "lever port"]
    assert len(lever) == RUNS and all(float(row["low"]) <= float(row["median"]) <= float(row["high"]) for row in lever)
    assert {row["message"] for row in rows if not row["field"]} > {"Helm lever", ""}


def test_unknown_bits_are_looked_at_over_all_runs(made):
    """As one capture: a bit that is still in one run and moves in another is no constant."""
    words = ("--library", made / "library.sqlite")
    code, out, err = run("archive", "unravel", *words)
    assert code == 0, err
    found = [json.loads(line) for line in out.splitlines()]
    library = Library.open(made / "library.sqlite")
    # runs of the simulator lie on one another in time, so frames of one moment stand in the order of the recordings
    paths = [
        one.path for one in sorted(library.recordings.states(), key=lambda it: (it.first_ns, it.path)) if one.lanes
    ]
    library.close()
    code, out, err = run("unravel", *paths, *words)
    assert code == 0, err
    key = lambda one: (one["lane"], one["address"], one["kind"], one.get("places", ""))  # noqa: E731
    assert sorted(map(key, found)) == sorted(key(json.loads(line)) for line in out.splitlines())
    assert len(found) > 20 and {"constant", "field"} <= {one["kind"] for one in found}
    code, out, _ = run("archive", "unravel", *words, "--only", "field", "--to", "text")
    assert code == 0 and "thruster 0x" in out and "constant" not in out


def test_nothing_found_is_3_and_nonsense_is_2(made):
    words = ("--library", made / "library.sqlite")
    assert run("archive", "find", *words, "--where", "size == 77")[0] == 3
    code, _, err = run("archive", "find", *words, "--where", "`No such field` > 2")
    assert code == 2 and "No such field" in err


def test_an_empty_catalogue_is_told(tmp_path, made):
    shutil.copy(made / "trial 1" / "library.sqlite", tmp_path)
    code, _, err = run("archive", "decode", "--library", tmp_path / "library.sqlite", "-o", tmp_path / "set")
    assert code == 1 and "catalogue is empty" in err


def test_a_process_that_dies_costs_its_piece_and_it_is_given_out_again(tmp_path):
    pieces = [(str(tmp_path), number) for number in range(7)]
    assert sorted(work_on(pieces, dies_once, str, workers=2)) == list(range(7))


def test_what_kills_every_process_is_told_and_the_others_are_done():
    found = list(work_on(list(range(5)), dies_always, str, workers=2))
    assert sorted(one for one in found if not isinstance(one, Failed)) == [0, 1, 3, 4]
    assert [one.path for one in found if isinstance(one, Failed)] == ["2"]


def test_it_is_stopped_between_pieces():
    done = []
    for one in work_on(list(range(200)), doubled, str, workers=1, is_stopped=lambda: len(done) >= 3):
        done.append(one)
    assert 3 <= len(done) < 200


@pytest.fixture
def cluster(tmp_path):
    """A scheduler and two workers of Dask, as programs of their own."""
    port = free_port()
    where = f"tcp://127.0.0.1:{port}"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    scheduler = subprocess.Popen([sys.executable, "-m", "distributed.cli.dask_scheduler", "--host", "127.0.0.1",
                                  "--port", str(port), "--no-dashboard", "--no-show"], **quiet)  # fmt: skip
    workers = [
        subprocess.Popen([sys.executable, "-m", "distributed.cli.dask_worker", where, "--nworkers", "1", "--nthreads",
                          "1", "--no-dashboard", "--local-directory", str(tmp_path / f"worker {n}")], **quiet)
        for n in range(2)
    ]  # fmt: skip
    yield where, workers
    for process in (*workers, scheduler):
        process.terminate()
    for process in (*workers, scheduler):
        process.wait(20)


def test_a_cluster_works_on_it_and_a_worker_that_is_killed_loses_nothing(made, tmp_path, cluster):
    where, workers = cluster
    words = ("archive", "decode", "--library", made / "library.sqlite", "-o", tmp_path / "set", "--scheduler", where)
    with Background(*words, ready=" of ") as command:
        workers[0].kill()
        assert command.finish(90) == 0, command.err
        said = json.loads(command.out[-1])
    decoded(made, tmp_path / "here")
    assert rows_of(tmp_path / "set") == rows_of(tmp_path / "here") and len(said["failed"]) == 1


def test_a_scheduler_that_is_not_there_is_one_sentence(made, tmp_path):
    code, _, err = run("archive", "decode", "--library", made / "library.sqlite", "-o", tmp_path / "set",
                       "--scheduler", f"tcp://127.0.0.1:{free_port()}")  # fmt: skip
    assert code == 1 and "the scheduler does not answer" in err and "Traceback" not in err
