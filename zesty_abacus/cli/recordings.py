"""Frames that a command puts out as a recording, by the name of the file."""

from __future__ import annotations

from collections.abc import Collection

import click
from click.core import ParameterSource

from ..core.files.writing import Target
from ..core.frames.capture import Capture
from ..core.handover.chunks import Which
from ..core.handover.recording import is_recording, write_recording
from .terminal import say


def wants_recording(target: Target) -> bool:
    """Return whether a file's name asks for a recording, and nobody for a form of tables."""
    is_form_given = click.get_current_context().get_parameter_source("form") is ParameterSource.COMMANDLINE
    return is_recording(target.path) and not is_form_given


def put_recording(target: Target, capture: Capture, which: Which, kinds: Collection[int] | None = None) -> None:
    """Write frames as a recording, and say what it could not hold."""
    left_out = write_recording(target, capture, which, kinds).words()
    if left_out:
        say(f"zesty-abacus: {target.path}: {left_out}", err=True)
