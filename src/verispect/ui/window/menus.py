"""Menus and keys: every action has both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
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
    from PyQt6.QtWidgets import QMainWindow

    from verispect.ui.drawings.three_views import BoardArea
    from verispect.ui.panels.subject import SubjectPanel
    from verispect.ui.state.plan_document import PlanDocument
    from verispect.ui.state.preferences import Preferences
    from verispect.ui.workflows.mark_files import MarksDesk
    from verispect.ui.workflows.photographs import PhotographDesk
    from verispect.ui.workflows.plan_files import FileDesk
    from verispect.ui.workflows.scans import ScanDesk


def _tr(text: str) -> str:
    return QCoreApplication.translate("Menu", text)


@dataclass(frozen=True)
class Menued:
    """What the menus act on: the window that bears them, desks, views, and the acts of the window itself."""

    bearer: QMainWindow
    document: PlanDocument
    preferences: Preferences
    files: FileDesk
    marks: MarksDesk
    photographs: PhotographDesk
    scans: ScanDesk
    subject: SubjectPanel
    board: BoardArea
    theme_name: str
    say: Callable[[str], object]
    add_mark: Callable[[], object]
    show_station: Callable[[str], object]
    take_method: Callable[[str | None], object]
    apply_theme: Callable[[str], object]
    set_system: Callable[[str], object]


def build_menus(given: Menued) -> tuple[QAction | None, ...]:
    """Fill the menu bar; gives undo and redo, which whoever asks must keep: PyQt keeps them for nobody."""
    _file_menu(given)
    kept = _edit_menu(given)
    _view_menu(given)
    _method_menu(given)
    help_menu = _menu(given, _tr("&Help"))
    _add(given, help_menu, _tr("&Keys and gestures"), "F1", lambda: _show_keys(given))
    _add(given, help_menu, _tr("&About Verispect"), None, lambda: _show_about(given))
    return kept


def _menu(given: Menued, text: str) -> QMenu:
    """A menu of the bar; Qt's types allow for a window that has none."""
    bar = given.bearer.menuBar()
    menu = bar.addMenu(text) if bar is not None else None
    assert menu is not None
    return menu


def _below(menu: QMenu, text: str) -> QMenu:
    found = menu.addMenu(text)
    assert found is not None
    return found


def _add(
    given: Menued,
    menu: QMenu,
    text: str,
    key: QKeySequence.StandardKey | str | None,
    slot: Callable[[], object],
) -> QAction:
    action = QAction(text, given.bearer)
    if key is not None:
        action.setShortcut(QKeySequence(key))
    action.triggered.connect(lambda _checked=False: slot())
    menu.addAction(action)
    return action


def _switch(given: Menued, text: str) -> QAction:
    """An action that stays on until it is chosen again."""
    action = QAction(text, given.bearer)
    action.setCheckable(True)
    return action


def _file_menu(given: Menued) -> None:
    desk, keys = given.files, QKeySequence.StandardKey
    menu = _menu(given, _tr("&Plan"))
    _add(given, menu, _tr("&New"), keys.New, desk.new)
    _add(given, menu, _tr("&Open…"), keys.Open, desk.choose_and_open)
    recent = _below(menu, _tr("Open &recent"))
    _fill_recent(given, recent)
    desk.recent_changed.connect(lambda: _fill_recent(given, recent))
    _add(given, menu, _tr("Open the &demo"), None, desk.demo)
    menu.addSeparator()
    _add(given, menu, _tr("&Save"), keys.Save, desk.save)
    _add(given, menu, _tr("Save &as…"), "Ctrl+Shift+S", desk.save_as)
    menu.addSeparator()
    _add(given, menu, _tr("&Field sheet (PDF)…"), "Ctrl+P", desk.save_sheet)
    _add(given, menu, _tr("Frame &list (CSV)…"), "Ctrl+Shift+P", desk.save_table)
    menu.addSeparator()
    _add(given, menu, _tr("Add &marks from a file…"), "Ctrl+Shift+M", given.marks.read)
    _add(given, menu, _tr("Save the marks as &CSV…"), None, lambda: given.marks.write(".csv"))
    _add(given, menu, _tr("Save the marks as &GPX…"), None, lambda: given.marks.write(".gpx"))
    menu.addSeparator()
    _add(given, menu, _tr("Open a p&hotograph…"), "Ctrl+Shift+O", given.photographs.open)
    _add(given, menu, _tr("Bring in a s&can…"), "Ctrl+Shift+I", given.scans.read)
    _add(given, menu, _tr("Save the drawin&gs…"), "Ctrl+Shift+D", given.files.save_drawings)
    menu.addSeparator()
    paper = _below(menu, _tr("Pa&per"))
    for size in ("A4", "Letter"):
        _add(given, paper, size, None, partial(setattr, given.preferences, "paper", size))
    menu.addSeparator()
    _add(given, menu, _tr("&Quit"), keys.Quit, given.bearer.close)


def _fill_recent(given: Menued, menu: QMenu) -> None:
    menu.clear()
    for path in given.preferences.recent:
        action = QAction(path.name, menu)
        menu.addAction(action)
        action.setToolTip(str(path))
        action.triggered.connect(lambda _checked=False, path=path: given.files.leave_for(path))
    menu.setEnabled(not menu.isEmpty())


def _edit_menu(given: Menued) -> tuple[QAction | None, ...]:
    menu = _menu(given, _tr("&Edit"))
    stack = given.document.undo_stack
    both = (
        stack.createUndoAction(given.bearer, _tr("&Undo")),
        stack.createRedoAction(given.bearer, _tr("&Redo")),
    )
    for action, key in zip(both, ("Ctrl+Z", "Ctrl+Shift+Z"), strict=True):
        action.setShortcut(QKeySequence(key))
        menu.addAction(action)
    menu.addSeparator()
    _add(
        given,
        menu,
        _tr("&Add mark"),
        "Ctrl+M",
        given.add_mark,
    )
    _add(given, menu, _tr("&Remove mark"), "Ctrl+Backspace", given.subject.remove_mark)
    return both


def _view_menu(given: Menued) -> None:
    menu = _menu(given, _tr("&View"))
    for number, (key, name) in enumerate(station_names().items(), start=1):
        _add(given, menu, name, f"Ctrl+{number}", partial(given.show_station, key))
    menu.addSeparator()
    _add(given, menu, _tr("&Fit the drawings"), "Ctrl+0", given.board.fit)
    _add(given, menu, _tr("&Zoom to the selected mark"), "Ctrl+9", given.board.zoom_to_selection)
    for board, key, name in (
        (given.board.elevation, "F6", _tr("Go to the &elevation")),
        (given.board.ground, "F7", _tr("Go to the &ground drawing")),
        (given.board.frame, "F8", _tr("Go to the f&rame")),
    ):
        _add(given, menu, name, key, board.canvas.setFocus)
    menu.addSeparator()
    field = _switch(given, _tr("&Softness everywhere"))
    field.setShortcut(QKeySequence("Ctrl+H"))
    field.toggled.connect(given.board.set_field)
    snap = _switch(given, _tr("S&nap to the ground and to marks"))
    snap.setShortcut(QKeySequence("Ctrl+G"))
    snap.toggled.connect(lambda on: setattr(given.board, "snaps", on))
    measure = _switch(given, _tr("&Measure between two places"))
    measure.setShortcut(QKeySequence("Ctrl+R"))
    measure.toggled.connect(lambda on: given.board.set_tool("measure" if on else ""))
    given.board.tool_changed.connect(lambda tool: measure.setChecked(tool == "measure"))
    picture = _switch(given, _tr("Rehearsed &picture of the method"))
    picture.setShortcut(QKeySequence("Ctrl+J"))
    picture.toggled.connect(given.board.picture_button.setChecked)
    given.board.picture_button.toggled.connect(picture.setChecked)
    menu.addActions([field, snap, measure, picture])
    menu.addSeparator()
    dusk = _switch(given, _tr("&Dusk theme"))
    dusk.setShortcut(QKeySequence("Ctrl+D"))
    dusk.setChecked(given.theme_name == "dusk")
    dusk.toggled.connect(lambda on: given.apply_theme("dusk" if on else "light"))
    feet = _switch(given, _tr("Feet and &inches"))
    feet.setShortcut(QKeySequence("Ctrl+I"))
    feet.setChecked(given.preferences.system == "imperial")
    feet.toggled.connect(lambda on: given.set_system("imperial" if on else "metric"))
    menu.addActions([dusk, feet])


def _method_menu(given: Menued) -> None:
    menu = _menu(given, _tr("&Method"))
    _add(given, menu, _tr("Take the &advised one"), "Alt+0", lambda: given.take_method(None))
    for number, method in enumerate(METHODS, start=1):
        _add(given, menu, say(Sentence(method.name)), f"Alt+{number}", partial(given.take_method, method.key))


def _show_keys(given: Menued) -> None:
    given.say(
        _tr(
            "Drag marks, the diamond (focus) or the square (plane) where they are drawn; drag elsewhere to pan, "
            "wheel to zoom. In a drawing the arrow keys nudge the selected mark, Shift makes it five times as far, "
            "+ and − zoom. Ctrl+1 to Ctrl+7 go to the stations, Alt+0 to Alt+8 take a method, F6 to F8 go to the "
            "drawings, Ctrl+0 fits them, Ctrl+9 zooms to the selected mark. Ctrl+H shows the softness everywhere, "
            "Ctrl+R measures, Ctrl+G snaps; a tool may be led by the arrow keys and used with Return, Escape puts it "
            "down."
        )
    )


def _show_about(given: Menued) -> None:
    from verispect import __version__

    QMessageBox.about(
        given.bearer,
        _tr("About Verispect"),
        _tr(
            "Verispect {0} plans how to render something large and deep sharp throughout.\n\n"
            "Free software under the GNU General Public License, version 3 or later; without warranty.\n"
            "The font is under the SIL Open Font License."
        ).format(__version__),
    )
