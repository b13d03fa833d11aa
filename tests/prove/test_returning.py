"""A rehearsed yard taken twice, the camera moved and turned between by known amounts: both are found again."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import write_picture
from verispect.files.plan_file import plan_to_text
from verispect.optics.pose import Pose
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.expected import View
from verispect.prove.returning import Return, _solved, return_pose
from verispect.rehearse.camera import Options, Rehearsal
from verispect.rehearse.pupil_views import Quality
from verispect.rehearse.sensor_noise import srgb_16

# What is made once is made in one process.
pytestmark = pytest.mark.xdist_group("return")
SIZE = (960, 640)


def a_plan() -> Plan:
    plan = make_plan([(-0.5, 0.8, 4.0), (0.8, 2.0, 6.0)], framing=35.0, lenses=[a_lens(35.0, f_numbers=[11, 16])])
    surfaces = [
        {"name": "Yard", "z_m": 2.0, "width_m": 8.0, "length_m": 9.0, "need": "may"},
        {"name": "Wall", "kind": "wall", "z_m": 8.0, "slope_deg": 90, "width_m": 9.0, "length_m": 5.0, "need": "may"},
    ]
    return Plan.model_validate(plan.model_dump(mode="json", by_alias=True) | {"surfaces": surfaces})


@cache
def candidate() -> Candidate:
    return worked("one-frame", build_scene(a_plan()))


def turned(right_deg: float, up_deg: float, clockwise_deg: float) -> np.ndarray:
    """Rows right, up and forward of a camera so turned, each turn written out."""
    a, b, c = map(math.radians, (right_deg, up_deg, clockwise_deg))
    yaw = np.array([[math.cos(a), 0.0, -math.sin(a)], [0.0, 1.0, 0.0], [math.sin(a), 0.0, math.cos(a)]])
    pitch = np.array([[1.0, 0.0, 0.0], [0.0, math.cos(b), -math.sin(b)], [0.0, math.sin(b), math.cos(b)]])
    roll = np.array([[math.cos(c), -math.sin(c), 0.0], [math.sin(c), math.cos(c), 0.0], [0.0, 0.0, 1.0]])
    return roll @ pitch @ yaw


def frame(path: Path, moved_mm=(0.0, 0.0, 0.0), turns=(0.0, 0.0, 0.0), seed: int = 1) -> Path:
    exposure = candidate().exposures[0]
    pose = exposure.pose
    moved = Pose(pose.pupil_m + np.asarray(moved_mm) / 1000.0 @ pose.matrix, *(turned(*turns) @ pose.matrix))
    taken = replace(candidate(), exposures=(replace(exposure, pose=moved),))
    # The same things stand there, whatever the camera's place.
    rehearsal = Rehearsal(taken, Options(pixels=SIZE, quality=Quality(share=0.5, least=3), seed=seed))
    rehearsal._model = Rehearsal(candidate(), Options(pixels=SIZE, seed=1)).model
    picture = rehearsal.take(0).picture
    write_picture(path, srgb_16(picture))
    return path


@pytest.fixture(scope="module")
def then(tmp_path_factory) -> Path:
    return frame(tmp_path_factory.mktemp("return") / "then.tif")


MOVES = [
    ((12.0, -20.0, 35.0), (0.3, -0.2, 0.4)),
    ((-60.0, 15.0, -80.0), (-1.0, 0.6, -0.5)),
]


def found(then: Path, now: Path) -> Return:
    return return_pose(then, now, candidate().scene, candidate().exposures[0])


@pytest.mark.parametrize(("moved", "turns"), MOVES)
def test_where_it_moved_and_turned_is_found(then: Path, tmp_path: Path, moved, turns) -> None:
    told = found(then, frame(tmp_path / "now.tif", moved, turns, seed=2))
    assert np.all(np.abs(told.moved_mm - moved) < np.maximum(1.5 * told.moved_plus_minus_mm, 4.0))
    assert np.all(np.abs(told.turned_deg - turns) < np.maximum(1.5 * told.turned_plus_minus_deg, 0.03))
    assert told.features > 100
    assert np.all(told.moved_plus_minus_mm < 12.0)
    said = " ".join(map(str, told.says))
    assert ("back" in said) == (moved[2] > 0.0)
    assert ("raise" in said) == (moved[1] < 0.0)


def test_a_camera_that_did_not_move_stands_as_it_stood(then: Path, tmp_path: Path) -> None:
    told = found(then, frame(tmp_path / "now.tif", seed=3))
    assert np.abs(told.moved_mm).max() < 4.0
    assert np.abs(told.turned_deg).max() < 0.03


def test_the_command_tells_it_in_words_and_numbers(then: Path, tmp_path: Path, capsys) -> None:
    plan = tmp_path / "a.verispect"
    plan.write_text(plan_to_text(a_plan()))
    now = frame(tmp_path / "now.tif", *MOVES[0], seed=2)
    given = ["return", str(then), str(now), "--plan", str(plan), "--method", "one-frame"]
    assert main([*given, "--json"]) == 1
    told = json.loads(capsys.readouterr().out)
    assert told["moved_mm"]["forward"] == pytest.approx(35.0, abs=max(told["moved_plus_minus_mm"]["forward"], 4.0))
    assert any("back" in line for line in told["says"])


def test_too_little_in_common_is_said(then: Path, tmp_path: Path) -> None:
    plain = tmp_path / "plain.tif"
    write_picture(plain, np.full((SIZE[1], SIZE[0], 3), 30_000, np.uint16))
    with pytest.raises(FileError, match="at least 12"):
        found(then, plain)
    other = tmp_path / "other.tif"
    write_picture(other, np.full((100, 150, 3), 30_000, np.uint16))
    with pytest.raises(FileError, match="another size"):
        found(then, other)


def test_things_of_which_the_depth_is_told_wrong_do_not_decide() -> None:
    """Ten things on a near card, twenty behind it, of which eight are told to stand farther off than they do.

    Drawn here by a pinhole that knows nothing of how a pose is sought.
    """
    rng = np.random.default_rng(1)
    view = View(np.eye(3), 1500.0, (479.5, 319.5))
    far = np.repeat([1.5, 3.45], [10, 20])
    told = np.repeat([1.5, 3.45, 5.0], [10, 12, 8]) / far
    off: list[float] = []
    for _ in range(40):
        aside = np.column_stack([rng.uniform(-0.28, 0.28, 30), rng.uniform(-0.18, 0.18, 30), np.ones(30)])
        points = aside * far[:, None]
        moved, (b, p) = rng.uniform(-0.04, 0.04, 3), np.radians(rng.uniform(-0.8, 0.8, 2))
        forward = np.array([math.sin(b) * math.cos(p), math.sin(p), math.cos(b) * math.cos(p)])
        right = np.array([math.cos(b), 0.0, -math.sin(b)])
        seen = (points - moved) @ np.stack([right, np.cross(forward, right), forward]).T
        places = seen[:, :2] / seen[:, 2:] * [1500.0, -1500.0] + view.centre_px + rng.normal(0, 0.15, (30, 2))
        found = _solved(points * told[:, None], places, view)
        off += [*np.abs(found.moved_mm - 1000.0 * moved) / found.moved_plus_minus_mm,
                *np.abs(found.turned_deg[:2] - np.degrees([b, p])) / found.turned_plus_minus_deg[:2]]  # fmt: skip
    assert np.mean(np.array(off) < 1.0) > 0.94
    assert max(off) < 2.0
