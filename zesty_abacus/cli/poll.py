"""``zesty-abacus poll``: the registers of a device, again and again, as decoded values."""

from __future__ import annotations

import sys
import time
from pathlib import Path

import click

from .options import FormWord, library_option


@click.command()
@click.argument("endpoint")
@click.argument("name", metavar="MAP")
@library_option
@click.option("--every", default="500ms", show_default=True, help="The period.")
@click.option("--for", "length", default="", help="For how long; until it is stopped if left out.")
@click.option("--to", "form", type=FormWord(grows=True), default="csv", show_default=True, help="csv, jsonl, parquet.")
@click.option("-o", "--output", type=click.Path(path_type=Path), help="File; standard output if left out.")
@click.option("--force", is_flag=True, help="Replace a file that is there.")
def poll(
    endpoint: str, name: str, where: str, every: str, length: str, form: str, output: Path | None, force: bool
) -> None:
    """Poll the registers of MAP (its name) from a Modbus device at ENDPOINT.

    Rows are those of decode, each written as it comes. Registers are read in as few requests as are allowed. After a
    failure it connects again; what fails is told once until it changes.
    """
    from ..core.codec.named import layout_named
    from ..core.durations import duration_ns
    from ..core.errors import DataError
    from ..core.live.errors import EndpointError
    from ..core.live.modbus.opening import client_of
    from ..core.live.modbus.poll import Poll
    from ..core.live.modbus.readings import SCHEMA, Readings
    from ..core.live.receiving import wait_until
    from ..core.live.registry import lane_and_address
    from .live import library_layouts, rows_to
    from .stopping import stopped_by_signals
    from .terminal import say

    every_s = duration_ns(every) / 1e9
    for_s = duration_ns(length) / 1e9 if length else None
    layout = layout_named(library_layouts(where, [f"lane={endpoint}"]), name, where)
    lane, text = lane_and_address(endpoint)
    registers = layout.registers
    client = client_of(text, registers.device if registers is not None and registers.device is not None else 1)
    asking = Poll(client, layout)
    lane = lane or next(iter(layout.applies.lanes), client.lanes[0].name)
    readings = Readings(layout, client.unit, lane)
    readings.warm(asking.blocks[0].first, asking.blocks[0].count)
    last = ""
    with stopped_by_signals() as stopped, rows_to(output, force, form, SCHEMA, sys.stdout.buffer) as rows:
        begin, number = time.monotonic(), 0
        try:
            while not stopped.is_set():
                for came in asking.round():
                    if isinstance(came, EndpointError):
                        if str(came) != last and asking.counts.good:
                            say(f"zesty-abacus: {came}", err=True)
                        last = str(came)
                        continue
                    for block in readings.of(came):
                        last = ""
                        rows.write(block)
                elapsed = time.monotonic() - begin
                # a period that was missed is left out, not caught up with
                number = max(number + 1, int(elapsed / every_s))
                planned = number * every_s
                if (for_s is not None and planned >= for_s) or (
                    not asking.counts.good and for_s is None and elapsed > _GIVEN_UP_S
                ):
                    break
                if wait_until(begin + planned, stopped):
                    break
        finally:
            asking.close()
    if not asking.counts.good:
        raise DataError(last.rstrip() or f"{endpoint}: the device never answered.")


_GIVEN_UP_S = 10.0
"""So long a device that has never answered is asked when nobody says how long."""
