"""What a team does with a library on the command line."""

from __future__ import annotations

import json
import shutil
import signal
import subprocess
import sys
import tempfile
from fractions import Fraction
from pathlib import Path

import msgspec
import psycopg
import pyarrow.parquet
import pytest
from click.testing import CliRunner

from tests.library.test_shared import with_unit
from tests.library.test_store import pod
from zesty_abacus.cli.main import cli
from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.handover.writers import ORIGIN_KEY
from zesty_abacus.core.layouts.json_form import layouts_to_file_text
from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.errors import LibraryError
from zesty_abacus.core.library.passwords import type_password
from zesty_abacus.core.library.proposals import Rules
from zesty_abacus.core.library.store import Library

RUNNER = CliRunner()


def say(*words, code=0):
    """Run a command in this process and return what it printed."""
    done = RUNNER.invoke(cli, [str(word) for word in words])
    if isinstance(done.exception, AbacusError):
        raise done.exception
    assert done.exit_code == code, done.output
    return done.stdout


@pytest.fixture
def where(tmp_path):
    """A library with one layout."""
    path = tmp_path / "library.sqlite"
    made = Library.create(path, "harbour team")
    made.layouts.commit(pod(), parent=None, author="mara")
    made.close()
    return path


@pytest.fixture
def proposed(where, tmp_path):
    """A file that changes the layout of the library, and the library."""
    library = Library.open(where)
    layout = library.layouts.states()[0]
    library.close()
    file = tmp_path / "change.json"
    file.write_text(layouts_to_file_text([with_unit(layout, "rad")]))
    return where, file


def test_a_change_is_proposed_talked_about_and_agreed(proposed):
    where, file = proposed
    assert say("library", "rules", where) == "Changes are kept at once.\n"
    say("library", "rules", where, "--needed", 1, "--by", "jo", "--author", "ada")
    assert "of jo agrees" in say("library", "rules", where)
    key = say("library", "propose", where, file, "--reason", "radians", "--author", "mara").split()[0]
    say("library", "send-back", where, key, "which way round?", "--author", "jo")
    with pytest.raises(AbacusError, match="sent back"):
        say("library", "agree", where, key, "--author", "jo")


def test_agreement_keeps_the_change(proposed):
    where, file = proposed
    key = say("library", "propose", where, file, "--reason", "radians", "--author", "mara").split()[0]
    say("library", "reply", where, key, "looks right", "--author", "jo")
    shown = say("library", "proposals", where)
    assert "radians" in shown and "jo replied: looks right" in shown and "angle in rad, was deg" in shown
    with pytest.raises(AbacusError, match="of their own"):
        say("library", "agree", where, key, "--author", "mara")
    assert say("library", "agree", where, key, "--author", "jo") == "Azimuth feedback is kept.\n"
    assert say("library", "proposals", where) == ""
    (ended,) = json.loads(say("library", "proposals", where, "--all", "--json"))
    assert ended["standing"] == "kept" and [event["step"] for event in ended["events"]][-1] == "kept"
    with pytest.raises(AbacusError, match="no proposal"):
        say("library", "agree", where, "zzzz", "--author", "jo")


def test_comments(where):
    say("library", "comment", where, "azimuth FEEDBACK", "the sign is wrong", "--author", "jo")
    assert say("library", "comment", where, "Azimuth feedback").endswith("jo: the sign is wrong\n")
    (one,) = json.loads(say("library", "comment", where, "Azimuth feedback", "--json"))
    assert one["author"] == "jo" and one["text"] == "the sign is wrong"
    assert "Azimuth feedback" in say("library", "show", where, "sign is wrong")
    with pytest.raises(AbacusError, match="no layout is called"):
        say("library", "comment", where, "nobody", "x")


def test_moments(where):
    say("library", "moments", where, "hook released=the line is off", "tow begins")
    say("library", "moments", where, "tow begins=the line is tight")
    assert say("library", "moments", where) == (
        "moments: hook released = the line is off\nmoments: tow begins = the line is tight\n"
    )
    (one,) = json.loads(say("library", "moments", where, "--json"))
    assert len(one["moments"]) == 2


@pytest.fixture
def recording(tmp_path):
    path = tmp_path / "run.log"
    lines = [f"({1700000000 + n}.000000) thruster 1A1#{n:02X}01020304050607\n" for n in range(1, 6)]
    path.write_text("".join(lines))
    return path


def test_recordings_are_listed_by_what_is_in_them(where, recording):
    say("library", "recordings", where, recording)
    (one,) = json.loads(say("library", "recordings", where, "--json"))
    assert one["size"] == recording.stat().st_size and one["lanes"][0]["frames"] == 5
    assert one["first_ns"] == 1700000001 * 10**9 and one["path"] == str(recording)
    moved = recording.rename(recording.with_name("again.log"))
    say("library", "recordings", where, moved)
    (one,) = json.loads(say("library", "recordings", where, "--json"))
    assert one["name"] == "again.log", "the same file elsewhere is the same recording"


def test_releases_are_compared_on_a_recording(where, recording):
    say("library", "release", where, "run 14")
    assert "alike" in say("library", "compare", where, "run 14", "--on", recording)
    library = Library.open(where)
    (head,) = library.layouts.heads()
    field = head.state.field_named("angle")
    changed = head.state.with_field(msgspec.structs.replace(field, ratio=Fraction(3)))
    library.layouts.commit(changed, parent=head.revision.id, author="jo")
    library.close()
    told = say("library", "compare", where, "run 14", "--on", recording)
    assert "angle: otherwise in 5 of 5 frames" in told
    plain = json.loads(say("library", "compare", where, "run 14", "--on", recording, "--json"))
    assert plain["layouts"][0]["standing"] == "changed" and plain["decoded"][0]["differing"] == 5


def test_what_leaves_says_where_it_comes_from(where, recording, tmp_path):
    say("library", "release", where, "run 14")
    table = tmp_path / "out.parquet"
    say("decode", recording, "--library", where, "--release", "run 14", "--to", "parquet", "-o", table)
    inside = json.loads(pyarrow.parquet.read_schema(table).metadata[ORIGIN_KEY])
    beside = json.loads((tmp_path / "out.parquet.origin.json").read_text())
    assert inside == beside and beside["release"] == "run 14" and beside["library"] == "harbour team"
    assert beside["sources"] == ["run.log"] and beside["format"] == "zesty-abacus origin"
    say("decode", recording, "--library", where, "-o", tmp_path / "out.csv")
    assert "release" not in json.loads((tmp_path / "out.csv.origin.json").read_text())
    say("library", "export", where, "--release", "run 14", "-o", tmp_path / "out.json")
    assert json.loads((tmp_path / "out.json.origin.json").read_text())["release"] == "run 14"
    say("library", "sheet", where, "--release", "run 14", "-o", tmp_path / "out.html")
    assert "harbour team, release run 14" in (tmp_path / "out.html").read_text()


@pytest.fixture
def short_folder():
    """A folder that the server's own user may enter, with a path short enough for a socket."""
    folder = Path(tempfile.mkdtemp(prefix="zesty-"))
    folder.chmod(0o755)
    yield folder
    shutil.rmtree(folder)


def test_a_server_of_ones_own(short_folder):
    """It is made, answers, keeps what it is given, ends when it is interrupted, and goes on the next time."""
    folder = short_folder / "own"
    for number in (1, 2):
        process = subprocess.Popen(
            [sys.executable, "-m", "zesty_abacus", "library", "serve-local", str(folder)],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        try:
            address = process.stdout.readline().strip()
            assert address.startswith("postgresql://keeper@"), address or process.stderr.read()
            library = Library.open(address)
            assert library.name == "shared" and len(library.layouts.states()) == number - 1
            layout = msgspec.structs.replace(pod(), name=f"layout {number}")
            library.layouts.commit(layout, parent=None, author="mara")
            library.close()
            roles = psycopg.connect(address).execute("SELECT rolname FROM pg_roles WHERE rolname LIKE 'zesty%'")
            made = {f"zesty_{role}" for role in ("reader", "writer", "keeper", "guard")}
            assert {name for (name,) in roles.fetchall()} == made
        finally:
            process.send_signal(signal.SIGTERM)
            assert process.wait(30) == 0
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(address)


def test_each_person_has_a_login_and_agrees_to_what_others_propose(short_folder):
    people = ("--person", "mara", "--person", "jo")
    served, address = serving(short_folder / "own", *people)
    said = [served.stdout.readline().split() for _ in range(2)]
    served.terminate()
    assert served.wait(30) == 0
    assert [(who, word) for who, _, word, _ in said] == [("mara:", "password"), ("jo:", "password")]
    again, address = serving(short_folder / "own", *people)
    try:
        known = [again.stdout.readline().strip() for _ in range(2)]
        assert all("with the password that it was made with" in line for line in known)
        for line, (*_, password) in zip(known, said, strict=True):
            type_password(library_address(line.split()[1]), password)
        mara, jo = (Library.open(line.split()[1]) for line in known)
        Library.open(address).proposals.set_rules(Rules(needed=1), author="keeper")
        made = pod()
        key = mara.proposals.propose(made.id, made, parent=None, author="mara", reason="from the papers")
        with pytest.raises(LibraryError, match="jo and mara are one login here"):
            mara.proposals.agree(key, author="jo")
        assert jo.proposals.agree(key, author="jo") is True
        assert [one.name for one in jo.layouts.states()] == [made.name]
    finally:
        again.terminate()
        again.wait(30)


def test_nobody_is_called_like_the_server_itself(short_folder):
    for name in ("keeper", "zesty_writer", "pg_x", "a b", ""):
        process, address = serving(short_folder / "own", "--person", name)
        process.wait(30)
        assert process.returncode == 1 and "is no name for a login" in process.stderr.read(), (name, address)


def serving(folder, *more):
    process = subprocess.Popen(
        [sys.executable, "-m", "zesty_abacus", "library", "serve-local", str(folder), *more],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    return process, process.stdout.readline().strip()


def test_a_server_that_outlived_its_program_is_taken_over(short_folder):
    folder = short_folder / "own"
    killed, address = serving(folder)
    library = Library.open(address)
    library.layouts.commit(pod(), parent=None, author="mara")
    killed.kill()
    killed.wait(30)
    next_one, again = serving(folder)
    try:
        assert again == address, next_one.stderr.read() if not again else ""
        assert len(Library.open(again).layouts.states()) == 1
        # a third is told who serves
        third, said = serving(folder)
        assert third.wait(30) == 1 and not said and "another program serves this folder" in third.stderr.read()
    finally:
        next_one.send_signal(signal.SIGTERM)
        assert next_one.wait(30) == 0
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(address)
    library.close()


def test_claims_change_their_standing(where):
    say("library", "claim", where, "B3 counts up", "--lane", "thruster", "--address", "0x1A0", "--places", "B3",
        "--evidence", "in 400 frames", "--author", "mara")  # fmt: skip
    say("library", "claim", where, "B3 counts up", "--lane", "thruster", "--address", "416", "--places", "B3",
        "--standing", "proven", "--evidence", "its step is 1", "--author", "jo")  # fmt: skip
    shown = say("library", "claims", where)
    assert shown.startswith("proven   thruster 0x1A0 B3: B3 counts up (jo)\n") and "in 400 frames" in shown
    (one,) = json.loads(say("library", "claims", where, "--json"))
    assert one["evidence"] == ["in 400 frames", "its step is 1"] and one["address"] == 0x1A0
    say("library", "claim", where, "x", "--lane", "y", "--address", "here", code=2)
    with pytest.raises(AbacusError):
        say("library", "claim", where, "x", "--lane", "y", "--places", "B99999999")


def test_bringing_in_speaks_json_and_says_what_is_refused(proposed, tmp_path):
    where, file = proposed
    (one,) = json.loads(say("library", "import", where, file, "--json"))
    assert (one["what"], one["number"], one["changed"], one["left"]) == ("layouts", 1, 1, [])
    (again,) = json.loads(say("library", "import", where, file, "--json"))
    assert again["changed"] == 0
    say("library", "rules", where, "--needed", 1)
    library = Library.open(where)
    other = tmp_path / "other.json"
    other.write_text(layouts_to_file_text([with_unit(library.layouts.states()[0], "gon")]))
    library.close()
    with pytest.raises(AbacusError, match="only changes that others agreed to"):
        say("library", "import", where, other)
    plain = json.loads(say("library", "rules", where, "--json"))
    assert plain == {"needed": 1, "agreed_by": []}


def test_a_trial_is_decoded_with_its_release(where, recording, tmp_path):
    folder = tmp_path / "trial"
    folder.mkdir()
    trial = {"format": "zesty-abacus trial", "version": 1, "name": "quay", "library": str(where), "release": "run 14"}
    (folder / "trial.json").write_text(json.dumps(trial))
    say("library", "release", where, "run 14")
    library = Library.open(where)
    (head,) = library.layouts.heads()
    field = msgspec.structs.replace(head.state.field_named("angle"), unit="gon")
    library.layouts.commit(head.state.with_field(field), parent=head.revision.id, author="jo")
    library.close()
    assert ",deg," in say("decode", recording, "--library", folder)
    assert ",gon," in say("decode", recording, "--library", where)


def test_bringing_in_tells_who_reads_the_same(proposed, tmp_path):
    where, file = proposed
    document = json.loads(file.read_text())
    document["layouts"][0]["id"] = "5b0e0ac8-3f0c-4e4e-8a39-6c0f0b6f7a11"
    document["layouts"][0]["name"] = "Azimuth as read"
    (tmp_path / "other.json").write_text(json.dumps(document))
    done = RUNNER.invoke(cli, ["library", "import", str(where), str(tmp_path / "other.json")])
    assert done.exit_code == 0, done.output
    (told,) = [line for line in done.stderr.splitlines() if "both read" in line]
    assert "Azimuth as read and Azimuth feedback both read 0x1A1." in told
    assert "angle: unit rad in Azimuth as read, deg in Azimuth feedback" in told
