"""The heavy part that stands on buses and sends; reached as ``going`` through :mod:`.doors`."""

from __future__ import annotations

from ...core.codec.encode import get_value
from ...core.codec.named import layout_named
from ...core.durations import duration_ns
from ...core.frames.capture import Capture
from ...core.frames.flags import EXTENDED, SENT
from ...core.handover.export import Leaving
from ...core.handover.frame_table import FRAME_SCHEMA, frame_table
from ...core.handover.sayings import sayings
from ...core.library.rehearsals import keep_rehearsal
from ...core.live.armed import Armed, Then
from ...core.live.device_registers import Access
from ...core.live.errors import EndpointError
from ...core.live.hosting import HostEndpoint
from ...core.live.journal import Journal
from ...core.live.modbus.endpoint import ModbusEndpoint
from ...core.live.modbus.look import FoundUnit, look_for_registers, units_that_answer
from ...core.live.modbus.polling import Polling
from ...core.live.modbus.readings import Readings
from ...core.live.modbus.write import write_fields
from ...core.live.receiving import Receiving, on_lanes
from ...core.live.registry import endpoint_of, schemes
from ...core.live.sinks import JoiningFiles
from ...core.live.watch import Watch
from ...core.protocols.can import NAME as CAN
from ...core.protocols.can_bits import frame_bits
from ...core.reading.coming import ComingMeaning
from ...core.rehearse.bare import MOST_BYTES, bare_frame, bare_sorts, sort_of
from ...core.rehearse.before import before_sending
from ...core.rehearse.by_hand import stops_of
from ...core.rehearse.changing import Changing, parse_change
from ...core.rehearse.device import device_of
from ...core.rehearse.edit import moved, paths_of, step_at, with_added, with_step, without
from ...core.rehearse.feed_words import parse_feed
from ...core.rehearse.listening import Listening
from ...core.rehearse.message import FAULT_WORDS, OutgoingMessage, faults_of
from ...core.rehearse.mirror import mirror
from ...core.rehearse.occasion import Bursts, Every, Planned, parse_occasion
from ...core.rehearse.outlets import Outlets
from ...core.rehearse.prepared import Prepared
from ...core.rehearse.replay import Replay, rows_to_send
from ...core.rehearse.report import junit_xml
from ...core.rehearse.round_trip import round_trip
from ...core.rehearse.runner import Runner
from ...core.rehearse.schedule import Schedule
from ...core.rehearse.shaping import corners, period_s, shaped, with_corner, without_corner
from ...core.rehearse.steps import (
    STEP_KINDS,
    Rehearsal,
    fresh_step,
    rehearsal_from_file,
    rehearsal_from_json,
    rehearsal_to_json,
)

__all__ = [
    "CAN",
    "EXTENDED",
    "FAULT_WORDS",
    "FRAME_SCHEMA",
    "MOST_BYTES",
    "SENT",
    "STEP_KINDS",
    "Access",
    "Armed",
    "Bursts",
    "Capture",
    "Changing",
    "ComingMeaning",
    "EndpointError",
    "Every",
    "FoundUnit",
    "HostEndpoint",
    "JoiningFiles",
    "Journal",
    "Leaving",
    "Listening",
    "ModbusEndpoint",
    "OutgoingMessage",
    "Outlets",
    "Planned",
    "Polling",
    "Prepared",
    "Readings",
    "Receiving",
    "Rehearsal",
    "Replay",
    "Runner",
    "Schedule",
    "Then",
    "Watch",
    "bare_frame",
    "bare_sorts",
    "before_sending",
    "corners",
    "device_of",
    "duration_ns",
    "endpoint_of",
    "faults_of",
    "frame_bits",
    "frame_table",
    "fresh_step",
    "get_value",
    "junit_xml",
    "keep_rehearsal",
    "layout_named",
    "look_for_registers",
    "mirror",
    "moved",
    "on_lanes",
    "parse_change",
    "parse_feed",
    "parse_occasion",
    "paths_of",
    "period_s",
    "rehearsal_from_file",
    "rehearsal_from_json",
    "rehearsal_to_json",
    "round_trip",
    "rows_to_send",
    "sayings",
    "schemes",
    "shaped",
    "sort_of",
    "step_at",
    "stops_of",
    "units_that_answer",
    "with_added",
    "with_corner",
    "with_step",
    "without",
    "without_corner",
    "write_fields",
]  # fmt: skip
