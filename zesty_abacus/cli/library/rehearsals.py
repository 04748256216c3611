"""``library rehearsals``: keeps written rehearsals with everybody's layouts."""

from __future__ import annotations

from pathlib import Path

import click

from ...core.errors import DataError
from ...core.library.rehearsals import keep_rehearsal
from ...core.rehearse.steps import rehearsal_from_file, rehearsal_from_json, rehearsal_to_json
from ...core.words import counted
from ..options import output_option
from ..output import put_bytes, target_for
from ..terminal import say, say_json
from .options import AS_JSON, AUTHOR, LIBRARY, opened


@click.command()
@LIBRARY
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
@click.option("--export", "name", default="", help="Put out the rehearsal of this name as a file.")
@AUTHOR
@AS_JSON
@output_option
def rehearsals(
    where: str, files: tuple[Path, ...], name: str, author: str, as_json: bool, output: Path | None, force: bool
) -> None:
    """Keep the rehearsals in FILES; without FILES show what is kept, or put one out."""
    target = target_for(output, force, *files, where)
    fresh = [rehearsal_from_file(path) for path in files]
    with opened(where) as library:
        for rehearsal in fresh:
            text = rehearsal_to_json(rehearsal).decode()
            keep_rehearsal(library, rehearsal.name, text, author=author, note=rehearsal.note)
        found = sorted((head.state for head in library.rehearsals.heads()), key=lambda one: one.name)
    if name:
        chosen = next((one for one in found if one.name == name), None)
        if chosen is None:
            raise DataError(f"there is no rehearsal {name!r}.", where=where)
        put_bytes(chosen.text.encode(), target)
        return
    if as_json:
        say_json([{"name": one.name, "note": one.note} for one in found])
        return
    for one in found:
        steps = rehearsal_from_json(one.text.encode(), where).steps
        say(f"{one.name}: {counted(len(steps), 'step')}{f', {one.note}' if one.note else ''}")
