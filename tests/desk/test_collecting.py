"""Circles are collected on the window's thread, and on no other."""

import gc
import threading
import weakref

from PyQt6.QtCore import QObject

from zesty_abacus.desk.collecting import collect_due, look_at_all_again
from zesty_abacus.desk.launch import make_application


class Circle(QObject):
    gone_on = None

    def __init__(self):
        super().__init__()
        self.me = self
        weakref.finalize(self, lambda: setattr(Circle, "gone_on", threading.current_thread().name))


def test_a_circle_waits_for_the_windows_thread():
    make_application()
    gc.collect()
    gc.disable()
    Circle.gone_on = None
    Circle()

    def allocate():
        kept = [[n] for n in range(50_000)]
        assert kept

    worker = threading.Thread(target=allocate, name="worker")
    worker.start()
    worker.join()
    assert Circle.gone_on is None, "a thread that allocates must not collect it"
    kept = [[n] for n in range(2000)]
    collect_due()
    assert kept
    assert Circle.gone_on == threading.main_thread().name


def test_what_lasts_is_looked_at_once_until_something_large_was_let_go():
    make_application()
    gc.disable()
    thresholds = gc.get_threshold()
    lasting = Circle()
    gone = weakref.ref(lasting)
    try:
        gc.set_threshold(1, 1, 1)
        for _ in range(40):
            kept = [[n] for n in range(10)]
            collect_due()
        assert kept
        assert gc.get_freeze_count() > 10_000
        del lasting
        gc.collect()
        assert gone() is not None, "it lasts as far as the collector knows"
        look_at_all_again()
        gc.collect()
        assert gone() is None
    finally:
        gc.set_threshold(*thresholds)
        gc.unfreeze()
