"""A tilt found by eye: every step makes sharp what it says, and the end is the plane through the things looked at."""

from __future__ import annotations

import json
import math
from itertools import pairwise

import numpy as np
import pytest

from tests.conftest import DEMO, a_lens, make_plan
from verispect.cli import main
from verispect.optics.blur import blur_axes_mm
from verispect.optics.lens_state import axis_from_tilt_and_swing, from_principal_point
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.by_eye.focusing import procedure

# A table top that runs away under the lens, with something at either end and between.
GROUND = [(-0.3, 0.9, 1.4), (0.2, 0.9, 2.2), (0.3, 0.92, 3.6)]
LOOKING_DOWN = {"pitch_deg": -16.0}


def tilted(places=GROUND, **lens):
    lenses = [a_lens(50.0, f_numbers=[5.6, 22], **lens)]
    plan = make_plan(places, framing=50.0, lenses=lenses, camera=LOOKING_DOWN)
    found = worked("tilt", build_scene(plan))
    assert found.fits
    return found


def blur_of(candidate, step, names):
    """Long axes of the blur of named marks with the lens as a step leaves it."""
    exposure, lens = candidate.exposures[0], candidate.lens
    axis = axis_from_tilt_and_swing(tilt_rad=math.radians(step.tilt_deg), swing_rad=math.radians(step.swing_deg))
    v = (step.extension_mm + lens.shortest_image_mm) * axis[2]
    state = candidate.problem.state(f_number=exposure.state.f_number, image_distance_mm=v, axis=axis)
    marks = [candidate.scene.names.index(name) for name in names]
    points = from_principal_point(exposure.pose.to_camera_mm(candidate.scene.world_m[marks]), state)
    return blur_axes_mm(points, state)[0]


@pytest.mark.parametrize("mount", ["free", "rotating"])
def test_each_step_sharpens_the_thing_it_names(mount) -> None:
    candidate = tilted(tilt_mount=mount)
    found = procedure(candidate)
    assert found is not None
    assert found.steps[0].act == "focus"
    for before, step in pairwise(found.steps):
        at_fault = blur_of(candidate, step, [step.on])[0]
        assert at_fault < 1e-4
        if step.act == "focus":
            assert step.tilt_deg == before.tilt_deg
        elif step.act == "swing":
            assert step.tilt_deg == pytest.approx(before.tilt_deg, abs=1e-9)
    assert blur_of(candidate, found.steps[-1], found.checks).max() < 0.004
    assert 0.0 <= found.left < 1.0


@pytest.mark.parametrize(
    "places", [GROUND, [(-1.3, 0.3, 3.0), (1.2, 0.4, 6.0), (0.3, 0.2, 4.0)], [(-0.5, 0.9, 1.6), (0.6, 1.1, 2.2)]]
)
def test_it_ends_on_the_plane_through_the_things_looked_at(places) -> None:
    """The plane of a lens in closed form, g = a/f − n/v with g·P = 1 (docs/derivations/imaging.md, 4)."""
    candidate = tilted(places)
    found = procedure(candidate)
    assert found is not None
    end = found.steps[-1]
    axis = axis_from_tilt_and_swing(tilt_rad=math.radians(end.tilt_deg), swing_rad=math.radians(end.swing_deg))
    g = np.asarray(axis) / 50.0 - np.array([0.0, 0.0, 1.0 / ((end.extension_mm + 50.0) * axis[2])])
    marks = [candidate.scene.names.index(name) for name in found.checks]
    points = candidate.exposures[0].pose.to_camera_mm(candidate.scene.world_m[marks])
    # So near each thing that nobody sees it: a thousandth of its distance.
    assert np.abs((1.0 - points @ g) / np.linalg.norm(g)) == pytest.approx(0.0, abs=0.004 * points[:, 2].max())


def test_where_no_turn_and_turn_about_settles_both_leans_are_set_by_their_scales() -> None:
    """Two things about as far to either side: leaning for one takes the other out as far."""
    found = procedure(tilted([(-0.5, 0.9, 1.6), (0.6, 1.1, 2.2)]))
    assert [step.act for step in found.steps] == ["focus"]
    said = [str(line) for line in found.says]
    assert "by the scales, focus on" in said[0]
    assert said[1].startswith("on this plane the softest must is at 0.0")


def test_a_base_tilt_says_how_far_it_carries_the_lens() -> None:
    found = procedure(tilted(tilt_base_mm=80.0))
    assert found is not None
    tilt = math.radians(found.steps[-1].tilt_deg)
    assert found.forward_mm == pytest.approx(80.0 * math.sin(tilt))
    assert found.lower_mm == pytest.approx(80.0 * (1.0 - math.cos(tilt)))
    assert any("at its base" in str(line) for line in found.says)


def test_none_without_a_tilt_or_with_one_thing_alone() -> None:
    assert procedure(worked("one-frame", build_scene(make_plan(GROUND)))) is None
    assert procedure(worked("tilt", build_scene(make_plan(GROUND[:1])))) is None


def test_the_command_tells_it(capsys) -> None:
    assert main(["settings", str(DEMO), "--method", "tilt", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["focusing"]["steps"][0]["act"] == "focus"
    assert len(told["focusing"]["checks"]) >= 2
    assert told["off_plane"]["slices"]
    assert told["final"]["pixels"][0] > 0
