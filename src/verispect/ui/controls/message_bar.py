"""One sentence above the board, with what can be done about it; never a dialogue in the way."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from verispect.errors import VerispectError
from verispect.ui.controls.translate import say_error


class MessageBar(QWidget):
    """Hidden while there is nothing to say."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._words = QLabel()
        self._words.setWordWrap(True)
        # Names and paths stand in it: they are text, whatever they look like.
        self._words.setTextFormat(Qt.TextFormat.PlainText)
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(10, 4, 6, 4)
        self._layout.addWidget(self._words, 1)
        self._buttons: list[QPushButton] = []
        self.hide()

    @property
    def text(self) -> str:
        """What is said now; empty when hidden."""
        return self._words.text() if self.isVisibleTo(self.parentWidget()) else ""

    def say(
        self, told: str | VerispectError, actions: Sequence[tuple[str, Callable[[], object]]] | None = None
    ) -> None:
        """Show a sentence with buttons; one to put it away is always there."""
        text = told if isinstance(told, str) else say_error(told)
        for button in self._buttons:
            self._layout.removeWidget(button)
            # Gone at once, not only when the event loop comes to it.
            button.hide()
            button.deleteLater()
        self._buttons = []
        self._words.setText(text)
        for words, action in [*(actions or []), (self.tr("Close"), lambda: None)]:
            button = QPushButton(words)
            button.clicked.connect(self.hide)
            button.clicked.connect(lambda _checked, action=action: action())
            self._layout.addWidget(button)
            self._buttons.append(button)
        self.show()
