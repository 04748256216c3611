"""Loads what commands need, once; imported by the process that ``program.py`` forks."""

import importlib
import os
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
    # the first kernel that runs makes the compiler load its registries
    with tempfile.TemporaryDirectory() as folder:
        log = Path(folder) / "a.log"
        log.write_text("(1.0) can0 100#00\n")
        cli.main(["frames", str(log), "-o", os.devnull, "--force"], "zesty-abacus", standalone_mode=False)


try:
    _load()
except ImportError as error:
    # whoever loads this passes over what cannot be imported, and every command would load all of it again
    raise RuntimeError("the program cannot be loaded") from error
