"""Loads what commands need, once; imported by the process that ``program.py`` forks."""

import contextlib
import importlib
import io
import pkgutil
import tempfile
from pathlib import Path

import zesty_abacus.cli
from zesty_abacus.cli.main import cli


def _load() -> None:
    for module in pkgutil.walk_packages(zesty_abacus.cli.__path__, "zesty_abacus.cli."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)
    for name in ("handover.long_table", "handover.wide_table", "handover.sheet_files", "exchange.registry",
                 "library.store", "trial.intake"):  # fmt: skip
        importlib.import_module(f"zesty_abacus.core.{name}")
    # kernels that ran here are loaded in whatever is forked
    with tempfile.TemporaryDirectory() as folder:
        trial, out = Path(folder) / "trial", Path(folder) / "out.csv"
        log, known = trial / "thruster.log.gz", ("--library", trial / "library.sqlite")
        for words in (
            ("demo", trial, "--length", "2s"), ("decode", log, *known, "-o", out),
            ("find", log, *known, "--where", "size == 8 or changes(at(B0))", "-o", out, "--force"),
            ("problems", log, *known, "-o", out, "--force"),
            ("frames", trial / "bilge-scl-sda.csv.gz", "--recipe", trial / "recipes.json", "-o", out, "--force"),
        ):  # fmt: skip
            with contextlib.redirect_stderr(io.StringIO()), contextlib.redirect_stdout(io.StringIO()):
                cli.main([str(word) for word in words], "zesty-abacus", standalone_mode=False)


try:
    _load()
except ImportError as error:
    # whoever loads this passes over what cannot be imported, and every command would load all of it again
    raise RuntimeError("the program cannot be loaded") from error
