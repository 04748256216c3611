"""``zesty-abacus [TRIAL]``: open the window."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from ..desk.launch import launch


@click.command(hidden=True)
@click.argument("trial", required=False, type=click.Path(path_type=Path))
@click.option("--demo", is_flag=True, help="Open the Yuzu trial that comes with the program.")
def window(trial: Path | None, demo: bool) -> None:
    """Open the window on TRIAL, a recording, or the last trial."""
    sys.exit(launch(trial, demo=demo))
