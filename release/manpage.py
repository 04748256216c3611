"""Writes the manual page out of the command line's own help: ``python -m release.manpage``."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import click

from zesty_abacus import __version__
from zesty_abacus.cli.main import cli

PAGE = Path(__file__).with_name("zesty-abacus.1")
_EXIT = (("0", "done"), ("1", "input that could not be read, or a rehearsal that failed"), ("2", "wrong use"),
         ("3", "find, without a hit"), ("4", "a fault of the program, with a report"),
         ("130", "interrupted"))  # fmt: skip


def manual() -> str:
    """Return the page in the language of man(7)."""
    lines = [
        f'.TH ZESTY-ABACUS 1 "" "Zesty Abacus {__version__}" "User Commands"', ".SH NAME",
        r"zesty\-abacus \- keep bit layouts, decode captures, unravel unknown fields", ".SH SYNOPSIS",
        r".B zesty\-abacus", r"[\fITRIAL\fR | \fIRECORDING\fR...]", ".br", r".B zesty\-abacus",
        r"\fICOMMAND\fR [\fIARGUMENT\fR...]", ".SH DESCRIPTION",
        "Without a command it opens the window, with a trial or with recordings.", ".SH COMMANDS",
    ]  # fmt: skip
    lines += _commands(cli, "zesty-abacus")
    lines.append(".SH EXIT STATUS")
    for code, said in _EXIT:
        lines += [".TP", f".B {code}", _text(said)]
    lines += [".SH FILES", "A library is a file of SQLite, or a database of a server; a trial is a folder.", ""]
    return "\n".join(lines)


def _commands(group: click.Group, path: str) -> Iterator[str]:
    context = click.Context(group, info_name=path)
    for name in group.list_commands(context):
        command = group.get_command(context, name)
        if command is None or name == "window":
            continue
        if isinstance(command, click.Group):
            yield from _commands(command, f"{path} {name}")
            continue
        yield from _command(command, f"{path} {name}", context)


def _command(command: click.Command, path: str, parent: click.Context) -> Iterator[str]:
    context = click.Context(command, info_name=path.rsplit(" ", 1)[1], parent=parent)
    yield f".SS {_text(path.removeprefix('zesty-abacus '))}"
    usage = " ".join(command.collect_usage_pieces(context))
    yield rf"\fB{_text(path)}\fR {_text(usage)}"
    for paragraph in (command.help or "").split("\n\n"):
        yield ".PP"
        yield _text(" ".join(paragraph.replace("\b", "").split()))
    for parameter in command.params:
        record = parameter.get_help_record(context)
        if record is not None and record[1]:
            yield from (".TP", rf"\fB{_text(record[0])}\fR", _text(record[1]))


def _text(words: str) -> str:
    """Return words that no line of the page takes for a request."""
    plain = words.replace("\\", r"\e").replace("-", r"\-")
    return rf"\&{plain}" if plain[:1] in ".'" else plain


if __name__ == "__main__":
    PAGE.write_text(manual())
    sys.stdout.write(f"{PAGE.name}\n")
