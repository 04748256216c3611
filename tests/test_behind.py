import threading

import pytest

from zesty_abacus.core.behind import Behind


def test_things_are_taken_in_their_order_on_one_other_thread():
    taken, threads = [], set()

    def take(number, word):
        threads.add(threading.current_thread())
        taken.append((number, word))

    with Behind(take) as behind:
        for number in range(100):
            behind(number, f"word {number}")
    assert taken == [(number, f"word {number}") for number in range(100)]
    assert len(threads) == 1 and threading.current_thread() not in threads


def test_whoever_makes_goes_on_and_is_only_a_few_ahead():
    may_go, made, begun = threading.Semaphore(0), [], []

    def take(number):
        begun.append(number)
        may_go.acquire()

    def make():
        with Behind(take, most=3) as behind:
            for number in range(20):
                behind(number)
                made.append(number)

    maker = threading.Thread(target=make)
    maker.start()
    # one is being taken, and two wait for it; the fourth is not handed on
    for _ in range(1000):
        if len(made) == 3:
            break
        maker.join(0.001)
    maker.join(0.05)
    assert made == [0, 1, 2] and begun == [0]
    may_go.release(20)
    maker.join(10)
    assert not maker.is_alive() and begun == list(range(20))


def test_a_failure_comes_out_and_nothing_behind_it_is_taken():
    taken = []

    def take(number):
        if number == 2:
            raise ValueError("the third")
        taken.append(number)

    with pytest.raises(ValueError, match="the third"), Behind(take) as behind:
        for number in range(1000):
            behind(number)
    assert taken == [0, 1]


def test_the_failure_of_the_last_one_comes_out_at_the_end():
    def take(number):
        raise ValueError(number)

    with pytest.raises(ValueError, match="7"), Behind(take) as behind:
        behind(7)


def test_who_makes_may_fail_as_well_and_leaves_no_thread():
    taken, begun, may_go = [], threading.Event(), threading.Event()

    def take(number):
        begun.set()
        may_go.wait(10)
        taken.append(number)

    with pytest.raises(KeyError), Behind(take) as behind:
        behind(1)
        behind(2)
        begun.wait(10)
        may_go.set()
        raise KeyError("the source ends")
    assert 1 in taken and not any(one.name.startswith("behind") for one in threading.enumerate())
