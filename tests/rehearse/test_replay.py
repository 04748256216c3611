"""Sending a recording again: what goes where, when by the recording's own clock, and how often."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from tests.problems.made import capture_of, stream
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.rehearse import replay
from zesty_abacus.core.rehearse.replay import Replay
from zesty_abacus.core.rehearse.runner import _later

MS = 1_000_000


@pytest.fixture
def planned(monkeypatch):
    """Nothing is waited for: the clock stands still at 100 s, and what would be waited for is noted."""
    moments = []
    monkeypatch.setattr(replay.time, "monotonic", lambda: 100.0)
    monkeypatch.setattr(replay, "wait_until", lambda at, _stopped: moments.append(round(at - 100.0, 6)))
    return moments


def recording(lanes=("deck",)):
    times = np.array([5, 15, 40]) * MS
    payloads = [b"\x01", b"\x02\x03", b""]
    return capture_of(stream(times, payloads), lanes=tuple(Lane(name) for name in lanes))


def sent_by(capture, *settings, loops=1, told=None):
    sent = []
    made = Replay(capture, np.arange(3, dtype=np.uint32), {0: sent.append}, *settings)
    kept = made.run(threading.Event(), loops, told)
    return [frame.payload for frame in sent], kept


@pytest.mark.parametrize(("settings", "moments"), [((), [0, 0.01, 0.035]), ((2.0,), [0, 0.005, 0.0175])])
def test_frames_go_out_as_far_apart_as_they_came(planned, settings, moments):
    shares = []
    payloads, kept = sent_by(recording(), *settings, told=shares.append)
    assert payloads == [b"\x01", b"\x02\x03", b""] and planned == moments
    assert kept.sent == 3 and shares == [1.0]


def test_a_round_follows_the_one_before_by_the_usual_distance(planned):
    payloads, kept = sent_by(recording(), loops=2)
    assert kept.sent == len(payloads) == 6
    assert planned == [0, 0.01, 0.035, 0.0525, 0.0625, 0.0875]


def test_what_a_change_makes_of_a_frame_goes_out_and_nothing_of_nothing(planned):
    rows = []

    def change(row, frame):
        rows.append(row)
        return None if row == 1 else frame

    payloads, kept = sent_by(recording(), 1.0, change)
    assert rows == [0, 1, 2] and payloads == [b"\x01", b""] and kept.sent == 2


def test_nothing_is_sent_of_nothing_or_once_it_is_stopped(planned):
    capture, stopped = recording(), threading.Event()
    assert Replay(capture, np.empty(0, np.uint32), {}).run(stopped, None).sent == 0
    stopped.set()
    assert Replay(capture, np.arange(3, dtype=np.uint32), {}).run(stopped, None).sent == 0 and planned == []


def test_what_is_done_later_gives_what_it_gives_or_its_error():
    assert _later(lambda: True).result(5) is True and _later(lambda: False).result(5) is False
    with pytest.raises(ZeroDivisionError):
        _later(lambda: 1 / 0 > 0).result(5)
