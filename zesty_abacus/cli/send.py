"""``zesty-abacus send``: a message from values, or a frame as it is written, once or again and again."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from .terminal import say

if TYPE_CHECKING:
    from ..core.layouts.model import Layout
    from ..core.live.modbus.endpoint import ModbusEndpoint


@click.command()
@click.argument("endpoint")
@click.argument("message", required=False)
@click.argument("values", nargs=-1, metavar="FIELD=VALUE...")
@click.option("--library", "where", default="", help="File, trial or server of the library.")
@click.option("--frame", "text", default="", help="Instead: a CAN frame as 1A0#0C00.")
@click.option("--every", default="", help="Again and again, at this period, as 50ms.")
@click.option("--for", "length", default="", help="For how long; until it is stopped if left out.")
@click.option("--fault", "faults", multiple=True, help="Made wrong on purpose: wrong check, frozen counter, too short.")
def send(
    endpoint: str, message: str | None, values: tuple[str, ...], where: str, text: str, every: str, length: str,
    faults: tuple[str, ...],
) -> None:  # fmt: skip
    """Send MESSAGE (its name or address) with values to ENDPOINT.

    To a Modbus device the fields of a register map are written, and read back.

    Instead of a value a field may be fed: 'speed=sine 0 to 10 in 5 s', 'state=steps 1, 2, 3 each 1 s', 'twice== speed *
    2'. Counters and checks that are not given are worked out, and counters go on with every frame.
    """
    from ..core.durations import duration_ns
    from ..core.live.frame_text import parse_frame
    from ..core.live.modbus.endpoint import ModbusEndpoint
    from ..core.live.registry import endpoint_of
    from ..core.rehearse.cyclic import send_cyclic
    from ..core.rehearse.message import OutgoingMessage, faults_of, feeds_of, layout_named
    from .live import library_layouts
    from .stopping import stopped_by_signals

    every_ns = duration_ns(every) if every else None
    for_ns = duration_ns(length) if length else None
    if length and not every:
        raise click.UsageError("--for says how long something is sent again and again; say --every, too.")
    target = endpoint_of(endpoint)
    if isinstance(target, ModbusEndpoint) and message and where:
        layout = layout_named(library_layouts(where, [endpoint]), message, where)
        if layout.registers is not None:
            _write_registers(target, layout, values)
            return
    if text:
        if message or faults:
            raise click.UsageError("A frame is sent, or a message; not both.")
        if target.address.scheme != "can" and target.lanes[0].protocol != "can":
            raise click.UsageError("A frame in this notation goes to a CAN bus.")
        frame = parse_frame(text)
        make = lambda _number, _time_s: frame  # noqa: E731
    else:
        if not message or not where:
            raise click.UsageError("Say which message, and of which library: --library LIB MESSAGE FIELD=VALUE...")
        layout = layout_named(library_layouts(where, [endpoint]), message, where)
        make = OutgoingMessage(layout, feeds_of(values), faults_of(faults)).frame
    make(0, 0.0)
    with stopped_by_signals() as stopped:
        target.open()
        try:
            kept = send_cyclic(make, target.send, every_ns, for_ns, stopped)
        finally:
            target.close()
    if every_ns is not None:
        say(f"zesty-abacus: {kept.words()}", err=True)


def _write_registers(target: ModbusEndpoint, layout: Layout, values: tuple[str, ...]) -> None:
    """Write fields of a register map, and say what the device holds afterwards."""
    from ..core.live.modbus.write import write_fields
    from ..core.rehearse.message import feeds_of

    given = {name: feed.value(0.0, 0, {}) for name, feed in feeds_of(values).items()}
    if not given:
        raise click.UsageError("Say which fields: FIELD=VALUE...")
    target.open()
    try:
        for one in write_fields(target, layout, given):
            say(
                f"zesty-abacus: {one.count} from {one.first} written and read back: {one.data.hex(' ').upper()}",
                err=True,
            )
    finally:
        target.close()
