"""Starting the window."""

from __future__ import annotations

import gc
import logging
import sys
from pathlib import Path
from types import TracebackType

from platformdirs import user_config_path, user_state_path
from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtWidgets import QApplication

from verispect.files.recovery import RecoveryStore
from verispect.ui.controls.theme import font
from verispect.ui.window.main_window import MainWindow
from verispect.ui.work.worker import check_shared_memory
from verispect.ui.workflows.plan_files import demo_plan

_log = logging.getLogger("verispect")
_CARDS_AFTER_MS = 1500


def make_application(arguments: list[str]) -> QApplication:
    """The Qt application with the program's font."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(arguments)
    app.setApplicationName("verispect")
    app.setApplicationDisplayName("Verispect")
    app.setStyle("Fusion")
    app.setFont(font(10.0))
    return app


def make_window(
    *, settings: QSettings | None = None, recovery_folder: Path | None = None, book_path: Path | None = None
) -> MainWindow:
    """A window with its settings and recovery folder; those of the user by default."""
    complaint = ""
    if settings is None:
        path = user_config_path("verispect") / "settings.ini"
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            # Without a home of its own the program works all the same, and forgets.
            complaint = f"{path.parent}: {(error.strerror or str(error)).lower()}"
        settings = QSettings(str(path), QSettings.Format.IniFormat)
    folder = recovery_folder or user_state_path("verispect") / "recovery"
    window = MainWindow(settings, RecoveryStore(folder), book_path)
    if complaint:
        told = window.tr("Settings, the last kit and recovery copies cannot be kept ({0}); save often.")
        # After what is opened first, which takes away what was said before it.
        QTimer.singleShot(0, lambda: window.notices.report(told.format(complaint)))
    return window


def keep_quick() -> None:
    """Short turns for threads, and few collections of what is there to stay: both would show in a drag."""
    sys.setswitchinterval(0.0005)
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)
    gc.enable()


def run(path: Path | None, *, demo: bool = False) -> int:
    """Open the window and stay until it closes.

    Raises
    ------
    FileError
        Where processes cannot work beside the window.
    """
    logging.basicConfig(level=logging.WARNING)
    check_shared_memory()
    app = make_application(sys.argv[:1])
    window = make_window()
    _report_faults(window)
    if demo:
        window.document.open(demo_plan(), None)
    else:
        window.desk.new()
    window.show()
    keep_quick()
    if path is not None:
        window.open_path(path)
    QTimer.singleShot(0, window.desk.offer_recovery)
    # When it stands, and not while it is being built.
    QTimer.singleShot(_CARDS_AFTER_MS, lambda: window.card_desk)
    return app.exec()


def _report_faults(window: MainWindow) -> None:
    """A fault of the program is logged and said in one sentence; the work stays, and a copy is kept."""

    said: set[str] = set()

    def on_fault(kind: type[BaseException], fault: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            window.close()
            return
        key = repr(fault)
        if key in said:
            return
        said.add(key)
        _log.error("unforeseen fault", exc_info=(kind, fault, trace))
        window.desk.autosave()
        window.message.say(
            window.tr("Something went wrong in the program itself; your work is still here. Save it and start again.")
        )

    sys.excepthook = on_fault
