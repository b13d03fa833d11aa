"""Writes docs/screenshots anew from the demo plan, one picture for each main view, without a display."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PyQt6.QtCore import QDeadlineTimer, QSettings
from PyQt6.QtWidgets import QApplication

from verispect.ui.application import make_application, make_window
from verispect.ui.file_desk import demo_plan
from verispect.ui.main_window import MainWindow

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def settle(window: MainWindow) -> None:
    """Let the window paint and weigh until nothing is left to do."""
    limit = QDeadlineTimer(20_000)
    while True:
        QApplication.processEvents()
        if window.weigher.idle() or limit.hasExpired():
            break
    for _ in range(5):
        QApplication.processEvents()


def views() -> dict[str, Callable[[MainWindow], object]]:
    """File names and how to get to each view."""
    return {
        "subject": lambda w: (w.show_station("subject"), w.select_mark(5)),
        "kit": lambda w: w.show_station("kit"),
        "weigh": lambda w: w.show_station("weigh"),
        "set-tilt": lambda w: w.show_station("set"),
        "set-series": lambda w: w.take_method("series"),
        "set-turned-grid": lambda w: w.take_method("turned-grid"),
        "dusk": lambda w: (w.take_method(None), w.show_station("weigh"), w.apply_theme("dusk")),
    }


def main(folder: Path) -> None:
    """Take all pictures."""
    folder.mkdir(parents=True, exist_ok=True)
    app = make_application(sys.argv[:1])
    with tempfile.TemporaryDirectory() as place:
        settings = QSettings(str(Path(place) / "settings.ini"), QSettings.Format.IniFormat)
        window = make_window(settings=settings, recovery_folder=Path(place) / "recovery")
        window.document.open(demo_plan(), None)
        window.show()
        for name, go in views().items():
            settle(window)
            go(window)
            settle(window)
            window.grab().save(str(folder / f"{name}.png"))
        window.document.undo_stack.clear()
        window.close()
    app.processEvents()


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else OUT)
