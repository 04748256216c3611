"""The ``zesty-abacus`` command.

Commands are imported only when they are called, and what a command needs only when it runs: the window opens without
waiting for them, and help and wrong use answer at once.
"""

from __future__ import annotations

import gc
import sys
from pathlib import Path

import click

from .. import __version__
from ..core.errors import AbacusError, MisuseError
from ..core.files.errors import ExistsError
from ..core.surprise import command_line, words_of, write_report
from .groups import Entry, LazyGroup
from .terminal import say, say_error

_COMMANDS = {
    "frames": Entry(".frames:frames", "Put out the frames of recordings, or of a trial, in order of time."),
    "recipe": Entry(".recipe:recipe", "Measure how a recording may be read and put out the best recipe."),
    "find": Entry(".find:find", "Put out the frames in which a condition holds."),
    "unravel": Entry(".unravel:unravel", "Put out what the bits of unknown messages are."),
    "problems": Entry(".problems:problems", "Put out what is wrong in recordings: gaps, checks, values and more."),
    "exchanges": Entry(".exchanges:exchanges", "Put out requests with what came back and how long it took."),
    "beside": Entry(".beside:beside", "Compare one message on several lanes, or several messages."),
    "decode": Entry(".decode:decode", "Decode recordings, or a trial, with a library."),
    "encode": Entry(".encode:encode", "Encode a message from values and print its bytes."),
    "record": Entry(".record:record", "Record what buses and sockets receive."),
    "scan": Entry(".scan:scan", "Ask who answers on a Modbus line, and what they have."),
    "send": Entry(".send:send", "Send a message, once or again and again."),
    "replay": Entry(".replay:replay", "Send the frames of recordings again, with their distances in time."),
    "poll": Entry(".poll:poll", "Poll the registers of a Modbus device as decoded values."),
    "device": Entry(".device:device", "Serve the registers of a map, as a Modbus device."),
    "rehearse": Entry(".rehearse:rehearse", "Run a written rehearsal that passes or fails."),
    "wave": Entry(".wave:wave", "Write frames as the waves that a recipe reads as them."),
    "handover": Entry(".handover:handover", "Make code of layouts: C, Python, structured text."),
    "archive": Entry(".archive:archive", "Keep a catalogue of many recordings, decode and ask them at once."),
    "report": Entry(".report:report", "Write what a recording holds as one page, HTML or PDF."),
    "forward": Entry(".forward:forward", "Forward readings to other programs, by MQTT or HTTP."),
    "pack": Entry(".pack:pack", "Pack a trial into one file for somebody else."),
    "unpack": Entry(".pack:unpack", "Unpack a trial that came as one file."),
    "library": Entry(".library:library", "Make, fill, look at, check and share a library of layouts."),
    "demo": Entry(".demo:demo", "Simulate a sea trial of the tug Yuzu."),
    "window": Entry(".window:window"),
}


class TopGroup(LazyGroup):
    """The command itself; a first word that is no command is a trial or a recording to open."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        own = {"--help", "--version", "-h"}
        # what a shell completes is not run, and its first word may be any command
        is_asked = not (ctx.resilient_parsing and not args)
        if is_asked and (not args or (args[0] not in _COMMANDS and args[0] not in own)):
            args = ["window", *args]
        return super().parse_args(ctx, args)


@click.group(cls=TopGroup, entries=_COMMANDS, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="zesty-abacus")
def cli() -> None:
    """Keep bit layouts, decode captures, unravel unknown fields.

    Without a command it opens the window: zesty-abacus [TRIAL], zesty-abacus RECORDING..., or
    zesty-abacus --demo.
    """


_SELDOM = (100_000, 10, 10)
"""Allocations after which the collector of circles looks: a start makes 300 000, of what lasts as long as it does."""


def main() -> None:
    """Run the command as a process that lasts no longer than it."""
    gc.set_threshold(*_SELDOM)
    try:
        _run()
    finally:
        # at its end Python would look through all that was loaded once more, for a tenth of a second
        gc.freeze()


def _run() -> None:
    """Run the command and turn errors into one sentence and an exit code.

    0 for success, 1 for input that could not be read, 2 for wrong use, 3 if nothing was found, 4 for a fault of the
    program's own, 130 when interrupted.
    """
    try:
        code = cli.main(prog_name="zesty-abacus", standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except click.exceptions.NoArgsIsHelpError as error:
        # a group without a verb: its help, as it is
        click.echo(error.format_message(), err=True)
        sys.exit(2)
    except click.ClickException as error:
        say(f"zesty-abacus: {error.format_message()}{_where_help_is(error)}", err=True)
        sys.exit(2)
    except ExistsError as error:
        say(f"zesty-abacus: {error} With --force it is replaced.", err=True)
        sys.exit(1)
    except AbacusError as error:
        say_error(error)
        sys.exit(2 if isinstance(error, MisuseError) else 1)
    except BrokenPipeError:
        # whoever read the output has enough; nothing more can be written, not even at exit
        sys.stderr.close()
        sys.exit(0)
    except (KeyboardInterrupt, click.Abort):
        say("zesty-abacus: interrupted.", err=True)
        sys.exit(130)
    except Exception as error:
        if isinstance(error, FileNotFoundError) and _is_nowhere():
            say("zesty-abacus: the folder it was started in is not there any more. Go to another one.", err=True)
            sys.exit(1)
        from ..desk.app.settings import reports_folder  # where it goes is only asked where there is one

        report = write_report(error, reports_folder(), __version__, command_line())
        say(f"zesty-abacus: {words_of(error, report)}", err=True)
        sys.exit(4)


def _is_nowhere() -> bool:
    """Return whether the working folder was taken away, with which every path fails that does not begin at the root."""
    try:
        Path.cwd()
    except OSError:
        return True
    return False


def _where_help_is(error: click.ClickException) -> str:
    if not isinstance(error, click.UsageError) or error.ctx is None:
        return ""
    return f" See {error.ctx.command_path} --help."
