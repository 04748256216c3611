"""What is out of date is put together when somebody looks, once."""

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QLabel, QTabWidget, QWidget

from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.theme import look
from zesty_abacus.desk.widgets.when_shown import WhenShown


def test_a_view_is_refreshed_at_once_where_it_is_seen_and_later_where_it_is_not():
    make_application()
    tabs, first, second = QTabWidget(), QLabel("one"), QWidget()
    tabs.addTab(first, "one")
    tabs.addTab(second, "two")
    seen = []
    of_first = WhenShown(first, lambda: seen.append(1)).refresh
    of_second = WhenShown(second, lambda: seen.append(2)).refresh
    of_first()
    assert seen == [], "the window is not there yet"
    tabs.show()
    assert seen == [1]
    of_first("what an event says")
    of_second()
    of_second()
    assert seen == [1, 1]
    tabs.setCurrentIndex(1)
    assert seen == [1, 1, 2]
    tabs.setCurrentIndex(0)
    tabs.setCurrentIndex(1)
    assert seen == [1, 1, 2], "nothing has changed since"
    tabs.close()


def test_a_view_that_is_gone_is_not_refreshed_by_what_outlives_it(no_faults):
    application = make_application()
    view = QWidget()
    seen = []
    look.changed.connect(WhenShown(view, lambda: seen.append("shown")).refresh)
    view.deleteLater()
    application.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    look.changed.emit()
    assert seen == []
