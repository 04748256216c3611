"""Writes a Yuzu trial to a folder: recordings, reference, moments, library; the truth kept apart."""

from __future__ import annotations

import csv
import dataclasses
import shutil
from collections.abc import Iterator
from contextlib import ExitStack, closing
from pathlib import Path

import msgspec
import numpy as np

from ..core.captures.registry import open_writer
from ..core.errors import MisuseError
from ..core.layouts.json_form import layouts_from_file, layouts_to_file_text
from ..core.layouts.model import Layout
from ..core.library.store import Library
from ..core.progress import Progress
from ..core.recipes.json_form import recipes_from_file, recipes_to_file_text
from ..core.trial.trial import LaneEntry, Moment, SourceEntry, Trial, TrialFile
from .bench.hook import hook_layouts
from .devices import DEVICES, Device, TrueFrame, begin_of
from .devices import Trial as DeviceTrial
from .link_layouts import link_layouts
from .messages import all_messages
from .physics import LOOP_S, MOMENTS, STEP_S, Physics
from .recipes import demo_recipes
from .rehearsals import keep_demo_rehearsals
from .simulator import LANES, START_NS, chunks

SHIPPED = Path(__file__).parent / "yuzu"
"""The two-minute trial that comes with the program."""

SHIPPED_LENGTH_S = 120.0
DEFAULT_SEED = 14
_RECORDINGS = {"thruster": "thruster.log.gz", "battery": "battery.pcapng.zst"}
_LAYOUTS = "layouts.json"
_RECIPES = "recipes.json"
_DEVICE_COLUMNS = ("wheel", "tow_pull", "heading", "turn_rate", "north_m", "east_m", "water_speed")
_TRUTH = "truth"
_TEAMS = {"thruster": "pod team", "battery": "pack team", "shore": "pack team"}
_LATITUDE, _LONGITUDE = 43.21, 4.87
_GNSS_EVERY_STEPS = 20
_TRUTH_EVERY_STEPS = 10


def write_trial(folder: Path, length_s: float, seed: int = DEFAULT_SEED, progress: Progress | None = None) -> None:
    """Simulate a trial and write everything but the library.

    Raises
    ------
    MisuseError
        If the length is not above zero, or the folder holds a trial already.
    Cancelled
        If the progress was cancelled; what was written stays.
    """
    if not 0 < length_s <= 10_000_000:
        raise MisuseError(f"length={length_s:g} s, expected more than 0 and at most 10 000 000.")
    progress = progress or Progress()
    trial = Trial.create(folder, "Yuzu sea trial")
    truth = folder / _TRUTH
    truth.mkdir(exist_ok=True)
    messages = all_messages()
    (folder / _LAYOUTS).write_text(
        layouts_to_file_text([*(m.library_layout() for m in messages if m.known), *link_layouts()]), encoding="utf-8"
    )
    (truth / _LAYOUTS).write_text(
        layouts_to_file_text([*(m.layout for m in messages), *link_layouts()]), encoding="utf-8"
    )
    with ExitStack() as stack:
        writers = {
            lane: stack.enter_context(closing(open_writer(folder / name, [lane]))) for lane, name in _RECORDINGS.items()
        }
        gnss = csv.writer(stack.enter_context((folder / "gnss.csv").open("w", newline="")))
        values = csv.writer(stack.enter_context((truth / "values.csv").open("w", newline="")))
        gnss.writerow(["time_s", "latitude_deg", "longitude_deg", "speed_kn", "course_deg"])
        values.writerow(["time_s", "water_speed_kn", "heading_deg", "angle_port_deg", "pack_current_A", "tow_pull_kN"])
        seen = _Seen()
        for physics, tables in chunks(length_s, seed):
            progress.step(physics.first_step * STEP_S / length_s * 0.8, "simulating the voyage")
            seen.take(physics)
            for lane, table in tables.items():
                # a recording of one lane counts that lane from zero
                writers[lane].append(dataclasses.replace(table, lane=np.zeros_like(table.lane)))
            gnss.writerows(_gnss_rows(physics))
            values.writerows(_truth_rows(physics))
    devices_trial = DeviceTrial(START_NS, length_s, seed, seen.at)
    for device in DEVICES:
        progress.step(0.9, f"drawing {device.lane}")
        frames = device.write(folder / device.file, devices_trial)
        _write_frames(truth / f"{device.lane}.csv", frames)
    (folder / _RECIPES).write_text(recipes_to_file_text(demo_recipes().values()), encoding="utf-8")
    trial.save(_describe(trial.file, length_s))


class _Seen:
    """What the tug did so far, a value each tenth of a second."""

    def __init__(self) -> None:
        self._rows: list[np.ndarray] = []

    def take(self, physics: Physics) -> None:
        """Keep the columns the devices ask for."""
        first = -physics.first_step % _TRUTH_EVERY_STEPS
        steps = np.arange(first, len(physics.columns), _TRUTH_EVERY_STEPS)
        time = (physics.first_step + steps) * STEP_S
        self._rows.append(np.stack([time, *(physics.at(name, time) for name in _DEVICE_COLUMNS)], axis=1))

    def at(self, name: str, second: float) -> float:
        """Return a column at a time, by straight line between two kept values."""
        rows = np.concatenate(self._rows) if len(self._rows) > 1 else self._rows[0]
        self._rows = [rows]
        return float(np.interp(second, rows[:, 0], rows[:, 1 + _DEVICE_COLUMNS.index(name)]))


def _write_frames(path: Path, frames: list[TrueFrame]) -> None:
    with path.open("w", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(["time_ns", "address", "faults", "payload"])
        rows.writerows(
            [f.time_ns, f.address, " ".join(w.replace(" ", "_") for w in f.faults), f.payload.hex()] for f in frames
        )


def copy_shipped_trial(folder: Path) -> Trial:
    """Copy the shipped trial to a folder the user may change, unless one is there already.

    Raises
    ------
    TrialError
        If the folder cannot be written.
    """
    if not (folder / "trial.json").exists():
        shutil.copytree(SHIPPED, folder, dirs_exist_ok=True)
    trial = Trial.open(folder)
    if not trial.library_address.exists():
        make_library(trial).close()
    return trial


def make_library(trial: Trial) -> Library:
    """Make the trial's library from its layout file, some layouts in the steps in which they came to be."""
    library = Library.create(trial.library_address, "harbour-team library")
    layouts = layouts_from_file(trial.folder / _LAYOUTS)
    for layout in layouts:
        for author, reason, state in _steps_of(layout):
            head = library.layouts.head_of(layout.id)
            library.layouts.commit(state, parent=head.revision.id if head else None, author=author, reason=reason)
    for layout in hook_layouts():
        library.layouts.commit(layout, parent=None, author="bench 2", reason="what the bench asks the hook")
    keep_demo_rehearsals(library)
    recipes = recipes_from_file(trial.folder / _RECIPES)
    library.recipes.import_all(recipes, author="bench 2", reason="measured on run 14")
    return library


def _steps_of(layout: Layout) -> Iterator[tuple[str, str, Layout]]:
    """Yield author, reason and state of each step of a layout's making."""
    began = f"brought in from {(layout.sender or layout.name).lower().replace(' ', '-')}.csv"
    if not layout.name.startswith("Azimuth feedback"):
        yield _TEAMS.get(next(iter(layout.applies.lanes), ""), "deck team"), began, layout
        return
    rate = layout.field_named("rate")
    assert rate is not None
    early = msgspec.structs.replace(rate, kind=type(rate.kind)("unsigned"), low=None, high=None)
    before = layout.with_field(early)
    check = layout.field_named("check")
    assert check is not None
    yield "pod team", began, before.without_field(check.id)
    yield "bench 2", "check found: CRC-8 over B0 to B6, agrees in every frame", before
    yield "bench 2", "rate is signed, was unsigned: it jumped by 409.6 at every turn to port", layout


def _describe(file: TrialFile, length_s: float) -> TrialFile:
    loops = int(np.ceil(length_s / LOOP_S))
    moments = tuple(
        Moment(time_ns=START_NS + round((loop * LOOP_S + second) * 1e9), text=text)
        for loop in range(min(loops, 200))
        for second, text in MOMENTS
        if loop * LOOP_S + second < length_s
    )
    return msgspec.structs.replace(
        file,
        run="run 14, harbour loop",
        sources=(
            *(SourceEntry(path=_RECORDINGS[lane]) for lane in LANES),
            *(_source_of(device, length_s) for device in DEVICES),
        ),
        lanes=(
            LaneEntry(name="thruster", note="CAN 500k", bit_rate=500_000),
            LaneEntry(name="battery", note="CAN 250k", bit_rate=250_000),
            *(LaneEntry(name=device.lane, note=device.note) for device in DEVICES),
        ),
        moments=moments,
        references=("gnss.csv",),
    )


def _source_of(device: Device, length_s: float) -> SourceEntry:
    begins = None if device.dated else START_NS + round(begin_of(device.begins_s, length_s) * 1e9)
    return SourceEntry(path=device.file, recipe=demo_recipes().get(device.lane), begins_ns=begins)


def _gnss_rows(physics: Physics) -> Iterator[list[str]]:
    for step in range(-physics.first_step % _GNSS_EVERY_STEPS, len(physics.columns), _GNSS_EVERY_STEPS):
        time = (physics.first_step + step) * STEP_S
        at = {
            name: float(physics.at(name, np.array([time]))[0])
            for name in ("north_m", "east_m", "water_speed", "heading")
        }
        latitude = _LATITUDE + at["north_m"] / 111_320
        longitude = _LONGITUDE + at["east_m"] / (111_320 * np.cos(np.radians(_LATITUDE)))
        yield [
            f"{START_NS / 1e9 + time:.3f}", f"{latitude:.7f}", f"{longitude:.7f}",
            f"{at['water_speed']:.3f}", f"{at['heading']:.2f}",
        ]  # fmt: skip


def _truth_rows(physics: Physics) -> Iterator[list[str]]:
    names = ("water_speed", "heading", "angle_port", "pack_current", "tow_pull")
    steps = np.arange(-physics.first_step % _TRUTH_EVERY_STEPS, len(physics.columns), _TRUTH_EVERY_STEPS)
    time = (physics.first_step + steps) * STEP_S
    columns = [physics.at(name, time) for name in names]
    for row in range(len(steps)):
        yield [f"{START_NS / 1e9 + time[row]:.3f}", *(f"{column[row]:.5f}" for column in columns)]
