"""Heights above and below a leaning plane against the wedge's own faces, and stops against the ones beside them."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.optics.lens_state import depth_planes, plane_of_sharp_focus
from verispect.plan.frames.rendering import render
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.off_plane import off_plane

PLACES = [(-0.3, 0.9, 1.4), (0.2, 1.0, 2.2), (0.3, 0.92, 3.6), (0.0, 1.25, 3.0)]


def tilted():
    lens = a_lens(50.0, f_numbers=[4, 22], pupil_magnification=1.0)
    return worked("tilt", build_scene(make_plan(PLACES, framing=50.0, lenses=[lens])))


def test_heights_are_those_of_the_wedge() -> None:
    """The faces of the wedge of depth of field: planes through the hinge line (docs/derivations/blur.md, 6)."""
    candidate = tilted()
    exposure = candidate.exposures[0]
    near, far = depth_planes(exposure.state, exposure.allowed_blur_mm)
    g = plane_of_sharp_focus(exposure.state)
    for part in off_plane(candidate).slices:
        z = 1000.0 * part.distance_m

        def height(face, z=z):
            return (1.0 - face[2] * z) / face[1]

        ends = sorted(height(face) - height(g) for face in (near, far))
        assert part.below_mm == pytest.approx(-ends[0], rel=0.04)
        assert part.above_mm == pytest.approx(ends[1], rel=0.04)


def test_each_stop_is_the_widest_that_holds_its_mark() -> None:
    candidate = tilted()
    found = off_plane(candidate)
    assert {one.name for one in found.marks} == {f"m{k}" for k in range(4)}
    stops = candidate.problem.stops.tolist()
    for one in found.marks:
        k = candidate.scene.names.index(one.name)
        for stop in stops:
            opened = candidate.problem.exposure(candidate.exposures[0].state.at(stop))
            held = float(render(candidate.scene, [opened], candidate.criterion).softness[k]) <= 1.0
            if stop < one.f_number * 0.999:
                assert not held
            elif stop == one.f_number:
                assert held
                break
    g = plane_of_sharp_focus(candidate.exposures[0].state)
    for one, point in zip(found.marks, candidate.scene.points_mm, strict=True):
        assert one.off_mm == pytest.approx(float((1.0 - g @ point) / np.linalg.norm(g)), rel=1e-6)


def test_none_without_a_tilt() -> None:
    assert off_plane(worked("one-frame", build_scene(make_plan(PLACES)))) is None
    assert all(math.isfinite(part.distance_m) for part in off_plane(tilted()).slices)
