"""Menus and keys: every action has both."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QCoreApplication
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMessageBox

from verispect.plan.methods.method import METHODS
from verispect.sentence import Sentence
from verispect.ui.controls.translate import say
from verispect.ui.window.station_bar import station_names

if TYPE_CHECKING:
    from verispect.ui.window.main_window import MainWindow


def _tr(text: str) -> str:
    return QCoreApplication.translate("Menu", text)


def build_menus(window: MainWindow) -> None:
    """Fill the menu bar."""
    _file_menu(window)
    _edit_menu(window)
    _view_menu(window)
    _method_menu(window)
    help_menu = _menu(window, _tr("&Help"))
    _add(window, help_menu, _tr("&Keys and gestures"), "F1", lambda: _show_keys(window))
    _add(window, help_menu, _tr("&About Verispect"), None, lambda: _show_about(window))


def _menu(window: MainWindow, text: str) -> QMenu:
    """A menu of the bar; Qt's types allow for a window that has none."""
    bar = window.menuBar()
    menu = bar.addMenu(text) if bar is not None else None
    assert menu is not None
    return menu


def _below(menu: QMenu, text: str) -> QMenu:
    found = menu.addMenu(text)
    assert found is not None
    return found


def _add(
    window: MainWindow,
    menu: QMenu,
    text: str,
    key: QKeySequence.StandardKey | str | None,
    slot: Callable[[], object],
) -> QAction:
    action = QAction(text, window)
    if key is not None:
        action.setShortcut(QKeySequence(key))
    action.triggered.connect(lambda _checked=False: slot())
    menu.addAction(action)
    return action


def _switch(window: MainWindow, text: str) -> QAction:
    """An action that stays on until it is chosen again."""
    action = QAction(text, window)
    action.setCheckable(True)
    return action


def _file_menu(window: MainWindow) -> None:
    desk, keys = window.desk, QKeySequence.StandardKey
    menu = _menu(window, _tr("&Plan"))
    _add(window, menu, _tr("&New"), keys.New, desk.new)
    _add(window, menu, _tr("&Open…"), keys.Open, desk.choose_and_open)
    recent = _below(menu, _tr("Open &recent"))
    _fill_recent(window, recent)
    desk.recent_changed.connect(lambda: _fill_recent(window, recent))
    _add(window, menu, _tr("Open the &demo"), None, desk.demo)
    menu.addSeparator()
    _add(window, menu, _tr("&Save"), keys.Save, desk.save)
    _add(window, menu, _tr("Save &as…"), "Ctrl+Shift+S", desk.save_as)
    menu.addSeparator()
    _add(window, menu, _tr("&Field sheet (PDF)…"), "Ctrl+P", desk.save_sheet)
    _add(window, menu, _tr("Frame &list (CSV)…"), "Ctrl+Shift+P", desk.save_table)
    menu.addSeparator()
    _add(window, menu, _tr("Add &marks from a file…"), "Ctrl+Shift+M", window.marks_desk.read)
    _add(window, menu, _tr("Save the marks as &CSV…"), None, lambda: window.marks_desk.write(".csv"))
    _add(window, menu, _tr("Save the marks as &GPX…"), None, lambda: window.marks_desk.write(".gpx"))
    menu.addSeparator()
    _add(window, menu, _tr("Open a p&hotograph…"), "Ctrl+Shift+O", window.photograph_desk.open)
    _add(window, menu, _tr("Bring in a s&can…"), "Ctrl+Shift+I", window.scan_desk.read)
    _add(window, menu, _tr("Save the drawin&gs…"), "Ctrl+Shift+D", window.desk.save_drawings)
    menu.addSeparator()
    paper = _below(menu, _tr("Pa&per"))
    for size in ("A4", "Letter"):
        _add(window, paper, size, None, partial(setattr, window.preferences, "paper", size))
    menu.addSeparator()
    _add(window, menu, _tr("&Quit"), keys.Quit, window.close)


def _fill_recent(window: MainWindow, menu: QMenu) -> None:
    menu.clear()
    for path in window.preferences.recent:
        action = QAction(path.name, menu)
        menu.addAction(action)
        action.setToolTip(str(path))
        action.triggered.connect(lambda _checked=False, path=path: window.desk.leave_for(path))
    menu.setEnabled(not menu.isEmpty())


def _edit_menu(window: MainWindow) -> None:
    menu = _menu(window, _tr("&Edit"))
    stack = window.document.undo_stack
    # PyQt hands these two to their maker to keep: without a name of their own they would be gone at once.
    window.undo_actions = (
        stack.createUndoAction(window, _tr("&Undo")),
        stack.createRedoAction(window, _tr("&Redo")),
    )
    for action, key in zip(window.undo_actions, ("Ctrl+Z", "Ctrl+Shift+Z"), strict=True):
        action.setShortcut(QKeySequence(key))
        menu.addAction(action)
    menu.addSeparator()
    _add(
        window,
        menu,
        _tr("&Add mark"),
        "Ctrl+M",
        window.add_mark,
    )
    _add(window, menu, _tr("&Remove mark"), "Ctrl+Backspace", window.subject.remove_mark)


def _view_menu(window: MainWindow) -> None:
    menu = _menu(window, _tr("&View"))
    for number, (key, name) in enumerate(station_names().items(), start=1):
        _add(window, menu, name, f"Ctrl+{number}", partial(window.show_station, key))
    menu.addSeparator()
    _add(window, menu, _tr("&Fit the drawings"), "Ctrl+0", window.board.fit)
    _add(window, menu, _tr("&Zoom to the selected mark"), "Ctrl+9", window.board.zoom_to_selection)
    for board, key, name in (
        (window.board.elevation, "F6", _tr("Go to the &elevation")),
        (window.board.ground, "F7", _tr("Go to the &ground drawing")),
        (window.board.frame, "F8", _tr("Go to the f&rame")),
    ):
        _add(window, menu, name, key, board.canvas.setFocus)
    menu.addSeparator()
    field = _switch(window, _tr("&Softness everywhere"))
    field.setShortcut(QKeySequence("Ctrl+H"))
    field.toggled.connect(window.board.set_field)
    snap = _switch(window, _tr("S&nap to the ground and to marks"))
    snap.setShortcut(QKeySequence("Ctrl+G"))
    snap.toggled.connect(lambda on: setattr(window.board, "snaps", on))
    measure = _switch(window, _tr("&Measure between two places"))
    measure.setShortcut(QKeySequence("Ctrl+R"))
    measure.toggled.connect(lambda on: window.board.set_tool("measure" if on else ""))
    window.board.tool_changed.connect(lambda tool: measure.setChecked(tool == "measure"))
    picture = _switch(window, _tr("Rehearsed &picture of the method"))
    picture.setShortcut(QKeySequence("Ctrl+J"))
    picture.toggled.connect(window.board.picture_button.setChecked)
    window.board.picture_button.toggled.connect(picture.setChecked)
    menu.addActions([field, snap, measure, picture])
    menu.addSeparator()
    dusk = _switch(window, _tr("&Dusk theme"))
    dusk.setShortcut(QKeySequence("Ctrl+D"))
    dusk.setChecked(window.theme.name == "dusk")
    dusk.toggled.connect(lambda on: window.apply_theme("dusk" if on else "light"))
    feet = _switch(window, _tr("Feet and &inches"))
    feet.setShortcut(QKeySequence("Ctrl+I"))
    feet.setChecked(window.preferences.system == "imperial")
    feet.toggled.connect(lambda on: window.set_system("imperial" if on else "metric"))
    menu.addActions([dusk, feet])


def _method_menu(window: MainWindow) -> None:
    menu = _menu(window, _tr("&Method"))
    _add(window, menu, _tr("Take the &advised one"), "Alt+0", lambda: window.take_method(None))
    for number, method in enumerate(METHODS, start=1):
        _add(window, menu, say(Sentence(method.name)), f"Alt+{number}", partial(window.take_method, method.key))


def _show_keys(window: MainWindow) -> None:
    window.message.say(
        _tr(
            "Drag marks, the diamond (focus) or the square (plane) where they are drawn; drag elsewhere to pan, "
            "wheel to zoom. In a drawing the arrow keys nudge the selected mark, Shift makes it five times as far, "
            "+ and − zoom. Ctrl+1 to Ctrl+7 go to the stations, Alt+0 to Alt+8 take a method, F6 to F8 go to the "
            "drawings, Ctrl+0 fits them, Ctrl+9 zooms to the selected mark. Ctrl+H shows the softness everywhere, "
            "Ctrl+R measures, Ctrl+G snaps; a tool may be led by the arrow keys and used with Return, Escape puts it "
            "down."
        )
    )


def _show_about(window: MainWindow) -> None:
    from verispect import __version__

    QMessageBox.about(
        window,
        _tr("About Verispect"),
        _tr(
            "Verispect {0} plans how to render something large and deep sharp throughout.\n\n"
            "Free software under the GNU General Public License, version 3 or later; without warranty.\n"
            "The font is under the SIL Open Font License."
        ).format(__version__),
    )
