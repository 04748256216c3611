"""``zesty-abacus demo``: simulate a Yuzu trial of any length."""

from __future__ import annotations

import re
from pathlib import Path

import click

_UNITS = {"": 1.0, "s": 1.0, "min": 60.0, "h": 3600.0}


class Length(click.ParamType):
    """A length of time such as ``60s``, ``10min`` or ``2h``, in seconds."""

    name = "length"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> float:
        if isinstance(value, float):
            return value
        match = re.fullmatch(r"(\d+(?:\.\d+)?)\s*(s|min|h|)", str(value))
        if match is None:
            self.fail(f"{value!r} is not a length such as 60s, 10min or 2h.", param, ctx)
        return float(match[1]) * _UNITS[match[2]]


@click.command()
@click.argument("folder", type=click.Path(path_type=Path))
@click.option("--length", type=Length(), default=None, show_default="2min", help="Such as 60s, 10min, 2h.")
@click.option("--seed", type=click.IntRange(0, 2**31), default=None, show_default="that of the demo")
def demo(folder: Path, length: float | None, seed: int | None) -> None:
    """Simulate a sea trial of the tug Yuzu into FOLDER: recordings, reference, moments, library."""
    from ..core.trial.trial import Trial, TrialError
    from ..demo.trial import DEFAULT_SEED, SHIPPED_LENGTH_S, make_library, write_trial

    if folder.is_dir() and any(folder.iterdir()):
        raise TrialError("the folder is not empty, and nothing in it is written over.", where=str(folder),
                         hint="Name a new folder.")  # fmt: skip
    write_trial(folder, SHIPPED_LENGTH_S if length is None else length, DEFAULT_SEED if seed is None else seed)
    make_library(Trial.open(folder)).close()
