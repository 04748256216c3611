"""The small faults that are put in to see what tests notice: each is one, in the place it names, and can be read."""

from __future__ import annotations

import ast
import difflib
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from bench.mutants.faults import ASIDE, ROOT, Fault, faults_in, sampled, set_aside
from bench.mutants.reached import Reached, beside, folders_of_tests, joined
from bench.mutants.recording import FOLDER_VARIABLE
from bench.mutants.trying import noticed

CODE = '''"""A text with 1 < 2 in it."""


def area(width: int = 3, height=4, *, round_up: bool = False) -> int:
    """Return 5 and not 6."""
    if width < height and not round_up:
        print("small", width)
        width += 1
    return max(width, height) * 2
'''
WANTED = {
    "constant off by one: 3 → 4", "constant off by one: 4 → 5", "constant off by one: 1 → 2",
    "yes for no: False → True",
    "comparison turned: width < height → width <= height", "not left out: not round_up → round_up",
    "and for or: width < height and not round_up → width < height or not round_up",
    'statement left out: print("small", width) → pass',
    """arguments swapped: print("small", width) → print(width, 'small')""",
    "statement left out: width += 1 → pass", "operator swapped: max(width, height) * 2 → max(width, height) + 2",
    "constant off by one: 2 → 3",
}  # fmt: skip


def test_every_sort_of_fault_is_found_and_no_text_is_touched(tmp_path):
    (tmp_path / "area.py").write_text(CODE)
    found = list(faults_in(Path("area.py"), tmp_path))
    assert {fault.what for fault in found} == WANTED
    for fault in found:
        ast.parse(fault.source)
        changed = [line for line in difflib.ndiff(CODE.splitlines(), fault.source.splitlines()) if line[0] in "+-"]
        assert len(changed) == 2, fault.what
        assert CODE.splitlines()[fault.line - 1] == changed[0][2:], "it names the line that it changes"


@pytest.mark.parametrize(
    ("call", "is_a_fault"),
    [
        ("min(first, last)", False), ("np.maximum(first, last)", False), ("math.gcd(first, last)", False),
        ("min(first, last, key=len)", True), ("divmod(first, last)", True), ("first.replace(last, first)", True),
    ],
)  # fmt: skip
def test_arguments_of_what_is_the_same_either_way_are_not_swapped(tmp_path, call, is_a_fault):
    (tmp_path / "one.py").write_text(f"found = {call}\n")
    assert [fault.what.partition(":")[0] for fault in faults_in(Path("one.py"), tmp_path)] == (
        ["arguments swapped"] if is_a_fault else []
    )


def test_faults_that_are_called_alike_are_told_apart_by_their_number(tmp_path):
    (tmp_path / "two.py").write_text("def up(a):\n    a += 1\n    a += 1\n    a += 2\n    return a\n")
    left_out = [fault for fault in faults_in(Path("two.py"), tmp_path) if "statement" in fault.what]
    assert [fault.name.partition(" in: ")[2] for fault in left_out] == ["a += 1 (1 of 2)", "a += 1 (2 of 2)", "a += 2"]


def test_what_is_only_claimed_or_beyond_all_figures_is_no_fault(tmp_path):
    (tmp_path / "one.py").write_text("A = zip(a, b, strict=True)\nB = go(a, deep=True)\nC = 1e9\nD = 2e7\nE = 10**9\n")
    found = [fault.what for fault in faults_in(Path("one.py"), tmp_path)]
    assert "yes for no: True → False" in found and len([one for one in found if "yes for no" in one]) == 1
    assert [one for one in found if "off by one" in one] == [
        "constant off by one: 2e7 → 20000001.0", "constant off by one: 10 → 11", "constant off by one: 9 → 10",
    ]  # fmt: skip


def test_what_a_class_is_declared_with_is_no_fault(tmp_path):
    (tmp_path / "kept.py").write_text(
        "@dataclass(frozen=True, eq=False)\nclass Kept(Base, tag=1):\n    size: int = 5\n"
    )
    assert {fault.what for fault in faults_in(Path("kept.py"), tmp_path)} == {"constant off by one: 5 → 6"}


def test_tests_elsewhere_that_import_a_file_are_run_for_it():
    found = beside(Path("zesty_abacus/core/frames/density.py"))
    assert found[0] == "tests/frames" and "tests/trial/test_growing.py" in found
    assert not any(name.startswith("tests/frames/") for name in found), "the folder has them already"


@pytest.mark.parametrize(
    ("body", "patience_s", "said"),
    [
        ("assert half(4) == 2", 60, True), ("assert half(0) == 0", 60, False),
        ("assert half(4) == 2 or sleep(9)", 2, None),
    ],
)  # fmt: skip
def test_a_fault_is_noticed_lives_or_nobody_knows(tmp_path, body, patience_s, said):
    (tmp_path / "halves.py").write_text("def half(number):\n    return number // 2\n")
    test = f"from time import sleep\nfrom halves import half\ndef test(): {body}\n"
    (tmp_path / "test_halves.py").write_text(test)
    fault = Fault(Path("halves.py"), 2, "operator swapped", "def half(number):\n    return number * 2\n")
    assert noticed(fault, ["test_halves.py"], tmp_path, patience_s) is said
    assert "//" in (tmp_path / "halves.py").read_text(), "the file is whole again"


def test_a_fault_is_in_the_function_that_its_tests_are_kept_by(tmp_path):
    (tmp_path / "in.py").write_text(
        "ONE = 1\nclass Kind:\n    TWO = 2\n    def three(self):\n        return [3 for _ in self]\n"
        "def four(at=4):\n    def five():\n        return 5\n    return five\n"
    )
    found = {fault.what[-5:]: fault.function for fault in faults_in(Path("in.py"), tmp_path)}
    assert found == {"1 → 2": "", "2 → 3": "", "3 → 4": "Kind.three", "4 → 5": "", "5 → 6": "four.<locals>.five"}


def test_a_fault_is_tried_on_the_tests_that_reach_it_those_that_run_least_else_first():
    file = "zesty_abacus/core/frames/density.py"
    direct, window, idle = "tests/a.py::direct", "tests/b.py::window", "tests/c.py::idle"
    ran = joined([
        {window: (2.0, [f"{file}:spread", f"{file}:Density.of"])}, {direct: (0.1, [f"{file}:spread"])},
        {window: (0.0, ["zesty_abacus/other.py:more"]), idle: (0.1, ["zesty_abacus/other.py:more"])},
        {"tests/gone.py::gone": (0.1, [f"{file}:spread"])},
    ])  # fmt: skip
    new = ["tests/trial/test_growing.py::new", "tests/cli/test_start.py::new"]
    seen = Reached(ran, [direct, window, idle, *new])

    def tried_on(function):
        return seen.tests_for(Fault(Path(file), 1, "", "", function=function))

    assert tried_on("spread") == [new[0], direct, window], "a new test is one of those if its file imports that file"
    assert tried_on("Density.of") == [new[0], window]
    assert tried_on("") == [new[0], direct, window], "what stands in no function is run by whoever runs one of its file"


RUN = """
import threading
from tests.cli.program import run
from zesty_abacus.core.words import counted, grouped, span_text

def test_here(): span_text(5)

def test_aside():
    thread = threading.Thread(target=lambda: counted(2, "frame"))
    thread.start()
    thread.join()

def test_a_command(): assert run("frames", "nowhere.log")[0]
"""


def test_a_compiled_function_is_tried_on_the_tests_of_those_who_call_it():
    """It runs unseen, and so does what it is called by if that is compiled."""
    file, caller = "zesty_abacus/core/unravel/checking/refuting.py", "zesty_abacus/core/unravel/checking/crc.py:solve"
    seen = Reached({"tests/a.py::one": (0.1, [caller])}, ["tests/a.py::one"])
    for function in ("could_be_crc", "_subtract", ""):
        assert seen.tests_for(Fault(Path(file), 1, "", "", function=function)) == ["tests/a.py::one"], function
    assert seen.tests_for(Fault(Path("zesty_abacus/core/words.py"), 1, "", "", function="counted")) == []


def test_what_is_only_called_alike_elsewhere_is_no_caller():
    """``crc_of`` is also a table of the bits that are stuffed into a frame, which stands in another file."""
    folder = "zesty_abacus/core"
    table, wave = f"{folder}/protocols/can_bits.py:_tables", f"{folder}/lines/can_wave.py:_run"
    seen = Reached(
        {"tests/a.py::a": (0.1, [table]), "tests/b.py::b": (0.1, [wave])}, ["tests/a.py::a", "tests/b.py::b"]
    )
    fault = Fault(Path(folder, "lines/can_bits.py"), 1, "", "", function="crc_of")
    assert seen.tests_for(fault) == ["tests/b.py::b"]


def test_what_a_test_runs_is_recorded_also_in_threads_and_in_commands(tmp_path):
    (tmp_path / "test_one.py").write_text(RUN)
    environment = {**os.environ, FOLDER_VARIABLE: str(tmp_path), "PYTHONPATH": str(ROOT)}
    command = [sys.executable, "-m", "pytest", "-q", "-c", os.devnull, "--rootdir", str(tmp_path)]
    command += ["-p", "bench.mutants.recording", str(tmp_path / "test_one.py")]
    subprocess.run(command, env=environment, check=True, stdout=subprocess.DEVNULL)
    ran = joined([json.loads(path.read_text()) for path in tmp_path.glob("*.json")])
    of_test = {test.partition("::")[2]: set(functions) for test, (_, functions) in ran.items()}
    words = "zesty_abacus/core/words.py"
    assert of_test["test_here"] == {f"{words}:span_text"}
    assert of_test["test_aside"] >= {f"{words}:counted"} and f"{words}:span_text" not in of_test["test_aside"]
    assert {"zesty_abacus/cli/main.py:main", "zesty_abacus/cli/frames.py:frames"} <= of_test["test_a_command"]


def test_what_is_set_aside_is_a_fault_that_there_is_and_has_a_reason():
    """The line that it names is still there, as it stands; another one with the same change is put in all the same."""
    named = [line.rpartition("  # ")[::2] for line in ASIDE.read_text().splitlines()]
    found = {fault.name for file in {name.partition(":")[0] for name, _ in named} for fault in faults_in(Path(file))}
    assert [name for name, reason in named if name not in found or len(reason) <= 20] == []
    assert not {fault.name for fault in sampled("zesty_abacus/core/codec", 10**6, 1)} & set(set_aside())


def test_a_sample_is_the_same_for_a_seed():
    first, again = sampled("zesty_abacus/core/expressions", 5, 3), sampled("zesty_abacus/core/expressions", 5, 3)
    assert [fault.name for fault in first] == [fault.name for fault in again] and len(first) == 5
    assert [fault.name for fault in sampled("zesty_abacus/core/expressions", 5, 4)] != [fault.name for fault in first]


@pytest.mark.parametrize(
    ("file", "folder"),
    [("zesty_abacus/core/codec/plan.py", "tests/codec"), ("zesty_abacus/core/lines/spi.py", "tests/lines"),
     ("zesty_abacus/desk/widgets/rod.py", "tests/desk"), ("zesty_abacus/cli/find.py", "tests/cli"),
     ("zesty_abacus/core/errors.py", "tests")],
)  # fmt: skip
def test_the_folders_of_tests_a_file_are_those_of_its_folder(file, folder):
    assert folders_of_tests(Path(file)) == [folder]
