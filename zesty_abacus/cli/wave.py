"""``zesty-abacus wave``: frames written as the waves that a recipe reads as them."""

from __future__ import annotations

from pathlib import Path

import click

from ..core.words import counted


@click.command()
@click.argument("source", type=click.Path(path_type=Path))
@click.option("--recipe", required=True, type=click.Path(path_type=Path), help="File with the recipe to go backwards.")
@click.option(
    "-o", "--output", required=True, type=click.Path(path_type=Path), help="The file; its name says the form."
)
@click.option("--lane", default="", help="The lane whose frames are written; that of the recipe, or the only one.")
@click.option("--rate", type=click.FloatRange(1), help="Samples a second; enough for the shortest symbol if left out.")
@click.option("--jitter", default="", help="By how much changes are off, as 20ns (standard deviation).")
@click.option("--noise", type=click.FloatRange(0), default=0.0, help="Added to samples (standard deviation).")
@click.option("--force", is_flag=True, help="Replace a file that is there.")
def wave(
    source: Path, recipe: Path, output: Path, lane: str, rate: float | None, jitter: str, noise: float, force: bool
) -> None:
    """Write the frames of SOURCE, a table of frames, as waves: .vcd, .csv, .wav, .sigmf-meta or .pulses.

    What frames with the same recipe reads from the file are these frames, as far apart in time as they were.
    """
    from ..core.draw.wave import WaveSettings, write_wave
    from ..core.durations import duration_ns
    from ..core.errors import MisuseError
    from ..core.recipes.json_form import recipes_from_file
    from .output import opened_sources, target_for
    from .terminal import say

    target = target_for(output, force, source, recipe)
    assert target is not None, "a name is required"
    recipes = [one for one in recipes_from_file(recipe) if one.line is not None]
    settings = WaveSettings(rate, float(duration_ns(jitter)) if jitter else 0.0, noise)
    with opened_sources((source,)) as opened:
        capture = opened.capture
        names = [one.name for one in capture.lanes]
        chosen = (
            next((one for one in recipes if one.lane == lane or not lane), None)
            if lane or len(recipes) == 1
            else (next((one for one in recipes if one.lane in names), None))
        )
        if chosen is None:
            raise MisuseError("no recipe of the file is for waves of these frames.", where=str(recipe),
                              hint="Say which by --lane.")  # fmt: skip
        wanted = lane or (chosen.lane if chosen.lane in names else "")
        if not wanted and len(names) > 1:
            raise MisuseError(f"there are several lanes: {', '.join(names)}.", hint="Say which by --lane.")
        if wanted and wanted not in names:
            raise MisuseError(f"there is no lane {wanted!r}.", hint=f"There are {', '.join(names)}.")
        order = capture.order_of_lanes(frozenset({names.index(wanted) if wanted else 0}))
        table = capture.frames.table(order.rows())
    write_wave(target, chosen, table, settings)
    say(f"zesty-abacus: {counted(len(table), 'frame')} by {chosen.speaks}", err=True)
