"""``handover`` on the library of the demo: the code is built, run, and read back by the program itself."""

from __future__ import annotations

import csv
import json
import re
import shutil
import socket
import subprocess
import sys
from functools import reduce
from operator import xor
from pathlib import Path

import pytest

from tests.cli.background import Background
from tests.cli.program import run
from tests.generate.compiled import STRICT, Loaded
from tests.generate.structured_text.translator import Program
from tests.live.can_kernel import needs_kernel, run_in_kernel
from tests.live.sockets import free_port

FED = {
    "Helm lever": {"every_ms": 20, "fields": {"lever port": {"random": [-5, 5]}, "lever starboard": "hook"}},
    "Hook state": {"every_ms": 50, "fields": {"pull": {"constant": 12.5}}},
}


MOVING = ["Beacon packet", "Heading sentence", "Turn sentence"]
"""Those of the demo with parts that have no fixed place."""


def handed_over(trial, folder, *more, language="c"):
    code, out, err = run("handover", language, "--library", trial, "--prefix", "yuzu", "-o", folder, *more)
    assert (code, out) == (0, ""), err
    return json.loads((folder / "manifest.json").read_text()), err


def test_the_library_of_the_demo_in_c(trial, tmp_path):
    """All of it builds without a warning and agrees with the codec, what moves, too; nothing is left out."""
    manifest, err = handed_over(trial, tmp_path / "code")
    assert manifest["language"] == "c99" and manifest["prefix"] == "yuzu" and manifest["release"] == ""
    assert set(manifest["results"]) == {"ok", "too_short", "check_failed", "other_shape", "does_not_fit", "too_long"}
    assert manifest["left_out"] == [] and "35 messages in C99" in err
    assert [one["message"] for one in manifest["messages"] if one.get("moves")] == MOVING
    sources = ["yuzu.c", "yuzu_test.c"]
    subprocess.run(["gcc", *STRICT, *sources, "-o", "tried", "-lm"], cwd=tmp_path / "code", check=True)
    done = subprocess.run(["./tried"], cwd=tmp_path / "code", capture_output=True, text=True, check=False)
    assert done.returncode == 0 and done.stdout.startswith("0 of "), done.stdout
    _, again = handed_over(trial, tmp_path / "code")
    assert "nothing changed" in again


def test_what_the_demo_recorded_is_read_by_the_code_of_it(trial, tmp_path):
    """Each heading is the number between the commas, each beacon's position is where its fields lie."""
    handed_over(trial, tmp_path, *(word for name in MOVING for word in ("--message", name)))
    command = ["gcc", *STRICT, "-shared", "-fPIC", "yuzu.c", "-o", "yuzu.so", "-lm"]
    subprocess.run(command, cwd=tmp_path, check=True)
    code = Loaded(tmp_path, tmp_path / "yuzu.so")
    rows = frames_of(trial)
    headings = [payload for _, payload in rows if payload.startswith(b"$YZHDG")]
    assert len(headings) > 5
    for payload in headings:
        result, struct = code.unpack("Heading sentence", payload)
        wanted = float(payload.split(b",")[1]) if payload.split(b",")[1] else None
        check = int(payload[payload.index(b"*") + 1 :], 16)
        agrees = reduce(xor, payload[1 : payload.index(b"*")]) == check
        assert result == ("ok" if agrees else "check_failed")
        assert wanted is None or code.value("yuzu_heading_sentence_heading", struct) == wanted
    beacons = [payload for lane, payload in rows if lane == "beacon"]
    seen = set()
    for payload in beacons:
        result, struct = code.unpack("Beacon packet", payload)
        assert result == "ok" and struct.north_raw == int.from_bytes(payload[4:8], "big", signed=True)
        extras = [struct.extras[k].extra_raw for k in range(struct.extras_count)]
        behind = 18 + (payload[16] & 0x7F if payload[16] & 0x80 else 0)
        assert extras == list(types_from(payload, behind))
        seen |= set(extras)
    assert seen >= {1, 2, 3, 4}, "nearly every case of the list came"


def test_the_example_of_the_page_compiles(trial, tmp_path):
    """What the page says in C of what moves is C, by the names that the code has."""
    handed_over(trial, tmp_path, "--message", "Beacon packet")
    page = (Path(__file__).parents[2] / "docs" / "code.md").read_text()
    (example,) = re.findall(r"```c\n(.*?)```", page, re.DOTALL)
    (tmp_path / "use.c").write_text(
        '#include "yuzu.h"\n#include <stdio.h>\nstatic void show(double value) { printf("%g\\n", value); }\n'
        f"int main(void) {{ static const uint8_t data[1] = {{0}}; const size_t size = 1U;\n{example}return 0; }}\n"
    )
    subprocess.run(["gcc", *STRICT, "use.c", "yuzu.c", "-o", "used", "-lm"], cwd=tmp_path, check=True)
    assert subprocess.run(["./used"], cwd=tmp_path, capture_output=True, check=True).stdout == b""


def frames_of(trial):
    code, out, err = run("frames", trial)
    assert code == 0, err
    return [(row["lane"], bytes.fromhex(row["payload"])) for row in csv.DictReader(out.splitlines())]


def types_from(payload, place):
    while place < len(payload):
        yield payload[place]
        place += 2 + payload[place + 1]


def test_messages_by_name_in_python(trial, tmp_path):
    manifest, _ = handed_over(trial, tmp_path, "--message", "Helm lever", "--message", "Hook state", language="python")
    assert [one["message"] for one in manifest["messages"]] == ["Helm lever", "Hook state"]
    script = (
        "import yuzu\nresult, lever = yuzu.helm_lever_unpack(bytes.fromhex('007D0000000000'))\n"
        "print(result == yuzu.OK, yuzu.helm_lever_lever_port(lever))"
    )
    done = subprocess.run([sys.executable, "-c", script], cwd=tmp_path, capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["True", "12.5"]


def test_the_library_of_the_demo_in_structured_text(trial, tmp_path):
    manifest, err = handed_over(trial, tmp_path, language="structured-text")
    assert manifest["language"] == "structured-text" and "32 messages in Structured text" in err
    assert [one["message"] for one in manifest["left_out"]] == MOVING and "Beacon packet is left out: swell" in err
    texts = [(tmp_path / name).read_text() for name in (*manifest["sources"], "yuzu_test.st")]
    program = Program(*texts)
    _, outputs = program.call("yuzu_test", {}, program.new("yuzu_test"))
    assert outputs["different"] == 0 and outputs["tried"] > 500


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("fortran",), "is no language"), (("c", "--message", "Nothing"), "no message 'Nothing'"),
        (("c", "--prefix", "Yu zu"), "no prefix"), (("c", "--node", "tcp://127.0.0.1:9"), "sends to no such endpoint"),
        (("python", "--node", "can:can0"), "no program that sends"), (("c", "--release", "none such"), "none such"),
    ],
)  # fmt: skip
def test_wrong_use_is_one_sentence_and_writes_nothing(trial, tmp_path, words, said):
    code, out, err = run("handover", *words, "--library", trial, "-o", tmp_path / "code")
    assert code in (1, 2) and out == "" and said in err and "Traceback" not in err, err
    assert not (tmp_path / "code").exists()


def test_what_somebody_wrote_is_not_replaced(trial, tmp_path):
    (tmp_path / "yuzu.c").write_text("int mine;\n")
    code, _, err = run("handover", "c", "--library", trial, "--prefix", "yuzu", "-o", tmp_path)
    assert code == 1 and "yuzu.c" in err and (tmp_path / "yuzu.c").read_text() == "int mine;\n"
    handed_over(trial, tmp_path, "--force")
    assert "Helm lever" in (tmp_path / "yuzu.c").read_text()


def fed_node(trial, folder, endpoint):
    """Make a node, feed it otherwise, write its hook by hand, and make it again."""
    only = ("--message", "Helm lever", "--message", "Hook state", "--node", endpoint)
    handed_over(trial, folder, *only)
    sources = json.loads((folder / "node.json").read_text())
    for message, told in FED.items():
        sources[message]["every_ms"] = told["every_ms"]
        sources[message]["fields"] |= told["fields"]
    (folder / "node.json").write_text(json.dumps(sources))
    handed_over(trial, folder, *only)
    hooks = folder / "yuzu_hooks.c"
    text = hooks.read_text()
    assert "double yuzu_hook_helm_lever_lever_starboard(double seconds)" in text
    hooks.write_text(text.replace("(void)seconds;\n    return 0.0;", "return seconds < 0.1 ? 1.5 : 2.5; /* by hand */"))
    manifest, err = handed_over(trial, folder, *only)
    assert "by hand" in hooks.read_text() and "nothing changed" in err and manifest["node"] == "yuzu_node"
    subprocess.run(["make", "-s", "yuzu_node"], cwd=folder, check=True)


def values_of(rows):
    said = {}
    for row in rows:
        said.setdefault((row["message"], row["field"]), []).append(row)
    return said


def test_a_node_runs_and_is_read_back(trial, tmp_path):
    port = free_port(socket.SOCK_DGRAM)
    fed_node(trial, tmp_path / "node", f"udp://127.0.0.1:{port}?form=frames")
    target = tmp_path / "heard.log"
    where = f"thruster=udp://127.0.0.1:{port}?listen=1&form=frames"
    with Background("record", where, "-o", target, ready="recording") as recording:
        subprocess.run([tmp_path / "node" / "yuzu_node", "", "0.6"], check=True)
        assert recording.end() == 0
    code, out, err = run("decode", target, "--library", trial)
    assert code == 0, err
    said = values_of(csv.DictReader(out.splitlines()))
    port_values = [float(row["value"]) for row in said["Helm lever", "lever port"]]
    assert len(port_values) in (29, 30, 31) and all(-5 <= value <= 5 for value in port_values)
    assert len(set(port_values)) > 20
    starboard = [float(row["value"]) for row in said["Helm lever", "lever starboard"]]
    assert starboard[0] == 1.5 and starboard[-1] == 2.5
    pulls = said["Hook state", "pull"]
    assert len(pulls) in (11, 12, 13) and {(row["value"], row["valid"]) for row in pulls} == {("12.5", "good")}


@needs_kernel
def test_a_node_sends_on_a_bus(trial, kernel_folder):
    fed_node(trial, kernel_folder / "node", "can:vcan0")
    shutil.copy(trial / "library.sqlite", kernel_folder)
    program = f"{sys.executable} -m zesty_abacus"
    out = run_in_kernel(
        kernel_folder,
        f"""
        {program} record thruster=can:vcan0 --for 1s -o heard.log 2>said & recording=$!
        until grep -q recording said; do sleep 0.1; done
        ./node/yuzu_node vcan0 0.4
        wait $recording
        {program} decode heard.log --library library.sqlite --where '`Hook state`.pull > 12'
        """,
        sys.executable,
    )
    rows = list(csv.DictReader(out[out.index("time_ns") :].splitlines()))
    assert len([row for row in rows if row["field"] == "pull"]) in (7, 8, 9)
    assert {row["value"] for row in rows if row["field"] == "pull"} == {"12.5"}


def test_a_hook_that_is_not_asked_for_any_more_is_kept(trial, tmp_path):
    fed_node(trial, tmp_path / "node", "can:vcan0")
    sources = json.loads((tmp_path / "node" / "node.json").read_text())
    sources["Helm lever"]["fields"]["lever starboard"] = {"constant": 1}
    (tmp_path / "node" / "node.json").write_text(json.dumps(sources))
    only = ("--message", "Helm lever", "--message", "Hook state", "--node", "can:vcan0")
    handed_over(trial, tmp_path / "node", *only)
    text = (tmp_path / "node" / "yuzu_hooks.c").read_text()
    assert "by hand" in text and text.index("#if 0") < text.index("by hand")
    subprocess.run(["make", "-s", "yuzu_node"], cwd=tmp_path / "node", check=True)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('{"Helm lever": {"every_ms": 0, "fields": {}}}', "every 0 ms"),
        ('{"Helm lever": {"fields": {"lever port": "sine"}}}', "fed with 'sine'"),
        ('{"Helm lever": {"fields": {"lever port": {}}}}', "lever port"),
        ('{"Helm lever": {"fields": {"rudder": {"constant": 1}}}}', "no field 'rudder'"),
        ('{"Nothing": {"fields": {}}}', "no message 'Nothing'"), ("[1]", "no sources of a node"),
    ],
)  # fmt: skip
def test_sources_that_say_nothing_are_refused(trial, tmp_path, text, said):
    (tmp_path / "node.json").write_text(text)
    code, _, err = run("handover", "c", "--library", trial, "--node", "can:vcan0", "-o", tmp_path)
    assert code == 2 and said in err, err
    assert [path.name for path in tmp_path.iterdir()] == ["node.json"] and (tmp_path / "node.json").read_text() == text
