"""Somebody sets the clock while frames come: their times go on, it is told, and none is held back."""

import socket
import time
from contextlib import contextmanager

import numpy as np
import pytest

from tests.live.sockets import free_port
from tests.steady import KEEPS_TIME
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.live.clock import SteadyClock
from zesty_abacus.core.live.frame_datagram import MAGIC, SentFrame, pack_frame
from zesty_abacus.core.live.receiving import Receiving
from zesty_abacus.core.live.registry import endpoint_of

pytestmark = KEEPS_TIME

HOUR_NS = 3600 * 10**9


@contextmanager
def wire(port):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as made:
        made.connect(("127.0.0.1", port))
        yield made


def taken(receiving, count):
    rows, until = [], time.monotonic() + 60
    while len(rows) < count and time.monotonic() < until:
        table = receiving.take(0.05)
        rows += list(zip(table.time_ns.tolist(), map(table.payload_of, range(len(table))), strict=True))
    return rows


@pytest.mark.parametrize("step_ns", [HOUR_NS, -HOUR_NS])
def test_times_are_moved_back_onto_the_steady_clock(monkeypatch, step_ns):
    clock = SteadyClock()
    assert clock.stepped_ns == 0
    before, true = clock.now_ns(), time.time_ns
    monkeypatch.setattr(time, "time_ns", lambda: true() + step_ns)
    stepped = clock.stepped_ns
    assert abs(stepped - step_ns) < 10**9
    assert abs(clock.of_system(time.time_ns(), stepped) - clock.now_ns()) < 10**9
    assert clock.of_system(before, stepped) == before, "it was taken before the clock was set"
    assert clock.of_system(before, 0) == before


@pytest.mark.parametrize(("step_ns", "way"), [(HOUR_NS, "forward"), (-HOUR_NS, "back")])
def test_a_clock_that_is_set_is_told_once_and_times_of_frames_go_on(monkeypatch, step_ns, way):
    ports = [free_port(socket.SOCK_DGRAM) for _ in range(2)]
    with (
        Receiving([endpoint_of(f"udp://127.0.0.1:{port}?listen=1") for port in ports]) as receiving,
        wire(ports[0]) as one,
    ):
        one.send(b"before")
        first = taken(receiving, 1)
        true, kernels = time.time_ns, "zesty_abacus.core.live.datagrams._time_of"
        monkeypatch.setattr(time, "time_ns", lambda: true() + step_ns)
        monkeypatch.setattr(kernels, lambda _ancillary: true() + step_ns)
        one.send(b"after")
        second = taken(receiving, 1)
        said = [one.sentence for one in receiving.news()]
        taken(receiving, 0)
        assert [payload for _, payload in first + second] == [b"before", b"after"]
        assert 0 <= second[0][0] - first[0][0] < 10**10, "seconds, not an hour"
        assert said == [f"The clock of this machine was set {way} by 60.0 min; times of frames go on as they were."]
        assert receiving.news() == []


def test_frames_with_times_of_somebody_elses_clock_are_not_held_until_then():
    ports = [free_port(socket.SOCK_DGRAM) for _ in range(2)]
    endpoints = [endpoint_of(f"udp://127.0.0.1:{port}?listen=1&form=frames") for port in ports]
    ahead = time.time_ns() + 24 * HOUR_NS
    with Receiving(endpoints) as receiving, wire(ports[0]) as one:
        one.send(MAGIC + b"".join(pack_frame(SentFrame(at, "far", 1, F.RECEIVED, b"\1")) for at in (ahead, 5)))
        assert [at for at, _ in taken(receiving, 2)] == [5, ahead]


def test_frames_of_now_still_wait_for_each_other():
    ports = [free_port(socket.SOCK_DGRAM) for _ in range(2)]
    with Receiving([endpoint_of(f"udp://127.0.0.1:{port}?listen=1") for port in ports]) as receiving:
        with wire(ports[0]) as one, wire(ports[1]) as other:
            for number in range(200):
                (one if number % 2 else other).send(bytes([number]))
        times = np.array([at for at, _ in taken(receiving, 200)])
        assert len(times) == 200
        assert (np.diff(times) >= 0).all()
