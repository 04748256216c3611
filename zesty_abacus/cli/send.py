"""``zesty-abacus send``: a message from values, or a frame as it is written, once or again and again."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from .terminal import say

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ..core.layouts.model import Layout
    from ..core.live.endpoint import Endpoint
    from ..core.live.modbus.endpoint import ModbusEndpoint
    from ..core.rehearse.kept import Kept
    from ..core.rehearse.message import Outward
    from ..core.rehearse.occasion import Occasion

_FAULTS = "wrong check, frozen counter, too short, missing frame, late frame"


@click.command()
@click.argument("endpoint")
@click.argument("message", required=False)
@click.argument("values", nargs=-1, metavar="FIELD=VALUE...")
@click.option("--library", "where", default="", help="File, trial or server of the library.")
@click.option("--frame", "text", default="", help="Instead: a CAN frame as 1A0#0C00.")
@click.option("--every", default="", help="Again and again, at this period, as 50ms.")
@click.option(
    "--when",
    default="",
    help="Instead: '3 times every 10 ms', 'on change', 'in answer to CONDITION', until --for is over or it is stopped.",
)
@click.option("--for", "length", default="", help="For how long; until it is stopped if left out.")
@click.option("--fault", "faults", multiple=True, help=f"Made wrong on purpose: {_FAULTS}.")
def send(
    endpoint: str, message: str | None, values: tuple[str, ...], where: str, text: str, every: str, when: str,
    length: str, faults: tuple[str, ...],
) -> None:  # fmt: skip
    """Send MESSAGE (its name or address) with values to ENDPOINT.

    To a Modbus device the fields of a register map are written, and read back.

    Instead of a value a field may be fed: 'speed=sine 0 to 10 in 5 s', 'state=steps 1, 2, 3 each 1 s', 'twice== speed *
    2'. Counters and checks that are not given are worked out, and counters go on with every frame.
    """
    from ..core.codec.named import layout_named
    from ..core.durations import duration_ns
    from ..core.live.frame_text import parse_frame
    from ..core.live.modbus.endpoint import ModbusEndpoint
    from ..core.live.registry import endpoint_of
    from ..core.rehearse.message import OneFrame, OutgoingMessage, faults_of, feeds_of
    from ..core.rehearse.occasion import Every, Once, parse_occasion
    from .live import library_layouts

    if every and when:
        raise click.UsageError("It goes out at a period, or when something happens; not both.")
    if length and not (every or when):
        raise click.UsageError("--for says how long something is sent again and again; say --every, too.")
    occasion = Every(duration_ns(every)) if every else parse_occasion(when) if when else Once()
    for_ns = duration_ns(length) if length else None
    target = endpoint_of(endpoint)
    if isinstance(target, ModbusEndpoint) and message and where:
        layout = layout_named(library_layouts(where, [endpoint]), message, where)
        if layout.registers is not None:
            _write_registers(target, layout, values)
            return
    made: Outward
    if text:
        if message or faults:
            raise click.UsageError("A frame is sent, or a message; not both.")
        if target.address.scheme != "can" and target.lanes[0].protocol != "can":
            raise click.UsageError("A frame in this notation goes to a CAN bus.")
        made = OneFrame(parse_frame(text))
    else:
        if not message or not where:
            raise click.UsageError("Say which message, and of which library: --library LIB MESSAGE FIELD=VALUE...")
        layout = layout_named(library_layouts(where, [endpoint]), message, where)
        made = OutgoingMessage(layout, feeds_of(values), faults_of(faults))
    listens = isinstance(made, OutgoingMessage) and made.listens
    if not listens:
        made.frame(0, 0.0)
    layouts = library_layouts(where, [endpoint]) if where else ()
    kept = _send(target, made, occasion, for_ns, layouts, listens)
    if occasion != Once():
        say(f"zesty-abacus: {kept.words()}", err=True)


def _send(
    target: Endpoint, made: Outward, occasion: Occasion, for_ns: int | None, layouts: Sequence[Layout],
    listens: bool,
) -> Kept:  # fmt: skip
    """Send a message on its occasions, hearing what layouts say where it listens."""
    from ..core.rehearse.answering import send_answering
    from ..core.rehearse.cyclic import send_planned
    from ..core.rehearse.occasion import Planned
    from .stopping import stopped_by_signals

    with stopped_by_signals() as stopped:
        if listens or not isinstance(occasion, Planned):
            ready = lambda: say("listening", err=True)  # noqa: E731
            return send_answering(target, made, occasion, for_ns, stopped, layouts, ready)
        target.open()
        try:
            return send_planned(made, target.send, occasion, for_ns, stopped)
        finally:
            target.close()


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
