"""Sends one message whenever its occasion comes, listening meanwhile."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence

from ..layouts.model import Layout
from ..live.endpoint import Endpoint
from ..live.errors import EndpointError
from ..live.receiving import Receiving
from ..live.watch import Watch
from .feeds import NotHeardError
from .kept import Kept
from .listening import Listening
from .message import OutgoingMessage, Outward
from .occasion import Occasion
from .outlets import Outlets
from .schedule import Schedule

_WAIT_S = 0.05


def send_answering(
    endpoint: Endpoint, message: Outward, occasion: Occasion, for_ns: int | None, stopped: threading.Event,
    layouts: Sequence[Layout] = (), ready: Callable[[], None] = lambda: None,
) -> Kept:  # fmt: skip
    """Send a message when a value changes, in answer to what is heard, or with values that are heard.

    It goes on until the time or the occasion is over, or it is stopped.

    Parameters
    ----------
    for_ns
        None goes on until it is stopped.
    layouts
        Of the library, whose fields a condition may name.
    ready
        Told when what comes from now on is answered.

    Raises
    ------
    MisuseError
        If the message cannot be made, or the condition makes no sense.
    EndpointError
        If the endpoint cannot be opened, or a frame cannot be sent.
    """
    with Receiving([endpoint]) as receiving:
        outlets = Outlets(receiving)
        lane = receiving.lanes[0].name
        outlets.allow(lane)
        names = [one.name for one in receiving.lanes]
        listening = Listening(lambda: layouts, lambda condition: Watch(condition, names, layouts))
        schedule = Schedule(outlets.send, listening)
        if isinstance(message, OutgoingMessage):
            message.listen_to(listening)
        try:
            entry = schedule.start("message", message, lane, occasion)
            ready()
            until = None if for_ns is None else time.monotonic() + for_ns / 1e9
            while not stopped.is_set() and not entry.is_over and (until is None or time.monotonic() < until):
                schedule.hear(receiving.take(_WAIT_S), receiving.lanes)
                if entry.error is not None and not isinstance(entry.error, NotHeardError):
                    raise EndpointError(entry.trouble)
        finally:
            schedule.close()
    return entry.kept
