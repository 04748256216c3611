"""Options that commands share; nothing heavy is loaded to say what they are."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click


class LibraryName(click.ParamType):
    """A file, trial or server of a library; an empty name, as of a variable that is not set, is none."""

    name = "text"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> str:
        if not str(value).strip():
            self.fail("an empty name is no library.", param, ctx)
        return str(value)


library_option = click.option(
    "--library", "where", required=True, type=LibraryName(), help="File, trial or server of the library."
)


class FormWord(click.ParamType):
    """The word of a form of tables, one of this program or of a package that adds one.

    Parameters
    ----------
    grows
        Only of forms that take rows as they come.
    """

    name = "form"

    def __init__(self, *, grows: bool = False) -> None:
        self._grows = grows

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> str:
        # only a word that was given is looked up
        from ..core.handover.stream import growing_forms
        from ..core.handover.writers import WRITERS

        known = growing_forms() if self._grows else list(WRITERS)
        if value not in known:
            self.fail(f"{value!r} is not one of {', '.join(map(repr, known))}.", param, ctx)
        return str(value)


def table_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add ``--to``, ``-o`` and ``--force`` to a command, which gets ``output`` as a target or None."""
    command = output_option(command)
    command = click.option(
        "--as-is", is_flag=True, help="Write texts of a CSV as they are, also those that a spreadsheet would run."
    )(command)
    return click.option(
        "--to",
        "form",
        type=FormWord(),
        callback=_by_ending,
        show_default="what FILE ends in, else csv",
        help="csv, jsonl, parquet, arrow, xlsx, mat, npz.",
    )(command)


def _by_ending(ctx: click.Context, _param: click.Parameter, word: str | None) -> str:
    """Return the form that was asked for, else the one that the file's name ends in, else CSV."""
    # what was not given comes behind what was
    output = ctx.params.get("output")
    ending = "" if output is None else Path(output).suffix.removeprefix(".").lower()
    if word is not None or ending in ("", "csv"):
        return word or "csv"
    # only an ending that was given is looked up
    from ..core.handover.writers import WRITERS

    return ending if ending in WRITERS else "csv"


def chosen_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add options that choose frames, which a command gets as ``lanes``, ``begin`` and ``end``."""
    command = click.option("--until", "end", default="", help="Only frames up to so long after the first, as 20s.")(
        command
    )
    command = click.option("--from", "begin", default="", help="Only frames from so long after the first, as 10s.")(
        command
    )
    return click.option(
        "--lane", "lanes", multiple=True, help="Only frames of this lane; may be given several times."
    )(command)  # fmt: skip


def time_option(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add ``--time``, which a command gets as ``times``."""
    return click.option(
        "--time", "times", type=click.Choice(["ns", "seconds", "iso"]), default="ns", show_default=True,
        help="Times as nanoseconds since 1970 (time_ns), seconds since the start (time_s), or ISO 8601 (time).",
    )(command)  # fmt: skip


def output_option(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add ``-o`` and ``--force`` to a command; ``-`` is standard output."""
    command = FORCE(command)
    return click.option("-o", "--output", type=click.Path(path_type=Path), help="File; standard output if left out.")(
        command
    )


recipe_option = click.option(
    "--recipe",
    "recipes",
    multiple=True,
    type=click.Path(path_type=Path),
    help="File of recipes: how waves, bytes or packets become frames. The one that fits a source best is used.",
)
moments_option = click.option(
    "--moments", type=click.Path(path_type=Path), help="CSV of moments (time_ns, text) that a condition may name."
)
FORCE = click.option("--force", is_flag=True, help="Replace a file that is there.")
