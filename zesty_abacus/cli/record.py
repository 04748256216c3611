"""``zesty-abacus record``: what endpoints receive, written as it comes."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from ..core.words import counted
from .options import FormWord


@click.command()
@click.argument("endpoints", nargs=-1, required=True, metavar="[LANE=]ENDPOINT...")
@click.option("--for", "length", default="", help="How long, from when it is ready, as 10s.")
@click.option("--until", "condition", default="", help="A condition; the frame that fulfils it is the last one.")
@click.option("--before", default="", help="With --until: keep only so much of what comes before, as 10s.")
@click.option("--after", default="", help="With --until: go on for so long after it, as 2s.")
@click.option("--again", is_flag=True, help="With --before: wait for the next time, and keep what is around each.")
@click.option("--library", "where", default="", help="File, trial or server of the library, whose fields may be named.")
@click.option(
    "--to", "form", type=FormWord(grows=True), default="csv", show_default=True, help="Form on standard output."
)
@click.option("-o", "--output", type=click.Path(path_type=Path), help="File, or a folder for a trial.")
@click.option("--force", is_flag=True, help="Replace a file that is there.")
def record(
    endpoints: tuple[str, ...], length: str, condition: str, before: str, after: str, again: bool, where: str,
    form: str, output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Record what ENDPOINTS receive.

    The form follows from the name: .log, .pcap, .pcapng hold CAN frames, .csv, .jsonl and .parquet a table of frames; a
    name without an ending is a trial. It ends after the time, with the condition, or on an interrupt, and what had come
    by then is written.
    """
    from ..core.durations import duration_ns
    from ..core.files.writing import Target
    from ..core.live.armed import Armed, Then
    from ..core.live.receiving import Receiving
    from ..core.live.record import record as run
    from ..core.live.registry import endpoint_of
    from ..core.live.sinks import FrameSink, StreamSink, open_sink
    from ..core.live.watch import Watch
    from .live import library_layouts
    from .stopping import stopped_by_signals
    from .terminal import say

    for_ns = duration_ns(length) if length else None
    if (before or after) and not condition:
        raise click.UsageError("--before and --after are about a condition; say --until, too.")
    if again and not before:
        raise click.UsageError("--again keeps what is around each time; say how much: --before 10s.")
    before_ns = duration_ns(before) if before else None
    after_ns = duration_ns(after) if after else 0
    made = [endpoint_of(text) for text in endpoints]
    for one in made:
        one.check_hears()
    layouts = library_layouts(where, endpoints)

    def sink(receiving: Receiving) -> FrameSink:
        if output is None or str(output) == "-":
            return StreamSink(sys.stdout.buffer, form)
        return open_sink(Target(output, force), receiving.lanes)

    def arm(receiving: Receiving) -> Armed:
        watch = Watch(condition, [lane.name for lane in receiving.lanes], layouts) if condition else None
        return Armed(watch, before_ns, after_ns, Then.AGAIN if again else Then.STOP)

    with stopped_by_signals() as stopped:
        done = run(
            made, sink, stopped, for_ns=for_ns, arm=arm,
            ready=lambda: say("recording", err=True), tell=lambda sentence: say(f"zesty-abacus: {sentence}", err=True),
        )  # fmt: skip
    lost = f", {done.lost} lost for want of room" if done.lost else ""
    met = f", the condition held in {counted(done.hits, 'frame')}" if condition else ""
    say(f"recorded {counted(done.frames, 'frame')}{met}{lost}", err=True)
