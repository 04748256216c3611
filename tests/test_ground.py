"""The ground rules: core runs where there is no Qt, formats register themselves, docs are published."""

import re
import subprocess
import sys
from pathlib import Path

import zesty_abacus
from zesty_abacus.core.captures.registry import formats, line_formats
from zesty_abacus.core.errors import AbacusError, DataError, MisuseError

ROOT = Path(zesty_abacus.__file__).parent


def test_everything_below_the_desk_imports_where_qt_is_missing():
    code = (
        "import sys, importlib, pkgutil\n"
        "sys.modules['PyQt6'] = None\n"
        "import zesty_abacus.core, zesty_abacus.demo\n"
        "for package in (zesty_abacus.core, zesty_abacus.demo):\n"
        "    for module in pkgutil.walk_packages(package.__path__, package.__name__ + '.'):\n"
        "        if '.migrations.env' not in module.name: importlib.import_module(module.name)\n"
        "        print(module.name)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert len(done.stdout.splitlines()) > 40


def test_formats_register_themselves():
    assert {format_.name for format_ in formats()} >= {
        "frame table",
        "pcap",
        "pcapng",
        "SocketCAN text log",
        "timed bytes",
    }
    assert {one.name for one in line_formats()} == {"pulse lengths", "sample table", "SigMF", "VCD", "WAV"}
    assert all(format_.sniff(b"") is False for format_ in formats())


def test_every_own_error_has_the_one_root():
    def descend(kind):
        return {kind}.union(*(descend(child) for child in kind.__subclasses__()))

    everything = descend(AbacusError)
    assert len(everything) > 12
    assert all(issubclass(kind, (MisuseError, DataError)) for kind in everything - {AbacusError})
    error = DataError("size=9, expected 8.", where="a.log, line 3", hint="Mend it.")
    assert str(error) == "a.log, line 3: size=9, expected 8. Mend it."


def test_no_module_of_core_prints():
    for path in (ROOT / "core").rglob("*.py"):
        assert not re.search(r"\bprint\(", path.read_text()), path
