"""The pages of the stations, one in front; what is built late keeps its place with a word until then."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QStackedWidget, QWidget

_WIDTH = 520


def opening(words: str) -> QWidget:
    """What stands in a page's place until it is built."""
    label = QLabel(words)
    label.setAlignment(Qt.AlignmentFlag.AlignTop)
    label.setContentsMargins(16, 16, 16, 16)
    return label


class Pages(QStackedWidget):
    """One page for each station, by its key."""

    def __init__(self, pages: dict[str, QWidget]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setFixedWidth(_WIDTH)
        self.pages = dict(pages)
        for page in pages.values():
            page.setObjectName("panel")
            self.addWidget(page)

    def show_page(self, key: str) -> None:
        """Bring it to the front."""
        self.setCurrentWidget(self.pages[key])

    def key(self) -> str:
        """The key of the page in front."""
        return next(key for key, page in self.pages.items() if page is self.currentWidget())

    def put(self, key: str, page: QWidget, after: QWidget) -> None:
        """A page in the place that was kept for it; to the tabulator it comes after the widget named."""
        kept = self.pages[key]
        page.setObjectName("panel")
        place, in_front = self.indexOf(kept), self.currentWidget() is kept
        self.insertWidget(place, page)
        self.removeWidget(kept)
        kept.deleteLater()
        self.pages[key] = page
        if in_front:
            self.setCurrentWidget(page)
        # Built late, it would come last to the tabulator, after drawings and methods.
        for child in page.findChildren(QWidget):
            if child.window() is self.window() and child.focusPolicy() & Qt.FocusPolicy.TabFocus:
                QWidget.setTabOrder(after, child)
                after = child
