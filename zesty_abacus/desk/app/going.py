"""The heavy part that stands on buses and sends; reached as ``going`` through :mod:`.doors`."""

from __future__ import annotations

from ...core.codec.encode import get_value
from ...core.frames.capture import Capture
from ...core.frames.flags import EXTENDED, SENT
from ...core.handover.sayings import sayings
from ...core.library.rehearsals import keep_rehearsal
from ...core.live.durations import duration_ns
from ...core.live.errors import EndpointError
from ...core.live.receiving import Receiving
from ...core.live.registry import endpoint_of, schemes
from ...core.live.sinks import LaneFiles, TableSink
from ...core.rehearse.before import before_sending
from ...core.rehearse.feeds import parse_feed
from ...core.rehearse.message import OutgoingMessage, layout_named
from ...core.rehearse.outlets import Outlets
from ...core.rehearse.prepared import Prepared
from ...core.rehearse.report import junit_xml
from ...core.rehearse.round_trip import round_trip
from ...core.rehearse.runner import Runner
from ...core.rehearse.schedule import Schedule
from ...core.rehearse.steps import rehearsal_from_file, rehearsal_from_json, rehearsal_to_json

__all__ = [
    "EXTENDED", "SENT", "Capture", "EndpointError", "LaneFiles", "OutgoingMessage", "Outlets", "Prepared", "Receiving",
    "Runner", "Schedule", "TableSink", "before_sending", "duration_ns", "endpoint_of", "get_value", "junit_xml",
    "keep_rehearsal", "layout_named", "parse_feed", "rehearsal_from_file", "rehearsal_from_json", "rehearsal_to_json",
    "round_trip", "sayings", "schemes",
]  # fmt: skip
