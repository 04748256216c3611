"""A trial as one file: what goes along, what stays, what comes home, and what is not believed."""

from __future__ import annotations

import hashlib
import json
import zipfile

import msgspec
import pytest

from tests.cli.program import run
from tests.voyages import voyage
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.files.errors import FileError
from zesty_abacus.core.files.writing import Target
from zesty_abacus.core.handover.chunks import Span
from zesty_abacus.core.handover.frame_table import frame_table
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync
from zesty_abacus.core.library.taking_along import Along
from zesty_abacus.core.progress import Cancelled, Progress
from zesty_abacus.core.trial.intake import open_trial_capture
from zesty_abacus.core.trial.packed import is_packed
from zesty_abacus.core.trial.packing import Packing, pack
from zesty_abacus.core.trial.trial import Trial
from zesty_abacus.core.trial.unpacking import PackedError, look_into, unpack, unpacked_beside


@pytest.fixture(scope="module")
def shipped(tmp_path_factory):
    return voyage(tmp_path_factory, "6s")


@pytest.fixture
def made(shipped, tmp_path):
    """Pack the trial with some choices; return the file."""
    trial = Trial.open(shipped)
    brought = open_trial_capture(trial)

    def packed(name="yuzu.ztrial", **choices):
        library = Library.open(trial.library_address)
        along = Along(**{key: choices.pop(key) for key in ("release", "messages", "notes", "people") if key in choices})
        try:
            pack(trial, brought, library, Target(tmp_path / name), Packing(**choices, along=along))
        finally:
            library.close()
        return tmp_path / name

    packed.brought, packed.capture, packed.trial = brought, brought.capture, trial
    return packed


def rows(capture, span=None, kinds=None):
    return [row for block in frame_table(capture, span, kinds) for table in block.tables() for row in table.to_pylist()]


def test_it_is_the_same_trial_elsewhere(made, tmp_path):
    file = made()
    assert is_packed(file)
    trial = unpack(file, tmp_path / "there")
    assert not trial.outside() and trial.file.library == "library.sqlite"
    assert rows(open_trial_capture(trial).capture) == rows(made.capture)
    home, copy = Library.open(made.trial.library_address), Library.open(trial.library_address)
    assert {one.id: one for one in copy.layouts.states()} == {one.id: one for one in home.layouts.states()}
    for shelf in ("recipes", "claims", "conditions", "moments", "rehearsals"):
        there, here = ({one.id: one for one in getattr(library, shelf).states()} for library in (copy, home))
        assert there == here, shelf
    assert trial.file.moments == made.trial.file.moments and trial.file.ties == made.trial.file.ties
    home.close(), copy.close()


def test_a_stretch_of_lanes_of_frames_goes_as_frames(made, tmp_path):
    start = made.capture.origin_ns
    first, last = start + 1_000_000_000, start + 2_500_000_000
    file = made(first_ns=first, last_ns=last, lanes=frozenset({"thruster", "shore"}))
    about = look_into(file)
    assert [said.split(":")[0] for said in about.left_out] == [
        "Recordings",
        "Lanes",
        "Frames",
    ]
    found = open_trial_capture(unpack(file, tmp_path / "there")).capture
    wanted = [
        row for row in rows(made.capture, Span.of(made.capture, first, last)) if row["lane"] in ("thruster", "shore")
    ]
    assert rows(found) == wanted and len(wanted) > 100
    protocols = {lane.name: lane.protocol for lane in made.capture.lanes}
    assert {lane.name: lane.protocol for lane in found.lanes} == {
        name: protocols[name] for name in ("thruster", "shore")
    }


@pytest.fixture(scope="module")
def long_run(tmp_path_factory):
    """A trip on which every lane is heard."""
    trial = Trial.open(voyage(tmp_path_factory, "40s"))
    return trial, open_trial_capture(trial)


def of_stretch(long_run, tmp_path, first_ns, last_ns):
    """Pack a stretch; return what it says of itself, what is brought in of it there, and the rows that belong to it."""
    trial, brought = long_run
    library, target = Library.open(trial.library_address), Target(tmp_path / "stretch.ztrial")
    about = pack(trial, brought, library, target, Packing(first_ns, last_ns))
    library.close()
    there = open_trial_capture(unpack(target.path, tmp_path / "there"))
    return about, there, rows(brought.capture, Span.of(brought.capture, first_ns, last_ns))


def by_lane(listed):
    lanes = {}
    for row in listed:
        lanes.setdefault(row["lane"], []).append(row)
    return lanes


WAVES = {"deck": 0, "winch": 0, "pendant": 4 * 8000, "beacon": 4 * 45_352}
"""How far moments may be off in ns: of what was recorded as changes not at all, else four samples."""


def test_waves_of_a_stretch_go_along_and_are_read_there_as_here(long_run, tmp_path):
    start = long_run[1].capture.origin_ns
    about, there, wanted = of_stretch(long_run, tmp_path, start + 5 * 10**9, start + 38 * 10**9)
    assert [said.split(":")[0] for said in about.left_out] == ["Recordings", "Frames"]
    assert {outcome.lanes[0] for outcome in there.outcomes if outcome.holds == "lines"} == set(WAVES)
    found, wanted = by_lane(rows(there.capture)), by_lane(wanted)
    assert set(found) == set(wanted)
    for lane, listed in wanted.items():
        times = zip((row.pop("time_ns") for row in found[lane]), (row.pop("time_ns") for row in listed), strict=True)
        assert max(abs(one - other) for one, other in times) <= WAVES.get(lane, 0), lane
        assert found[lane] == listed, lane


def test_a_wave_that_would_be_read_otherwise_stays_and_its_frames_go(long_run, tmp_path):
    """What answers a question before the stretch would be a question there."""
    brought = long_run[1]
    deck = [row for row in rows(brought.capture) if row["lane"] == "deck" and "answer" in str(row["flags"])]
    first = deck[10]["time_ns"]
    about, there, wanted = of_stretch(long_run, tmp_path, first, first + 10**9)
    assert about.left_out[0].startswith("Waves of deck: cut out they would not be read the same")
    assert by_lane(rows(there.capture))["deck"] == by_lane(wanted)["deck"]
    holds = {outcome.lanes[0]: outcome.holds for outcome in there.outcomes if outcome.lanes}
    assert holds["deck"] == "frames" and holds["winch"] == "lines"


def test_what_was_worked_out_there_comes_home(made, tmp_path):
    """The supplier renames a field while at home another message changes: both are kept."""
    trial = unpack(made(), tmp_path / "there")
    copy = Library.open(trial.library_address)
    head = next(one for one in copy.layouts.heads() if one.state.name == "Helm lever")
    renamed = msgspec.structs.replace(head.state, note="seen at the supplier's")
    copy.layouts.commit(renamed, parent=head.revision.id, author="supplier", reason="seen on their bench")
    home = Library.open(made.trial.library_address)
    other = next(one for one in home.layouts.heads() if one.state.name == "Motor heat")
    home.layouts.commit(msgspec.structs.replace(other.state, note="at home"), parent=other.revision.id, author="mara")
    report = sync(copy, home, author="mara")
    assert report.given == ["Helm lever"] and report.taken == ["Motor heat"] and not report.clashed
    assert next(one for one in home.layouts.states() if one.name == "Helm lever").note == "seen at the supplier's"
    again = sync(copy, home, author="mara")
    assert not again.given and not again.taken
    home.close(), copy.close()


def test_a_release_goes_along_with_what_is_newer(made, shipped, tmp_path):
    home = Library.open(made.trial.library_address)
    home.releases.make("run 14", author="mara")
    head = next(one for one in home.layouts.heads() if one.state.name == "Pod status")
    home.layouts.commit(msgspec.structs.replace(head.state, note="newer"), parent=head.revision.id, author="mara")
    released = {one.id: one for one in home.layouts.of_release("run 14")}
    trial = unpack(made(release="run 14"), tmp_path / "there")
    copy = Library.open(trial.library_address)
    assert trial.file.release == "run 14"
    assert {one.id: one for one in copy.layouts.of_release("run 14")} == released
    assert next(one for one in copy.layouts.states() if one.name == "Pod status").note == "newer"
    report = sync(copy, home, author="mara")
    assert not report.given and not report.taken and not report.clashed, "home has all of it"
    home.close(), copy.close()


def test_what_is_not_to_leave_is_left_out(made, tmp_path):
    file = made(messages=frozenset({"Helm lever"}), notes=False, people=False)
    about = look_into(file)
    assert not about.is_working_copy and about.messages == 1
    assert [said.split(",")[0].split(":")[0] for said in about.left_out] == ["Messages", "Notes", "The names of people"]
    trial = unpack(file, tmp_path / "there")
    copy = Library.open(trial.library_address)
    (layout,) = copy.layouts.states()
    assert layout.note == "" and all(field.note == "" for field in layout.fields) and not copy.comments.states()
    assert {revision.author for revision in copy.layouts.history(layout.id)} == {"packed"}
    copy.close()
    everything = b"".join(
        path.read_bytes() for path in (tmp_path / "there").rglob("*") if path.suffix in (".sqlite", ".json")
    )
    home = Library.open(made.trial.library_address)
    notes = {field.note for one in home.layouts.states() for field in one.fields if len(field.note) > 8}
    people = {head.revision.author for head in home.layouts.heads()} - {"packed"}
    home.close()
    assert people and not [name for name in people | notes if name.encode() in everything]


def test_a_layout_that_others_carry_goes_along(made, tmp_path):
    trial = unpack(made(messages=frozenset({"Beacon packet"})), tmp_path / "there")
    copy = Library.open(trial.library_address)
    assert {one.name for one in copy.layouts.states()} == {"Beacon packet", "Heading sentence"}
    copy.close()


@pytest.mark.parametrize(
    ("choices", "said"),
    [({"lanes": frozenset({"galley"})}, "there is no lane 'galley'"),
     ({"messages": frozenset({"Nothing"})}, "there is no message 'Nothing'")],
)  # fmt: skip
def test_a_choice_that_is_none_is_told_and_nothing_is_written(made, tmp_path, choices, said):
    with pytest.raises(MisuseError, match=said):
        made(**choices)
    assert not (tmp_path / "yuzu.ztrial").exists()


def test_it_never_replaces_by_itself_and_leaves_nothing_when_it_is_cancelled(made, tmp_path):
    (tmp_path / "yuzu.ztrial").write_bytes(b"mine")
    with pytest.raises(FileError):
        made()
    assert (tmp_path / "yuzu.ztrial").read_bytes() == b"mine"
    library = Library.open(made.trial.library_address)
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        pack(made.trial, made.brought, library, Target(tmp_path / "other.ztrial"), progress=progress)
    library.close()
    assert not (tmp_path / "other.ztrial").exists()


def test_unpacked_twice_it_is_opened_and_somebody_elses_folder_stays(made, tmp_path):
    file = made("trip.ztrial")
    first = unpacked_beside(file)
    assert first.folder == tmp_path / "trip" and unpacked_beside(file).folder == first.folder
    other = made("harbour.ztrial")
    (tmp_path / "harbour").mkdir()
    assert unpacked_beside(other).folder == tmp_path / "harbour 2"
    with pytest.raises(PackedError, match="something here already"):
        unpack(file, tmp_path / "trip")


def rewritten(file, target, change):
    """Write the archive again with its entries changed."""
    with zipfile.ZipFile(file) as before, zipfile.ZipFile(target, "w") as after:
        held = {name: before.read(name) for name in before.namelist()}
        for name, content in change(held).items():
            after.writestr(name, content)
    return target


def _about(held, **said):
    about = json.loads(held["pack.json"])
    return held | {"pack.json": json.dumps(about | said).encode()}


def _renamed(held, name):
    about = json.loads(held["pack.json"])
    about["files"][0]["name"] = name
    return held | {
        "pack.json": json.dumps(about).encode(),
        name: held[json.loads(held["pack.json"])["files"][0]["name"]],
    }


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda held: {name: content for name, content in held.items() if name != "pack.json"}, "no packed trial"),
        (lambda held: _about(held, format="zesty-abacus trial"), "expected 'zesty-abacus packed trial'"),
        (lambda held: _about(held, version=99), "version=99"),
        (lambda held: _about(held, files=[]), "has no trial in it"),
        (lambda held: _about(held, more=1), "no packed trial"),
        (lambda held: _renamed(held, "../out.csv"), "which is not inside it"),
        (lambda held: _renamed(held, "/srv/out.csv"), "which is not inside it"),
        (lambda held: _renamed(held, "a\\..\\out.csv"), "which is not inside it"),
        (lambda held: held | {"recordings/thruster.log.gz": b"another one"}, "is damaged"),
        (lambda held: {name: content for name, content in held.items() if "thruster" not in name}, "is not in it"),
    ],
)  # fmt: skip
def test_what_was_tampered_with_is_refused_and_nothing_is_left(made, tmp_path, change, said):
    broken = rewritten(made(), tmp_path / "broken.ztrial", change)
    with pytest.raises(PackedError, match=said):
        unpack(broken, tmp_path / "there")
    assert not (tmp_path / "there").exists() and not (tmp_path / "out.csv").exists()


def test_a_trial_inside_that_reads_a_file_outside_is_refused(made, tmp_path):
    """The hashes are right, whoever made it meant it so."""

    def change(held):
        trial = json.loads(held["trial.json"])
        trial["references"] = ["/etc/hostname"]
        content = json.dumps(trial).encode()
        about = json.loads(held["pack.json"])
        for file in about["files"]:
            if file["name"] == "trial.json":
                file |= {"size": len(content), "sha256": hashlib.sha256(content).hexdigest()}
        return held | {"trial.json": content, "pack.json": json.dumps(about).encode()}

    with pytest.raises(PackedError, match="reads /etc/hostname"):
        unpack(rewritten(made(), tmp_path / "broken.ztrial", change), tmp_path / "there")
    assert not (tmp_path / "there").exists()


@pytest.mark.parametrize("content", [b"", b"PK\x03\x04 not a zip", b"\0" * 500])
def test_what_is_no_archive_is_said(tmp_path, content):
    (tmp_path / "x.ztrial").write_bytes(content)
    with pytest.raises(PackedError, match="no packed trial"):
        look_into(tmp_path / "x.ztrial")


def test_a_folder_that_cannot_be_made_is_named(made, tmp_path):
    file = made()
    (tmp_path / "file").write_text("no folder")
    with pytest.raises(FileError) as told:
        unpack(file, tmp_path / "file" / "there")
    assert told.value.message == "the folder cannot be made (Not a directory)."
    assert told.value.where == str(tmp_path / "file" / "there") and (tmp_path / "file").read_text() == "no folder"


def test_from_the_command_line(shipped, tmp_path):
    code, out, err = run(
        "pack", shipped, "-o", tmp_path / "a.ztrial", "--from", "1s", "--to", "2s", "--without", "people"
    )
    assert (code, out) == (0, "") and "left out: The names of people" in err
    code, _, err = run("unpack", tmp_path / "a.ztrial")
    assert code == 0 and "Yuzu sea trial" in err
    code, out, _ = run("decode", tmp_path / "a", "--library", tmp_path / "a")
    assert code == 0 and out.count("\n") > 100
    assert run("pack", shipped, "-o", tmp_path / "a.ztrial")[0] == 1
    assert run("pack", shipped, "-o", tmp_path / "b.ztrial", "--from", "soon")[0] == 2
    assert run("unpack", shipped / "thruster.log.gz", tmp_path / "c")[0] == 1
