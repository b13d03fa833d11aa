"""Stations that are not built yet: they say plainly what they will hold."""

from __future__ import annotations

from PyQt6.QtCore import QCoreApplication, Qt
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget


def _words(key: str) -> tuple[str, str]:
    def tr(text: str) -> str:
        return QCoreApplication.translate("Later", text)

    return {
        "shoot": (
            tr("Shoot is not built yet."),
            tr(
                "It will lead through the run frame by frame, with figures to be read at arm's length, and "
                "record what really happened. Until then take the field sheet from Set."
            ),
        ),
        "prove": (
            tr("Prove is not built yet."),
            tr(
                "It will read the frames on the spot, check that each is where and as sharp as planned, merge "
                "a proof and say what to shoot again before you pack up."
            ),
        ),
        "keep": (
            tr("Keep is not built yet."),
            tr("It will hold the logbook of jobs and what they teach about your kit: real scales, real times."),
        ),
    }[key]


class LaterPanel(QWidget):
    """One sentence of state and one of purpose."""

    def __init__(self, key: str) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 20, 16, 8)
        for text in _words(key):
            label = QLabel(text)
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            layout.addWidget(label)
        layout.addStretch(1)
