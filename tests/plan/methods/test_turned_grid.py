"""Turned grids that go all round: a circle and a sphere as plans."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.files.plan_file import plan_to_text
from verispect.plan.advise.follow_up import further
from verispect.plan.advise.weigh import weigh
from verispect.plan.document import Plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.head import head_setting
from verispect.subject.surface import Surface


def all_round(around: str, *, lenses=None, surfaces=(), **camera) -> Plan:
    """Eight marks about the camera, at unlike heights and distances."""
    turns, away, up = np.arange(8) * math.pi / 4, [3, 8, 4, 20, 5, 9, 4, 12], [0, 1, -1, 1, 0, -1, 1, 0]
    places = [(r * math.sin(a), 1.5 + 0.25 * r * u, r * math.cos(a)) for a, r, u in zip(turns, away, up, strict=True)]
    lenses = lenses or [a_lens(24.0), a_lens(35.0)]
    plan = make_plan(places, lenses=lenses, camera={"around": around} | camera, print_mm=(3000, 400))
    data = plan.model_dump(by_alias=True)
    data["kit"]["head"] = {"turns": True}
    return Plan.model_validate(data | {"surfaces": list(surfaces)})


@pytest.mark.parametrize("around", ["circle", "sphere"])
def test_marks_on_every_side_are_held_by_a_grid_and_by_nothing_else(around: str) -> None:
    weighing = weigh(all_round(around))
    for candidate in weighing.candidates:
        if candidate.method.turns:
            assert candidate.holds
            assert candidate.rendering is not None
            assert candidate.rendering.inside.all()
        else:
            assert "all round" in str(candidate.why_not[0])
    head = head_setting(weighing.by_key("turned-grid"))
    assert head is not None
    assert head.covered
    assert head.smallest_overlap >= 0.3 - 0.005
    assert further(weighing) is not None


def test_final_pixels_are_the_turn_rolled_out() -> None:
    """By hand: a cylinder of the focal length's radius is 2 π f long; a sphere half as high as long."""
    found = worked("turned-grid", build_scene(all_round("circle", lenses=[a_lens(35.0)])))
    pixel = found.scene.plan.kit.body.pixel_mm
    # Framed by 24 mm a sensor 24 mm high looks half a tangent up and down.
    assert found.final_pixels == (round(2 * math.pi * 35.0 / pixel), round(2 * 0.5 * 35.0 / pixel))
    sphere = worked("turned-grid", build_scene(all_round("sphere", lenses=[a_lens(35.0)])))
    assert sphere.final_pixels == (round(2 * math.pi * 35.0 / pixel), round(math.pi * 35.0 / pixel))


def test_the_print_is_of_the_whole_turn() -> None:
    """By hand: 3 m for 2 π f at the framing; the frequency on the sensor is the print's times that enlargement."""
    plan = all_round("circle")
    assert plan.enlargement() == pytest.approx(min(3000 / (2 * math.pi * 24.0), 400 / 24.0))


def test_a_lens_shorter_than_the_framing_goes_round_too() -> None:
    found = worked("turned-grid", build_scene(all_round("circle", lenses=[a_lens(14.0)])))
    assert found.holds
    assert found.frame_count < 12


def test_what_lies_above_the_circle_is_outside_and_on_the_sphere_is_not() -> None:
    data = all_round("circle").model_dump(by_alias=True)
    data["marks"] = [*data["marks"], {"name": "high", "x_m": 0.5, "y_m": 9.0, "z_m": -1.0}]
    circle = Plan.model_validate(data)
    assert "high" in worked("turned-grid", build_scene(circle)).outside_names
    data["camera"]["around"] = "sphere"
    found = worked("turned-grid", build_scene(Plan.model_validate(data)))
    assert found.outside_names == ()
    assert found.holds


def test_a_surface_behind_the_camera_counts() -> None:
    wall = Surface(name="Behind", kind="wall", z_m=-6.0, bearing_deg=180.0, width_m=4.0, length_m=3.0)
    scene = build_scene(all_round("circle", surfaces=[wall.model_dump()]))
    of_wall = scene.world_m[scene.mark_count :]
    assert len(of_wall) > 10
    assert np.all(of_wall[:, 2] < 0.0)
    framed = build_scene(make_plan([(0.0, 1.5, 5.0)]).model_copy(update={"surfaces": (wall,)}))
    assert len(framed.world_m) == framed.mark_count


def test_frames_are_rehearsed_checked_and_joined_into_a_turn_that_closes(tmp_path, capsys) -> None:
    import tifffile

    path, folder, out = tmp_path / "round.verispect", tmp_path / "frames", tmp_path / "round.tif"
    path.write_text(plan_to_text(all_round("circle", lenses=[a_lens(24.0)])))
    assert main(["rehearse", str(path), "--method", "turned-grid", "--out", str(folder), "--pixels", "200x132"]) == 0
    capsys.readouterr()
    assert main(["check", str(folder), "--plan", str(folder / "run.json"), "--json"]) == 0
    assert {frame["verdict"] for frame in json.loads(capsys.readouterr().out)["frames"]} == {"good"}
    assert main(["join", str(folder), "--plan", str(folder / "run.json"), "--out", str(out)]) == 0
    joined = tifffile.imread(out).astype(float)
    assert joined.shape[1] == pytest.approx(2 * math.pi * 24.0 / (36.0 / 200), rel=0.015)
    middle = joined[joined.shape[0] // 3 : joined.shape[0] // 2]
    ends = np.abs(middle[:, 0] - middle[:, -1]).mean()
    aside = np.abs(middle[:, 100] - middle[:, 101]).mean()
    assert ends <= 3.0 * aside + 300.0
