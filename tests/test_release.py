"""What the system is told of the program: menu, software centre, manual, changes; and what a wheel holds."""

from __future__ import annotations

import configparser
import shutil
import subprocess
import tomllib
from pathlib import Path

import lxml.etree
import pytest

from release.manpage import PAGE, manual
from zesty_abacus import __version__
from zesty_abacus.cli.main import _COMMANDS

ROOT = Path(__file__).parent.parent
RELEASE = ROOT / "release"


def test_the_manual_page_is_the_help_as_it_is():
    assert PAGE.read_text() == manual(), "./dev package writes it anew"
    for name, entry in _COMMANDS.items():
        assert (f".SS {name}" in manual()) == bool(entry.words), name


@pytest.mark.skipif(shutil.which("groff") is None, reason="groff is not installed")
def test_the_manual_page_is_set_without_a_complaint():
    done = subprocess.run(["groff", "-man", "-Tutf8", "-ww", PAGE], capture_output=True, text=True, check=True)
    assert done.stderr == "" and "Decode SOURCES with a library." in done.stdout


def test_the_menu_entry_starts_what_is_installed():
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(RELEASE / "zesty-abacus.desktop")
    said = entry["Desktop Entry"]
    assert said["Exec"].split() == ["zesty-abacus", "%F"] and said["Type"] == "Application"
    assert (ROOT / "zesty_abacus/desk/icons" / f"{said['Icon']}.svg").exists()
    kinds = lxml.etree.parse(RELEASE / "zesty-abacus.mime.xml").getroot()
    assert f"{kinds[0].get('type')};" in said["MimeType"]


def test_the_version_is_said_once():
    about = lxml.etree.parse(RELEASE / "org.zesty_abacus.Abacus.metainfo.xml").getroot()
    assert about.find("releases/release").get("version") == __version__
    assert f"\n## {__version__}\n" in (ROOT / "CHANGELOG.md").read_text()
    assert about.findtext("launchable") == "zesty-abacus.desktop"


@pytest.mark.skipif(shutil.which("desktop-file-validate") is None, reason="desktop-file-utils is not installed")
def test_the_menu_entry_is_valid():
    done = subprocess.run(["desktop-file-validate", RELEASE / "zesty-abacus.desktop"], capture_output=True, text=True)
    assert (done.returncode, done.stdout) == (0, "")


def test_a_wheel_holds_all_that_the_program_reads():
    """What is no module has to be named; ./dev package builds the wheel and uses it without the tree."""
    named = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["setuptools"]["package-data"]
    held = {path for package, patterns in named.items() for pattern in patterns
            for path in (ROOT / package.replace(".", "/")).glob(pattern) if path.is_file()}  # fmt: skip
    needed = {path for path in (ROOT / "zesty_abacus").rglob("*") if path.is_file() and path.suffix != ".py"
              and not {"__pycache__", ".cache"} & set(path.parts)}  # fmt: skip
    assert needed <= held, sorted(needed - held)
    assert sum(path.stat().st_size for path in held) < 15 << 20
