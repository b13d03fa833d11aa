"""Writes docs/screenshots anew from the demo plan, one picture for each main view, without a display."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

import numpy as np
from PIL import Image, ImageDraw
from PyQt6.QtCore import QDeadlineTimer, QSettings
from PyQt6.QtWidgets import QApplication

from verispect.subject.photograph import Photograph
from verispect.subject.surface import Surface
from verispect.ui.window.application import make_application, make_window
from verispect.ui.window.main_window import MainWindow
from verispect.ui.workflows.plan_files import demo_plan

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def settle(window: MainWindow) -> None:
    """Let the window paint and weigh until nothing is left to do."""
    limit = QDeadlineTimer(20_000)
    while not (window.weigher.idle() or limit.hasExpired()):
        QApplication.processEvents()
    # What comes after the advice is told a while later.
    rest = QDeadlineTimer(2500)
    while not rest.hasExpired():
        QApplication.processEvents()


def add_surfaces(window: MainWindow) -> None:
    """A yard and a wall of the demo's own scene."""
    yard = Surface(name="Yard paving", need="should", z_m=3.0, width_m=5.0, length_m=13.0)
    wall = Surface(
        name="Tower wall", kind="wall", need="should", x_m=5.0, z_m=24.2, slope_deg=90, width_m=6.0, length_m=12.0
    )
    window.document.update("surfaces", surfaces=(yard, wall))


def add_photograph(window: MainWindow) -> None:
    """A picture of the demo's scene, drawn from its own places: sky, ground, a tower, a yard."""
    width, height = 1500, 1000
    photo = Photograph(pixels=(width, height), focal_mm=22.0)
    image = Image.new("RGB", (width, height), (176, 184, 190))
    draw = ImageDraw.Draw(image)

    def flat(places: list[tuple[float, float, float]], fill: tuple[int, int, int]) -> None:
        eye = np.array([0.0, window.document.plan.camera.height_m, 0.0])
        rows = photo.pixel_of(np.array(places) - eye)
        draw.polygon([(float(column), float(row)) for row, column in rows], fill=fill)

    flat([(-400, 0, 300), (400, 0, 300), (9, 0, 1.2), (-9, 0, 1.2)], (128, 124, 116))
    flat([(-9, 0, 17.5), (-3, 0, 17.5), (-3, 5, 17.5), (-9, 5, 17.5)], (150, 140, 128))
    flat([(2, 0, 24.5), (8, 0, 24.5), (8, 12, 24.5), (2, 12, 24.5)], (140, 132, 124))
    flat([(-2.5, 0, 3), (2.5, 0, 3), (2.5, 0, 16), (-2.5, 0, 16)], (158, 154, 146))
    for k in range(3, 16):
        flat([(-2.5, 0, k), (2.5, 0, k), (2.5, 0, k + 0.06), (-2.5, 0, k + 0.06)], (112, 108, 102))
    path = window.preferences.folder / "yard.jpg"
    image.save(path, quality=92)
    window.photograph_desk.open_path(path)
    limit = QDeadlineTimer(20_000)
    while window.document.plan.photograph is None and not limit.hasExpired():
        QApplication.processEvents()
    window.document.update("focal length", photograph=photo.model_copy(update={"file": str(path)}))
    window.message.hide()


def look_up(window: MainWindow) -> None:
    """The camera pitched, as one does without thinking of the lines."""
    camera = window.document.plan.camera.model_copy(update={"pitch_deg": 8.0})
    window.document.update("pitch", camera=camera)


def wait(until: Callable[[], bool]) -> None:
    """Let the window work until something is so, or a minute is over."""
    limit = QDeadlineTimer(60_000)
    while not until() and not limit.hasExpired():
        QApplication.processEvents()


def rehearse(window: MainWindow) -> None:
    """The picture in the frame drawing."""
    window.board.picture_button.setChecked(True)
    wait(lambda: window.board.frame.rehearsed_of is not None)


def light(window: MainWindow) -> None:
    """A summer morning of the demo's place, the Sun before the camera."""
    window.document.undo_stack.setIndex(0)
    site = window.document.plan.site
    assert site is not None
    morning = {"from": "2027-06-14T06:30+02:00", "to": None, "away_azimuth_deg": 75.0}
    told = type(site).model_validate(site.model_dump(by_alias=True) | morning)
    window.document.update("site", site=told)
    window.subject.show_page("light")
    wait(lambda: "light_desk" in window.__dict__ and window.light_desk.day is not None)


def look(window: MainWindow) -> None:
    """The softest must under the loupe."""
    settle(window)
    window.weigh.beside.loupe.button.click()
    wait(lambda: window.loupe_desk._job is None)


def shoot(window: MainWindow) -> None:
    """A run with its first frame taken by the simulated camera."""
    desk = window.shoot_desk
    desk.begin()
    desk.take_simulated()
    wait(lambda: desk.state is not None and desk.state.place == 1)


def prove(window: MainWindow) -> None:
    """The rest of the run, then its frames checked and merged."""
    desk = window.shoot_desk
    while desk.state is not None and not desk.state.is_over:
        place = desk.state.place
        desk.take_simulated()
        wait(lambda place=place: desk.state is not None and desk.state.place > place)
    wait(lambda: desk._job is None)
    desk.end()
    wait(lambda: window.prove_desk.report is not None)
    window.prove_desk.merge(True)
    wait(lambda: window.prove_desk._job is None)
    window.message.hide()


def rig(window: MainWindow) -> None:
    """A turned grid's run that a rig is about to take."""
    window.apply_theme("light")
    window.take_method("turned-grid")
    wait(lambda: window.session.shown is not None and window.session.shown.candidate.key == "turned-grid")
    window.show_station("shoot")
    window.shoot_desk.begin()
    window.panels["shoot"].rig_button.setChecked(True)
    window.message.hide()


def views() -> dict[str, Callable[[MainWindow], object]]:
    """File names and how to get to each view."""
    return {
        "subject": lambda w: (w.show_station("subject"), w.select_mark(5)),
        "surfaces": lambda w: (w.subject.show_page("areas"), add_surfaces(w), w.board.set_field(True)),
        "photograph": lambda w: (w.board.set_field(False), w.subject.show_page("photograph"), add_photograph(w)),
        "camera": lambda w: (w.document.undo_stack.setIndex(0), w.subject.show_page("camera"), look_up(w)),
        "light": light,
        "kit": lambda w: (w.document.undo_stack.setIndex(0), w.subject.show_page("marks"), w.show_station("kit")),
        "weigh": lambda w: w.show_station("weigh"),
        "all-methods": lambda w: (w.weigh.setCurrentIndex(1), w.weigh.compare.sort_by(3)),
        "side-by-side": lambda w: (w.weigh.setCurrentIndex(2), look(w)),
        "set-tilt": lambda w: w.show_station("set"),
        "set-series": lambda w: w.take_method("series"),
        "set-turned-grid": lambda w: w.take_method("turned-grid"),
        "stop-and-time": lambda w: (w.take_method("tilt"), w.set.pages.setCurrentIndex(2)),
        "picture": lambda w: (
            w.set.pages.setCurrentIndex(0),
            w.take_method("series"),
            w.show_station("set"),
            rehearse(w),
        ),
        "shoot": lambda w: (w.board.picture_button.setChecked(False), w.show_station("shoot"), shoot(w)),
        "prove": prove,
        "keep": lambda w: (w.show_station("keep"), w.message.hide()),
        "dusk": lambda w: (
            w.take_method(None),
            w.weigh.setCurrentIndex(0),
            w.show_station("weigh"),
            w.apply_theme("dusk"),
        ),
        "rig": rig,
    }


def main(folder: Path) -> None:
    """Take all pictures."""
    folder.mkdir(parents=True, exist_ok=True)
    app = make_application(sys.argv[:1])
    with tempfile.TemporaryDirectory() as place:
        settings = QSettings(str(Path(place) / "settings.ini"), QSettings.Format.IniFormat)
        window = make_window(
            settings=settings, recovery_folder=Path(place) / "recovery", book_path=Path(place) / "book.sqlite"
        )
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
