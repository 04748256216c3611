import threading
import time

import pytest

from zesty_abacus.core.ahead import Ahead, as_done


def test_what_is_made_comes_in_the_order_of_what_was_given():
    def slow_at_first(number):
        time.sleep(0.01 if number % 3 == 0 else 0)
        return number * number

    assert list(Ahead(range(40), slow_at_first).then(str)) == [str(n * n) for n in range(40)]


def test_only_a_few_are_made_ahead(monkeypatch):
    monkeypatch.setattr("os.sched_getaffinity", lambda _process: {0, 1, 2})
    taken = []

    def given():
        for number in range(100):
            taken.append(number)
            yield number

    made = iter(Ahead(given(), lambda number: number))
    assert next(made) == 0 and len(taken) <= 5
    made.close()
    assert len(taken) <= 5


def test_a_failure_comes_at_its_turn_and_ends_all():
    def make(number):
        if number == 3:
            raise ValueError("the fourth")
        return number

    found = []
    with pytest.raises(ValueError, match="the fourth"):
        for one in Ahead(range(1000), make):
            found.append(one)
    assert found == [0, 1, 2]
    assert not [thread for thread in threading.enumerate() if thread.name.startswith("ahead")]


def test_what_is_ahead_already_stays_so():
    ahead = Ahead([1, 2], str)
    assert Ahead.of(ahead) is ahead and list(Ahead.of(iter([1, 2]))) == [1, 2]


def test_as_they_are_done_a_slow_one_keeps_none_from_being_made(monkeypatch):
    monkeypatch.setattr("os.sched_getaffinity", lambda _process: {0, 1})
    others_done = threading.Event()
    done = []

    def make(number):
        if number == 0:
            assert others_done.wait(20), "the rest are made meanwhile"
        return number

    for number in as_done(range(9), make):
        done.append(number)
        if len(done) == 8:
            others_done.set()
    assert done[-1] == 0 and sorted(done) == list(range(9))
    with pytest.raises(ZeroDivisionError):
        list(as_done([1, 0], lambda number: 1 / number))


@pytest.mark.parametrize("threads", [1, 2])
def test_so_many_threads_make_and_so_many_and_one_besides_are_held(threads):
    busy, most, lock, taken = 0, 0, threading.Lock(), []

    def given():
        for number in range(30):
            taken.append(number)
            yield number

    def make(number):
        nonlocal busy, most
        with lock:
            busy += 1
            most = max(most, busy)
        time.sleep(0.002)
        with lock:
            busy -= 1
        return number

    for used, number in enumerate(Ahead(given(), make, threads=threads).then(lambda one: one)):
        assert number == used and len(taken) <= used + 1 + threads + 1
    assert most == threads
