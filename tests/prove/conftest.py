"""Frames of a plan's own series, rehearsed once for all tests of a process."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import DEMO, a_lens, make_plan
from verispect.files.plan_file import read_plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rig.rehearsed_run import Writing, rehearse_to

SIZE = (900, 600)
Rehearse = Callable[..., Path]


@pytest.fixture(scope="session")
def demo_series() -> Candidate:
    return worked("series", build_scene(read_plan(DEMO)))


@pytest.fixture(scope="session")
def small_grid() -> Candidate:
    """A turned grid of few frames over three marks far apart."""
    lens = a_lens(85.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-2.6, 1.5, 7.0), (0.0, 2.0, 7.4), (2.6, 1.2, 7.0)]
    plan = make_plan(places, framing=85.0, lenses=[lens])
    return worked("turned-grid", build_scene(plan))


@pytest.fixture(scope="session")
def rehearsed(tmp_path_factory, demo_series: Candidate) -> Rehearse:
    """Give a folder of the demo's series with faults as the command takes them; each set is made once."""
    made: dict[tuple[str, ...], Path] = {}

    def of(*faults: str) -> Path:
        if faults not in made:
            folder = tmp_path_factory.mktemp("frames") / "set"
            known = [parse_fault(text, frames=demo_series.frame_count) for text in faults]
            rehearse_to(demo_series, Options(pixels=SIZE), Writing(folder), faults=known)
            made[faults] = folder
        return made[faults]

    return of
