"""Free ports, and endpoints that are closed again."""

from __future__ import annotations

import socket
import time
from contextlib import contextmanager

from zesty_abacus.core.live.registry import endpoint_of


def free_port(kind=socket.SOCK_STREAM) -> int:
    with socket.socket(socket.AF_INET, kind) as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@contextmanager
def opened(text):
    made = endpoint_of(text)
    made.open()
    try:
        yield made
    finally:
        made.close()


def taken(endpoint, enough, patience_s=60.0):
    """Return what an endpoint receives until ``enough`` says of the payloads that it is."""
    payloads = []
    until = time.monotonic() + patience_s
    while not enough(payloads) and time.monotonic() < until:
        table = endpoint.receive(0.05)
        payloads += [table.payload_of(row) for row in range(len(table))]
    assert enough(payloads), payloads
    return payloads
