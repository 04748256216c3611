"""Nothing is painted while something is painted: Qt takes the picture away from under the first painter."""

import pytest
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from tests.desk.conftest import let_go
from zesty_abacus.desk.app.jobs import Jobs
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.share_bar import ShareBar


class Picture(QWidget):
    """Something painted that does something else, once, while it is painted."""

    def __init__(self):
        super().__init__()
        self.painted, self.meanwhile, self.deep, self.deepest = 0, None, 0, 0
        self.setFixedSize(200, 100)

    def paintEvent(self, event):
        self.deep += 1
        self.deepest = max(self.deepest, self.deep)
        painter = QPainter(self)
        meanwhile, self.meanwhile = self.meanwhile, None
        if meanwhile is not None:
            meanwhile()
        painter.drawText(10, 10, "12")
        painter.end()
        self.painted += 1
        self.deep -= 1


@pytest.fixture
def beside():
    """A window of a bar and a picture."""
    application = make_application()
    window, bar, picture = QWidget(), ShareBar(), Picture()
    row = QHBoxLayout(window)
    row.addWidget(bar)
    row.addWidget(picture)
    window.show()
    application.processEvents()
    assert picture.painted
    yield application, bar, picture
    let_go(window)


def test_a_bar_that_moves_is_painted_with_the_next_event_and_so_is_everything_else(beside):
    application, bar, picture = beside
    before = picture.painted
    picture.update()
    bar.show_share(0.25)
    assert picture.painted == before and bar.value() == 250
    application.processEvents()
    assert picture.painted == before + 1


def test_a_bar_may_move_while_something_is_painted(beside):
    application, bar, picture = beside
    picture.meanwhile = lambda: (picture.update(), bar.show_share(0.75))
    picture.update()
    application.processEvents()
    assert picture.deepest == 1 and bar.value() == 750


def test_pictures_may_start_work_and_nobody_hears_of_it_before_they_are_done():
    application, jobs, heard = make_application(), Jobs(), []
    jobs.changed.connect(lambda: heard.append(len(jobs.running())))
    try:
        jobs.start("g", "summing", lambda _progress: 1, lambda _answer: None)
        assert heard == [] and not jobs.is_idle()
        application.processEvents()
        assert heard
    finally:
        jobs.close()
