"""The recipes the demo library has; those of two lanes are left for the user to work out."""

from __future__ import annotations

import msgspec

from ..core.lines.i2c import I2cLine
from ..core.lines.pulses import PulseLine
from ..core.lines.spi import SpiLine
from ..core.lines.uart import UartLine
from ..core.links.bursts import BurstFraming
from ..core.links.hdlc import HdlcFraming
from ..core.links.modbus_rtu import ModbusRtuFraming
from ..core.links.modbus_tcp import ModbusTcpFraming
from ..core.links.registers import RegisterFraming
from ..core.links.telegrams import SentenceFraming
from ..core.recipes.model import LevelSetting, Recipe, SourcePattern, new_recipe
from .layouts import stable_id


def demo_recipes() -> dict[str, Recipe]:
    """Return a recipe by lane."""
    made = {
        "shore": new_recipe(
            "shore meter", source=SourcePattern(file="shore*.pcap*", form="pcap"), framing=ModbusTcpFraming()
        ),
        "deck": new_recipe(
            "valve island",
            source=SourcePattern(file="deck*", form="VCD", channels=("bus",)),
            levels=(LevelSetting(channel="bus", ignore_under_us=5.0),),
            line=UartLine(line="bus", parity="even"),
            framing=ModbusRtuFraming(),
        ),
        "bilge": new_recipe(
            "bilge level",
            source=SourcePattern(file="bilge*", form="sample table", channels=("ch1", "ch2")),
            levels=(
                LevelSetting(channel="ch1", above=1.62, dead_band=0.3, ignore_under_us=0.6),
                LevelSetting(channel="ch2", above=1.62, dead_band=0.3, ignore_under_us=0.6),
            ),
            line=I2cLine(clock="ch1", data="ch2"),
            framing=RegisterFraming(last_register=0x19),
        ),
        "winch": new_recipe(
            "load cell",
            source=SourcePattern(file="winch*", form="VCD", channels=("clock", "select", "to_cell", "from_cell")),
            line=SpiLine(clock="clock", select="select", to_device="to_cell", from_device="from_cell", mode=1),
        ),
        "compass": new_recipe(
            "compass", source=SourcePattern(file="compass*", form="timed bytes"), framing=SentenceFraming()
        ),
        "pendant": new_recipe(
            "pendant",
            source=SourcePattern(file="pendant*", form="SigMF"),
            levels=(LevelSetting(channel="I/Q", kind="envelope", ignore_under_us=90.0),),
            line=PulseLine(line="I/Q"),
            framing=BurstFraming(),
        ),
        "beacon": new_recipe(
            "beacon",
            source=SourcePattern(file="beacon*", form="WAV"),
            levels=(LevelSetting(channel="channel 1", kind="tones", ignore_under_us=300.0),),
            line=PulseLine(line="channel 1", coding="plain", transitions=True, burst_gap_us=1e9),
            framing=HdlcFraming(),
        ),
    }
    return {
        lane: msgspec.structs.replace(recipe, id=stable_id("recipe", lane), lane=lane) for lane, recipe in made.items()
    }
