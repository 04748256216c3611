"""``zesty-abacus scan``: first steps with an unknown Modbus device."""

from __future__ import annotations

import csv
import sys
from pathlib import Path

import click

from .terminal import say

_HEAD = ("endpoint", "unit", "space", "first", "count", "moved")


@click.command()
@click.argument("endpoint")
@click.option("--units", "named", default="1..247", show_default=True, help="Which units are asked, as 1..16 or 3.")
@click.option("--registers", "most", type=click.IntRange(1, 65536), default=200, show_default=True,
              help="So many registers of each space are tried, from 0 on.")  # fmt: skip
@click.option("--rounds", type=click.IntRange(1, 1000), default=3, show_default=True,
              help="How often they are read, to see which move.")  # fmt: skip
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="Record the exchanges, for unravel: a table or a trial."
)
@click.option("--force", is_flag=True, help="Replace a file that is there.")
def scan(endpoint: str, named: str, most: int, rounds: int, output: Path | None, force: bool) -> None:
    """Ask who answers at ENDPOINT (modbus://HOST or serial:PORT), and which registers they let be read.

    A serial line that names no speed or parity is tried at the usual ones. Nothing is written. Units that answer are
    listed as a table, with how many of their registers moved meanwhile; the exchanges can be recorded and unravelled.
    """
    from ..core.files.writing import Target
    from ..core.live.modbus.endpoint import ModbusEndpoint
    from ..core.live.modbus.look import look_for_registers, look_for_units
    from ..core.live.sinks import open_sink
    from ..core.progress import Cancelled, Progress
    from .stopping import stopped_by_signals

    rows = csv.writer(sys.stdout, lineterminator="\n")
    rows.writerow(_HEAD)
    sink = None

    def look(text: str, client: ModbusEndpoint) -> None:
        nonlocal sink
        stretches = look_for_registers(client, most, rounds, progress=progress)
        for one in stretches:
            moved = "" if one.moved is None else one.moved
            rows.writerow((text, client.unit, one.space.value, one.first, one.count, moved))
        if not stretches:
            rows.writerow((text, client.unit, "", "", 0, ""))
        sys.stdout.flush()
        if output is not None:
            sink = sink or open_sink(Target(output, force), client.lanes)
            sink.append(client.receive(0.0), client.lanes)

    with stopped_by_signals() as stopped:
        progress = Progress(lambda _share, _note: progress.cancel() if stopped.is_set() else None)
        try:
            found = look_for_units(endpoint, _units(named), progress, look)
        except Cancelled:
            found = []
        finally:
            if sink is not None:
                sink.close()
    if not found and not stopped.is_set():
        say("zesty-abacus: nobody answers.", err=True)


def _units(text: str) -> list[int]:
    first, dots, last = text.partition("..")
    try:
        numbers = list(range(int(first), int(last if dots else first) + 1))
    except ValueError:
        numbers = []
    if not numbers or not all(0 <= number <= 247 for number in numbers):
        raise click.UsageError(f"--units {text} is no stretch of units such as 1..16, up to 247.")
    return numbers
