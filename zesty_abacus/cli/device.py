"""``zesty-abacus device``: be a device with the registers of a map."""

from __future__ import annotations

import click

from .options import library_option
from .terminal import say, say_error


@click.command()
@click.argument("endpoint")
@click.argument("name", metavar="MAP")
@click.argument("values", nargs=-1, metavar="FIELD=VALUE|FIELD=FEED...")
@library_option
@click.option("--log", "is_logged", is_flag=True, help="Tell every access on standard error.")
def device(endpoint: str, name: str, values: tuple[str, ...], where: str, is_logged: bool) -> None:
    """Serve the registers of MAP (its name) at ENDPOINT until it is stopped.

    Registers of a byte are those of I2C and SPI; such a device is played on the simulated bench: bilge=bench:yuzu.
    Fields that are not given are 0, and keep what is written to them. Fed ones move: 'voltage=sine 228 to 232 in 10 s'.
    It listens on the host that ENDPOINT names, and on no other.
    """
    from ..core.codec.named import layout_named
    from ..core.live.device_registers import Access
    from ..core.live.errors import LinkDownError
    from ..core.rehearse.device import device_of
    from ..core.rehearse.message import feeds_of
    from .live import library_layouts
    from .stopping import stopped_by_signals

    def tell(one: Access) -> None:
        say(f"zesty-abacus: {one.words}", err=True)

    layout = layout_named(library_layouts(where, ["lane=" + endpoint]), name, where)
    server = device_of(layout, feeds_of(values), endpoint, seen=tell if is_logged else None)
    with stopped_by_signals() as stopped:
        server.open()
        say("serving", err=True)
        try:
            while not stopped.is_set():
                try:
                    server.serve(stopped)
                except LinkDownError as error:
                    say_error(error)
                    server.reopen(stopped)
        finally:
            server.close()
    counts = server.counts
    say(
        f"answered {counts.answered}, refused {counts.refused}, for others {counts.others}, damaged {counts.damaged}",
        err=True,
    )
