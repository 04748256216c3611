"""The ``zesty-abacus`` command.

Sub-commands are imported only when they are called, so that the window opens without waiting for them.
"""

from __future__ import annotations

import importlib
import sys

import click

from .. import __version__
from ..core.errors import AbacusError, MisuseError
from ..core.surprise import command_line, words_of, write_report
from ..desk.app.settings import reports_folder
from .terminal import say

_COMMANDS = {
    "frames": "frames:frames",
    "recipe": "recipe:recipe",
    "decode": "decode:decode",
    "encode": "encode:encode",
    "library": "library:library",
    "demo": "demo:demo",
    "window": "window:window",
}


class LazyGroup(click.Group):
    """A group whose commands are imported by name; a first word that is no command is a trial to open."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        module, attribute = _COMMANDS[cmd_name].split(":")
        return getattr(importlib.import_module(f"{__package__}.{module}"), attribute)

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        own = {"--help", "--version", "-h"}
        if not args or (args[0] not in _COMMANDS and args[0] not in own):
            args = ["window", *args]
        return super().parse_args(ctx, args)


@click.group(cls=LazyGroup, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="zesty-abacus")
def cli() -> None:
    """Keep bit layouts, decode captures, unravel unknown fields.

    Without a command it opens the window: zesty-abacus [TRIAL], zesty-abacus RECORDING..., or
    zesty-abacus --demo.
    """


def main() -> None:
    """Run the command and turn errors into one sentence and an exit code.

    0 for success, 1 for input that could not be read, 2 for wrong use, 4 for a fault of the program's own, 130 when
    interrupted.
    """
    try:
        code = cli.main(prog_name="zesty-abacus", standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except click.ClickException as error:
        say(f"zesty-abacus: {error.format_message()}{_where_help_is(error)}", err=True)
        sys.exit(2)
    except MisuseError as error:
        say(f"zesty-abacus: {error}", err=True)
        sys.exit(2)
    except AbacusError as error:
        say(f"zesty-abacus: {error}", err=True)
        sys.exit(1)
    except BrokenPipeError:
        # whoever read the output has enough; nothing more can be written, not even at exit
        sys.stderr.close()
        sys.exit(0)
    except (KeyboardInterrupt, click.Abort):
        say("zesty-abacus: interrupted.", err=True)
        sys.exit(130)
    except Exception as error:
        report = write_report(error, reports_folder(), __version__, command_line())
        say(f"zesty-abacus: {words_of(error, report)}", err=True)
        sys.exit(4)


def _where_help_is(error: click.ClickException) -> str:
    if not isinstance(error, click.UsageError) or error.ctx is None:
        return ""
    return f" See {error.ctx.command_path} --help."
