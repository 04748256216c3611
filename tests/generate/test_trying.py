"""Code that is tried where it was written: what is said of it when it is right, wrong, broken, or not to be tried."""

from __future__ import annotations

import shutil
import subprocess

import pytest

from zesty_abacus.core.generate import trying
from zesty_abacus.core.generate.manifest import Manifest

needs_compiler = pytest.mark.skipif(shutil.which("cc") is None, reason="there is no C compiler here")
GOOD_C = "int half(int number);\nint half(int number) {{ {0}return number / 2; }}\n"
TEST_C = """
#include <stdio.h>
int half(int number);
int main(void) {{ printf("%d of 1234 differ\\nfirst: {0}\\n", half({0}) - 2); return 0; }}
"""


def manifest(language, source):
    return Manifest(language=language, library="l", release="", revision=1, prefix="tug", headers=(),
                    sources=(source,), results={}, messages=(), left_out=())  # fmt: skip


def tried_c(folder, code, test):
    (folder / "tug.c").write_text(code)
    (folder / "tug_test.c").write_text(test)
    return trying.try_code(folder, manifest("c99", "tug.c"))


@needs_compiler
def test_c_is_compiled_strictly_and_says_how_many_were_alike(tmp_path):
    good = tried_c(tmp_path, GOOD_C.format(""), TEST_C.format(4))
    assert good.is_good is True and good.words.startswith("Compiled without a warning by ")
    assert good.words.endswith("; 1\u2009234 comparisons with decoding, all alike.")
    wrong = tried_c(tmp_path, GOOD_C.format(""), TEST_C.format(10))
    assert wrong.is_good is False and wrong.words.endswith("; 3 of 1\u2009234 comparisons with decoding differ.")
    assert "first: 10" in wrong.details


@needs_compiler
@pytest.mark.parametrize("code", [GOOD_C.format("long unused = 1; "), "int half(int number) { return numbr; }"])
def test_what_does_not_compile_or_has_a_warning_is_told_with_what_the_compiler_says(tmp_path, code):
    broken = tried_c(tmp_path, code, TEST_C.format(4))
    assert (broken.is_good, broken.words) == (False, "It does not compile.")
    assert any("tug.c" in line for line in broken.details)


@needs_compiler
def test_c_that_ends_without_a_word_does_not_run(tmp_path):
    died = tried_c(tmp_path, GOOD_C.format(""), "#include <stdlib.h>\nint main(void) { abort(); }")
    assert (died.is_good, died.words) == (False, "It does not run.")


def test_without_a_compiler_nobody_says_that_it_is_right(tmp_path, monkeypatch):
    monkeypatch.setattr(shutil, "which", lambda _name: None)
    said = tried_c(tmp_path, GOOD_C.format(""), TEST_C.format(4))
    assert (said.is_good, said.words) == (None, "There is no C compiler here, so it is written and not tried.")


@pytest.mark.parametrize(
    ("tests", "is_good", "words", "details"),
    [
        ("def test_a(): assert half(4) == 2", True, "1 message compared with decoding, all alike.", ()),
        ("def test_a(): assert half(4) == 2\ndef test_b(): assert half(4) == 3", False,
         "1 of 2 messages compared with decoding differ.", ("1 of 2 differ", "test_b")),
    ],
)  # fmt: skip
def test_python_says_which_message_differs(tmp_path, tests, is_good, words, details):
    (tmp_path / "tug.py").write_text("def half(number):\n    return number // 2\n")
    (tmp_path / "test_tug.py").write_text(f"from tug import half\n{tests}\n")
    found = trying.try_code(tmp_path, manifest("python", "tug.py"))
    assert (found.is_good, found.words, found.details) == (is_good, words, details)
    assert not (tmp_path / "__pycache__").exists()


def test_python_that_cannot_be_imported_does_not_run(tmp_path):
    (tmp_path / "test_tug.py").write_text("import nothing_of_the_kind\n")
    found = trying.try_code(tmp_path, manifest("python", "tug.py"))
    assert (found.is_good, found.words) == (False, "It does not run.")
    assert any("nothing_of_the_kind" in line for line in found.details)


def test_what_takes_too_long_is_told_and_what_runs_on_a_controller_is_not_tried(tmp_path, monkeypatch):
    def late(*_words, **_how):
        raise subprocess.TimeoutExpired("tug", 300)

    monkeypatch.setattr(subprocess, "run", late)
    assert trying.try_code(tmp_path, manifest("python", "tug.py")).words == "It was not done within 300 s."
    elsewhere = trying.try_code(tmp_path, manifest("iec61131", "tug.st"))
    assert elsewhere.is_good is None and elsewhere.words.startswith("It runs on a controller")
