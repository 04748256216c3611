"""Recipes: immutable values that say how a recording becomes the frames of a lane."""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence
from functools import cache
from typing import TYPE_CHECKING, Literal, Union
from uuid import UUID, uuid4

import msgspec

from ..captures.columns import Columns
from ..lines.registry import decoders
from ..lines.settings import LineSettings
from ..links.framing import Framing, framings
from ..protocols import can

if TYPE_CHECKING:
    AnyLine = LineSettings
    AnyFraming = Framing


class SourcePattern(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which recordings a recipe is for.

    Attributes
    ----------
    file
        File name with ``*`` and ``?``.
    form
        Name of the format; empty for any.
    channels
        Channels that must be there.
    """

    file: str = "*"
    form: str = ""
    channels: tuple[str, ...] = ()

    def fits(self, name: str, form: str, channels: Sequence[str]) -> bool:
        """Return whether a recording is meant."""
        return (
            fnmatch.fnmatch(name.lower(), self.file.lower())
            and (not self.form or form == self.form)
            and (not channels or set(self.channels) <= set(channels))
        )


class LevelSetting(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a channel becomes edges; what is None is taken from its histogram or spectrum.

    Attributes
    ----------
    channel
    kind
        ``threshold``; ``envelope`` of on-off keying; ``tones`` for the difference of two.
    above, below, dead_band
        In the unit of the channel; ``below`` is a second threshold for a bipolar line.
    inverted
    ignore_under_us
        Shorter pulses are taken as glitches.
    carrier_hz
        Of an envelope: the carrier; of tones: the low tone.
    high_hz
        The high tone.
    smooth_us
        Length of the moving mean after mixing.
    """

    channel: str
    kind: Literal["threshold", "envelope", "tones"] = "threshold"
    above: float | None = None
    below: float | None = None
    dead_band: float | None = None
    inverted: bool = False
    ignore_under_us: float = 0.0
    carrier_hz: float | None = None
    high_hz: float | None = None
    smooth_us: float | None = None


class Recipe(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a recording becomes frames.

    Attributes
    ----------
    id
        Identity through all revisions.
    name
    source
    columns
        Of a text table; guessed if left out.
    levels
        A setting a channel; a channel without one has what is suggested.
    line
        What the wires speak; None for recordings that hold bytes, packets or frames already.
    framing
        How bytes, bits or packets are put together.
    lane, lane_note
        Name of the lane, and what stands beside it.
    note
    """

    id: UUID
    name: str
    source: SourcePattern = SourcePattern()
    columns: Columns | None = None
    levels: tuple[LevelSetting, ...] = ()
    line: AnyLine | None = None
    framing: AnyFraming | None = None
    lane: str = ""
    lane_note: str = ""
    note: str = ""

    def level(self, channel: str) -> LevelSetting:
        """Return the setting of a channel, one of all suggestions if there is none."""
        return next((one for one in self.levels if one.channel == channel), LevelSetting(channel=channel))

    def with_level(self, setting: LevelSetting) -> Recipe:
        """Return a recipe with the setting of one channel replaced or added."""
        others = tuple(one for one in self.levels if one.channel != setting.channel)
        return msgspec.structs.replace(self, levels=(*others, setting))

    def channels(self) -> tuple[str, ...]:
        """Return the channels the line uses, in the order of its settings."""
        if self.line is None:
            return ()
        fields = next(decoder.fields for decoder in decoders() if decoder.settings is type(self.line))
        return tuple(getattr(self.line, f.name) for f in fields if f.kind == "channel" and getattr(self.line, f.name))

    @property
    def takes_bytes(self) -> bool:
        """Whether its framing puts bytes together, of a line or of streams."""
        return self.framing is not None and any(
            way.takes == "bytes" for way in framings() if way.settings is type(self.framing)
        )

    @property
    def protocol(self) -> str:
        """Return what a lane of its frames speaks."""
        if self.framing is not None:
            return next(way.protocol for way in framings() if way.settings is type(self.framing))
        if self.line is not None:
            return next(decoder.protocol for decoder in decoders() if decoder.settings is type(self.line))
        return can.NAME

    @property
    def speaks(self) -> str:
        """Return what the wires speak, in words."""
        parts = [decoder.name for decoder in decoders() if decoder.settings is type(self.line)]
        parts += [way.name for way in framings() if way.settings is type(self.framing)]
        return ", ".join(parts) or "frames"


@cache
def know_all_codes() -> None:
    """Give all line codes and framings there are their place in recipes; whoever reads these from JSON asks first.

    To load them takes a tenth of a second, which a recording of frames would wait for and never need.
    """
    globals()["AnyLine"] = Union[tuple(decoder.settings for decoder in decoders())]  # noqa: UP007
    globals()["AnyFraming"] = Union[tuple(way.settings for way in framings())]  # noqa: UP007


def new_recipe(name: str, **parts: object) -> Recipe:
    """Return a recipe with an identity of its own."""
    return Recipe(id=uuid4(), name=name, **parts)  # type: ignore[arg-type]
