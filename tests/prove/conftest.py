"""Frames of a plan's own series, rehearsed once for all tests of a process."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import a_lens, make_plan
from verispect.files.run_file import read_run, write_run
from verispect.kit.equipment import Rail
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.resources.recall import Recall
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import SimulatedCamera, Writing, rehearse_to

SIZE = (720, 480)
QUICK = Quality(share=0.8, least=3)
Rehearse = Callable[..., Path]


@pytest.fixture(scope="session")
def series() -> Candidate:
    """Eight frames at 85 mm, f/4, judged on so small a print that blur is told at the size of these frames."""
    lens = a_lens(85.0, f_numbers=[4, 4], tilt_deg=0, closest_m=0.5)
    places = [
        (-0.3, 1.25, 1.6),
        (0.25, 1.7, 2.2),
        (0.1, 1.3, 3.0),
        (-0.4, 1.9, 4.5),
        (0.8, 1.4, 7.0),
        (0.1, 2.0, 9.0),
    ]
    plan = make_plan(places, framing=85.0, lenses=[lens], line_pairs_per_mm=0.6)
    return worked("series", build_scene(plan))


@pytest.fixture(scope="session")
def rail() -> Candidate:
    """A rail at a quarter of life size, five frames at f/2.8."""
    lens = a_lens(100.0, f_numbers=[2.8, 2.8], tilt_deg=0, closest_m=0.3, pupil_magnification=0.8)
    places = [(-0.05, 1.48, 0.49), (0.04, 1.52, 0.50), (-0.03, 1.53, 0.51), (0.05, 1.47, 0.525), (0.0, 1.5, 0.505)]
    plan = make_plan(places, framing=100.0, lenses=[lens], line_pairs_per_mm=0.6)
    kit = plan.kit.model_copy(update={"rail": Rail(travel_mm=100.0)})
    return worked("rail-series", build_scene(plan.model_copy(update={"kit": kit})))


@pytest.fixture(scope="session")
def small_grid() -> Candidate:
    """A turned grid of few frames over three marks far apart."""
    lens = a_lens(85.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-2.6, 1.5, 7.0), (0.0, 2.0, 7.4), (2.6, 1.2, 7.0)]
    plan = make_plan(places, framing=50.0, lenses=[lens])
    return worked("turned-grid", build_scene(plan))


@pytest.fixture(scope="session")
def known() -> Recall:
    """What was read of frames before, as the window keeps it: a check of the same ones looks at what is new."""
    return Recall()


@pytest.fixture(scope="session")
def rehearsed(tmp_path_factory, series: Candidate) -> Rehearse:
    """Give a folder of the series with faults as the command takes them; good frames are made once."""
    made: dict[tuple[str, ...], Path] = {}
    options = Options(pixels=SIZE, quality=QUICK)

    def of(*faults: str) -> Path:
        if faults in made:
            return made[faults]
        folder = tmp_path_factory.mktemp("frames") / "set"
        if not faults:
            rehearse_to(series, options, Writing(folder))
        else:
            good = of()
            shutil.copytree(good, folder)
            run = read_run(good / "run.json")
            camera = SimulatedCamera(series, options, Writing(folder, force=True))
            known = [parse_fault(text, frames=series.frame_count) for text in faults]
            for index in {fault.frame for fault in known}:
                camera.writing.path(index).unlink()
                taken = camera.take(series.shots[index], known)
                assert taken is not None
                run.frames[index] = taken
            write_run(run, folder / "run.json")
        made[faults] = folder
        return folder

    return of
