"""``zesty-abacus forward``: decoded readings to other programs."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..core.errors import MisuseError
from ..core.words import counted
from .options import library_option, recipe_option
from .terminal import say

if TYPE_CHECKING:
    import threading

    from ..core.forward.forwarding import Forwarding
    from ..core.forward.wanted import Wanted


@click.command()
@click.argument("sources", nargs=-1, required=True, metavar="SOURCE...|[LANE=]ENDPOINT...")
@library_option
@click.option("--release", default="", help="A release of the library; the newest state if left out.")
@click.option("--to", "to", required=True, help="mqtt://HOST:PORT/TOPIC or http://HOST:PORT/PATH, with s for TLS.")
@click.option("--fields", default="", help="MESSAGE.FIELD=KEY,...; all, called message.field, if left out.")
@click.option("--at-most", default="", help="A message of a lane only so often, on the capture's clock, as 1s.")
@click.option("--mean", default="", help="The mean of so long in the place of each reading, as 1s.")
@click.option("--on-change", is_flag=True, help="Only values that are others than the ones before.")
@click.option("--for", "length", default="", help="Of endpoints: how long, from when it is ready, as 10s.")
@click.option("--queue", type=click.Path(path_type=Path), help="File of readings that wait; else one of its own.")
@recipe_option
def forward(
    sources: tuple[str, ...], where: str, release: str, to: str, fields: str, at_most: str, mean: str,
    on_change: bool, length: str, queue: Path | None, recipes: tuple[Path, ...],
) -> None:  # fmt: skip
    """Forward the good values of recordings, or of what endpoints receive, in order: a JSON object a frame.

    {lane}, {message} and {field} in a topic or path are filled in; with {field} each value goes by itself. What the
    other side does not take is kept on disk and sent again until it does, also after an end in between. A password
    comes from ZESTY_ABACUS_PASSWORD or the keyring.
    """
    from ..core.durations import duration_ns
    from ..core.forward.forwarding import Forwarding
    from ..core.forward.job import job_of
    from ..core.forward.passwords import with_password
    from ..core.forward.sending import Sending
    from ..core.forward.spool import Spool, spool_path
    from ..core.forward.thinning import thinning_of
    from ..core.forward.wanted import Wanted
    from ..core.forward.way import ForwardAddress
    from ..core.forward.ways.registry import way_to
    from ..desk.app.settings import spools_folder
    from .asking import layouts_of
    from .stopping import stopped_by_signals

    address, wanted = with_password(ForwardAddress.parse(to)), Wanted.parse(fields)
    thinning = thinning_of(
        at_most_ns=duration_ns(at_most) if at_most else 0, mean_ns=duration_ns(mean) if mean else 0,
        on_change=on_change,
    )  # fmt: skip
    is_live = _are_endpoints(sources)
    if length and not is_live:
        raise click.UsageError("--for is about endpoints; a recording ends by itself.")
    layouts, origin = layouts_of(where, release, ())
    assert origin is not None, "there is a library"
    wanted.check(layouts)
    way = way_to(address)
    how = repr((wanted, at_most, mean, on_change))
    said = (to, how, origin.library_id, origin.release or origin.revision)
    job = "" if is_live else job_of(_files(sources, recipes), *said)
    spool = Spool(queue or spool_path(spools_folder(), address.url))
    sending = Sending(spool, way, lambda sentence: say(f"zesty-abacus: {sentence}", err=True))
    try:
        forwarding = Forwarding(spool, sending, address, thinning, job)
        with stopped_by_signals() as stopped:
            if is_live:
                _forward_live(sources, where, forwarding, wanted, stopped, duration_ns(length) if length else None)
            else:
                _forward_recordings(sources, where, release, recipes, forwarding, wanted, stopped)
    finally:
        sending.stop()
        waiting = spool.count()
        spool.close()
    left = f"; {counted(waiting, 'reading')} wait until it is called again" if waiting else ""
    say(f"forwarded {counted(sending.sent, 'reading')}{left}", err=True)


def _are_endpoints(sources: Sequence[str]) -> bool:
    """Return whether what is given are endpoints; raises :class:`MisuseError` for a mixture."""
    from ..core.live.registry import lane_and_address, schemes

    def is_one(text: str) -> bool:
        return not Path(text).exists() and lane_and_address(text)[1].partition(":")[0] in schemes()

    found = [is_one(text) for text in sources]
    if any(found) and not all(found):
        raise MisuseError("recordings and endpoints are forwarded one or the other.", hint="Call it twice.")
    return all(found)


def _forward_recordings(
    sources: tuple[str, ...], where: str, release: str, recipes: tuple[Path, ...], forwarding: Forwarding,
    wanted: Wanted, stopped: threading.Event,
) -> None:  # fmt: skip
    from ..core.forward.forwarding import forward_capture
    from .asking import layouts_of
    from .output import opened_sources

    paths = tuple(Path(source) for source in sources)
    layouts, origin = layouts_of(where, release, paths)
    assert origin is not None, "there is a library"
    if forwarding.went_on:
        before = counted(forwarding.went_on, "reading", "was", "were")
        say(f"zesty-abacus: {before} taken up before; it goes on behind them.", err=True)
    with opened_sources(paths, recipes, where) as opened:
        if forward_capture(forwarding, opened.meaning(layouts, origin.release), wanted, stopped):
            forwarding.finish()


def _forward_live(
    sources: tuple[str, ...], where: str, forwarding: Forwarding, wanted: Wanted, stopped: threading.Event,
    for_ns: int | None,
) -> None:  # fmt: skip
    from ..core.forward.forwarding import LiveReadings
    from ..core.live.record import record
    from ..core.live.registry import endpoint_of
    from .live import library_layouts

    layouts = library_layouts(where, sources)
    made = [endpoint_of(text) for text in sources]
    for one in made:
        one.check_hears()
    record(
        made, lambda _receiving: LiveReadings(forwarding, layouts, wanted), stopped, for_ns=for_ns,
        ready=lambda: say("forwarding", err=True), tell=lambda sentence: say(f"zesty-abacus: {sentence}", err=True),
    )  # fmt: skip
    if not stopped.is_set():
        forwarding.wait(stopped)


def _files(sources: tuple[str, ...], recipes: tuple[Path, ...]) -> list[Path]:
    found: list[Path] = []
    for path in (*map(Path, sources), *recipes):
        found += sorted(one for one in path.iterdir() if one.is_file()) if path.is_dir() else [path]
    # a library beside recordings is written while it is read; its state is in the name already
    return [path for path in found if ".sqlite" not in path.name]
