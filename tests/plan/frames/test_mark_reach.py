"""The sharp stretch of each mark's ray: at its ends the exact blur is what is allowed, and its marks lie within."""

from __future__ import annotations

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import blur_axes_mm
from verispect.optics.lens_state import from_principal_point
from verispect.plan.frames.mark_reach import sharp_stretches
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

PLACES = [(-0.4, 1.2, 3.0), (0.5, 1.6, 4.0), (0.2, 1.5, 5.5)]


@pytest.mark.parametrize(("method", "within"), [("one-frame", 1e-3), ("tilt", 0.04), ("series", 1e-3)])
def test_blur_at_the_ends_is_what_is_allowed(method, within) -> None:
    lens = a_lens(50.0, f_numbers=[2.8, 16])
    candidate = worked(method, build_scene(make_plan(PLACES, framing=50.0, lenses=[lens], print_mm=(450, 300))))
    ends = sharp_stretches(candidate.scene, candidate.exposures, candidate.rendering)
    looked_at = 0
    for mark in range(3):
        exposure = candidate.exposures[candidate.rendering.exposure[mark]]
        for end in ends[mark]:
            points = from_principal_point(exposure.pose.to_camera_mm(end[None]), exposure.state)
            if points[0, 2] < 1e6:
                blur = float(blur_axes_mm(points, exposure.state)[0][0])
                assert blur == pytest.approx(exposure.allowed_blur_mm, rel=within)
                looked_at += 1
        # On one line with its mark, and around it where it is sharp.
        line = ends[mark] - exposure.position_m
        mark_at = candidate.scene.world_m[mark] - exposure.position_m
        unit = mark_at / np.linalg.norm(mark_at)
        assert np.linalg.norm(np.cross(line, unit), axis=1) / np.linalg.norm(line, axis=1) == pytest.approx(
            0, abs=1e-9
        )
        if candidate.rendering.softness[mark] < 0.95:
            assert line[0] @ unit <= np.linalg.norm(mark_at) <= line[1] @ unit
    assert looked_at >= 3


def test_where_no_blur_is_allowed_nothing_is_sharp() -> None:
    candidate = worked("one-frame", build_scene(make_plan([(0.0, 1.5, 3.0)], line_pairs_per_mm=400.0)))
    assert not candidate.holds
    assert np.isnan(sharp_stretches(candidate.scene, candidate.exposures, candidate.rendering)).all()
