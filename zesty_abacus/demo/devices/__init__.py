"""The devices on the tug's other lanes: what they send, drawn on their wires, with noise and a few faults.

Every device writes one raw file and returns the frames that are truly in it. Faults stand at fixed moments of the
loop, so that each trial has them.
"""

from __future__ import annotations

from .beacon import BEACON
from .bilge import BILGE
from .bridge import BRIDGE
from .compass import COMPASS
from .deck import DECK
from .device import Device, Trial, TrueFrame, begin_of
from .pendant import PENDANT
from .shore import SHORE
from .sounder import SOUNDER
from .winch import WINCH

DEVICES = (SHORE, DECK, BILGE, WINCH, COMPASS, PENDANT, BRIDGE, SOUNDER, BEACON)
"""Every lane besides the two CAN lanes."""

__all__ = ["DEVICES", "Device", "Trial", "TrueFrame", "begin_of"]
