"""The right side of a desk that shows one of several pages, chosen by tabs."""

from __future__ import annotations

from PyQt6.QtWidgets import QTabBar, QVBoxLayout, QWidget

from .pages import Pages
from .parts import hairline
from .words import grouped


class SideTabs(QWidget):
    """Tabs with a page each.

    Attributes
    ----------
    tabs
    """

    def __init__(self, name: str, pages: dict[str, QWidget]) -> None:
        """Make the pages by their titles; ``name`` is what the tabs are called by those who do not see them."""
        super().__init__()
        self.setObjectName("panel")
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName(name)
        self._titles = list(pages)
        stack = Pages()
        for title, page in pages.items():
            self.tabs.addTab(title)
            stack.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 3, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.tabs)
        column.addWidget(hairline())
        column.addWidget(stack, 1)
        self.tabs.currentChanged.connect(stack.setCurrentIndex)

    @property
    def page(self) -> int:
        """Which page is shown."""
        return self.tabs.currentIndex()

    def show_page(self, page: int) -> None:
        """Show a page."""
        self.tabs.setCurrentIndex(page)

    def show_count(self, page: int, count: int) -> None:
        """Say beside the title of a page how many things there are; nothing where there are none."""
        title = self._titles[page]
        self.tabs.setTabText(page, f"{title} {grouped(count)}" if count else title)
