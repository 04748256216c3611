"""``zesty-abacus [TRIAL | RECORDINGS]``: open the window."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from ..core.surprise import without_passwords


@click.command(hidden=True)
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
@click.option("--demo", is_flag=True, help="Open the Yuzu trial that comes with the program.")
def window(paths: tuple[Path, ...], demo: bool) -> None:
    """Open the window on a trial, on one or several recordings, or on the last trial."""
    missing = next((path for path in paths if not path.exists()), None)
    if missing is not None:
        raise click.UsageError(f"There is no command and no file {without_passwords(str(missing))!r}.")
    from ..desk.launch import launch

    sys.exit(launch(paths, demo=demo))
