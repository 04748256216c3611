"""``zesty-abacus handover``: code from layouts."""

from __future__ import annotations

from pathlib import Path

import click

from ..core.errors import MisuseError
from ..core.words import counted
from .options import FORCE, library_option
from .terminal import say


@click.command()
@click.argument("language", metavar="c|python|structured-text")
@library_option
@click.option("--release", default="", help="A release of the library; the newest state if left out.")
@click.option("--message", "messages", multiple=True, help="Name of a message; all if left out.")
@click.option("--prefix", default="", help="In front of every symbol; made of the library's name if left out.")
@click.option("--node", "endpoint", default="", help="Add a program that sends to can:IF or udp://HOST:PORT.")
@click.option("-o", "--output", "folder", type=click.Path(path_type=Path), required=True, help="Folder of the code.")
@FORCE
def handover(
    language: str, where: str, release: str, messages: tuple[str, ...], prefix: str, endpoint: str, folder: Path,
    force: bool,
) -> None:  # fmt: skip
    """Make code of layouts in FOLDER: what unpacks and packs each message, and a manifest.json of what there is.

    What decoding gives the code gives, too; a message that the language does not carry is left out and told. Code that
    was made before is replaced, a file of anybody else is not.

    With --node a program lies beside it that sends each message again and again; node.json in FOLDER says how often,
    and what each field is fed with: {"constant": 1}, {"random": [0, 5]} or "hook", a function that you write.
    """
    from ..core.generate.folder import sources_in, write_folder
    from ..core.generate.languages.registry import language_named
    from ..core.generate.node import Link
    from ..core.generate.project import Project
    from .asking import layouts_of

    spoken = language_named(language)
    if endpoint and not spoken.has_nodes:
        raise MisuseError(f"{spoken.title} has no program that sends.", hint="Take c, or leave out --node.")
    layouts, origin = layouts_of(where, release, ())
    assert origin is not None, "there is a library"
    link, sources = (Link.parse(endpoint), sources_in(folder)) if endpoint else (None, None)
    made = spoken.make(Project.of(layouts, origin, messages=messages, prefix=prefix, link=link, sources=sources))
    changed = write_folder(folder, made, replace=force)
    for one in made.manifest.left_out:
        say(f"zesty-abacus: {one.message} is left out: {one.reason}", err=True)
    files = f"{counted(len(changed), 'file')} changed" if changed else "nothing changed"
    say(f"zesty-abacus: {counted(len(made.manifest.messages), 'message')} in {spoken.title}, {files}", err=True)
