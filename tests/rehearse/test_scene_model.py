"""Panels in an order in which they may be painted, and cut where they interleave."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from verispect.optics.convex import clipped
from verispect.plan.scene.scene import build_scene
from verispect.rehearse.scene_model import Panel, back_to_front, build_model

EYE = np.array([0.0, 1.5, 0.0])


def wall(depth: float, name: str, *, half: float = 2.0, slope: float = 0.0) -> Panel:
    outline = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)
    step = np.array([0.0, np.cos(slope), np.sin(slope)]) * 2 * half
    origin = np.array([-half, 1.5, depth]) - 0.5 * step
    return Panel(name, origin, np.array([2 * half, 0, 0]), step, outline, 0)


def first_hit(panels: list[Panel], towards: np.ndarray) -> str | None:
    """By plain ray casting: the name of the nearest panel that a ray from the eye meets."""
    best, name = np.inf, None
    for panel in panels:
        matrix = np.stack([panel.u_m, panel.v_m, -towards], axis=1)
        if abs(np.linalg.det(matrix)) < 1e-12:
            continue
        u, v, t = np.linalg.solve(matrix, EYE - panel.origin_m)
        if t > 1e-9 and t < best and inside(panel.outline, np.array([u, v])):
            best, name = t, panel.name
    return name


def inside(outline: np.ndarray, place: np.ndarray) -> bool:
    turns = [
        np.cross(np.append(b - a, 0), np.append(place - a, 0))[2]
        for a, b in zip(outline, np.roll(outline, -1, axis=0), strict=True)
    ]
    return all(turn >= -1e-12 for turn in turns) or all(turn <= 1e-12 for turn in turns)


@given(
    # Walls apart from one another: of two that coincide either may be on top.
    st.lists(st.tuples(st.integers(4, 24), st.floats(-1.2, 1.2)), min_size=2, max_size=6, unique_by=lambda w: w[0]),
    st.integers(0, 1000),
)
def test_painting_in_order_shows_what_a_ray_meets_first(walls: list[tuple[int, float]], seed: int) -> None:
    """Against ray casting: the last panel painted over a place is the nearest one there, also where they cross."""
    panels = [wall(0.5 * depth, f"w{k}", slope=slope) for k, (depth, slope) in enumerate(walls)]
    ordered = back_to_front(panels, EYE)
    rng = np.random.default_rng(seed)
    for _ in range(12):
        towards = np.array([*rng.uniform(-0.3, 0.3, 2), 1.0])
        last = None
        for panel in ordered:
            if first_hit([panel], towards) is not None:
                last = panel.name
        assert last == first_hit(panels, towards)


def test_clipping_keeps_the_part_where_a_line_is_positive() -> None:
    square = np.array([[0, 0], [2, 0], [2, 2], [0, 2]], float)
    part = clipped(square, square[:, 0] - 1.0)
    assert sorted(map(tuple, part.tolist())) == [(1.0, 0.0), (1.0, 2.0), (2.0, 0.0), (2.0, 2.0)]
    assert len(clipped(square, -1.0 - square[:, 0])) == 0


def test_a_plan_becomes_panels_of_its_own_things(demo) -> None:
    model = build_model(build_scene(demo))
    names = {panel.name for panel in model.panels}
    assert {"Backdrop", "Ground", "Vat house", "Trough", "Tower clockface"} <= names
    assert model.panels[0].name == "Backdrop"
    again = build_model(build_scene(demo))
    assert [panel.name for panel in again.panels] == [panel.name for panel in model.panels]


def test_marks_bear_placards_that_face_the_camera() -> None:
    plan = make_plan([(0.3, 1.2, 4.0)], lenses=[a_lens(24.0)], camera={"bearing_deg": 20.0, "pitch_deg": -5.0})
    scene = build_scene(plan)
    placard = next(panel for panel in build_model(scene).panels if panel.name == "m0")
    assert abs(float(placard.normal @ scene.pose.forward)) == pytest.approx(1.0)
    assert placard.corners_m.mean(axis=0) == pytest.approx([0.3, 1.2, 4.0], abs=1e-9)
