"""The doors to core are typed: a call that core does not have fails where code is checked, not where it runs."""

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
VIEW = """
from zesty_abacus.desk.app.doors import engine

def shown(layout: engine.Layout) -> list[str]:
    return [problem.sentence for problem in engine.{call}(layout)]
"""


@pytest.fixture(scope="module")
def checked(tmp_path_factory):
    """Return what the type checker says of two views: one as it should be, one with a letter missing in a call."""
    folder = tmp_path_factory.mktemp("views")
    for name, call in (("good", "check_layout"), ("bad", "chek_layout")):
        (folder / f"view_{name}.py").write_text(VIEW.format(call=call))
    # with what the check of the whole tree leaves, which goes before the tests, this takes a second instead of thirty
    command = [sys.executable, "-m", "mypy", "--config-file", str(ROOT / "pyproject.toml")]
    views = [str(folder / f"view_{name}.py") for name in ("good", "bad")]
    return subprocess.run([*command, *views], cwd=ROOT, capture_output=True, text=True).stdout


def test_a_misspelt_call_through_a_door_fails_the_type_checker(checked):
    wrong = [line for line in checked.splitlines() if "error:" in line]
    assert len(wrong) == 1 and "view_bad.py:5" in wrong[0] and "chek_layout" in wrong[0], checked


def test_the_window_stands_before_anything_heavy_is_loaded():
    """Kernels, Arrow, the database and numerics come with the first trial, on a thread of their own."""
    script = (
        "import sys\n"
        "from zesty_abacus.desk.launch import make_application, make_window\n"
        "application = make_application()\n"
        "window = make_window(empty=True)\n"
        "window.show()\n"
        "application.processEvents()\n"
        "print(sorted({'numba', 'sqlalchemy', 'pyarrow', 'scipy'} & set(sys.modules)))\n"
        "sys.stdout.flush()\n"
        "window.close()\n"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
