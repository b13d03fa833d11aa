"""A photograph laid over frames and told to look elsewhere than it did: against the figures it was drawn by.

And against a central projection of points in space (a pinhole's formula, as everywhere in photogrammetry).
"""

from __future__ import annotations

import json
import math
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from verispect.cli import main
from verispect.errors import Cancelled
from verispect.files.plan_file import write_plan
from verispect.optics.types import Floats
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.looked import Pointed, aimed, turn_of, turned_world
from verispect.prove.matching.by_photograph import _from_line
from verispect.prove.merge.series import merge
from verispect.subject.photograph import Photograph

pytestmark = pytest.mark.xdist_group("frames")
BEARING, PITCH, FOCAL = 1.4, -0.6, 70.0
SIZE = (1080, 720)


@pytest.fixture(scope="module")
def photograph(tmp_path_factory, rehearsed, series: Candidate) -> Path:
    """The merged series as another camera at the same place draws it: a plane's homography, K R K⁻¹."""
    pixels = merge([rehearsed()], exposures=series.exposures, proof=True).pixels
    first = series.exposures[0]
    wide, high = pixels.shape[1], pixels.shape[0]
    scale = first.state.image_distance_mm / (series.scene.plan.sensor_mm[0] / wide)
    own = np.array([[scale, 0.0, (wide - 1) / 2], [0.0, scale, (high - 1) / 2], [0.0, 0.0, 1.0]])
    focal_px = FOCAL / 36.0 * SIZE[0]
    other = np.array([[focal_px, 0.0, (SIZE[0] - 1) / 2], [0.0, focal_px, (SIZE[1] - 1) / 2], [0.0, 0.0, 1.0]])
    # In right, down, forward: turned right about the axis that points down, then up.
    turn = Rotation.from_euler("YX", [BEARING, PITCH], degrees=True).as_matrix()
    shown = np.asarray(np.asarray(pixels, float) / 257.0, np.uint8)
    drawn = cv2.warpPerspective(shown, other @ turn.T @ np.linalg.inv(own), SIZE, borderMode=cv2.BORDER_REFLECT)
    path = tmp_path_factory.mktemp("photograph") / "beside.jpg"
    assert cv2.imwrite(str(path), np.asarray(drawn[..., ::-1] * 0.8, np.uint8))
    return path


def with_photograph(series: Candidate, path: Path, **figures: float) -> Candidate:
    photo = Photograph(file=path.name, pixels=SIZE, focal_mm=FOCAL, bearing_deg=BEARING, pitch_deg=PITCH)
    plan = series.scene.plan.model_copy(update={"photograph": photo.model_copy(update=figures)})
    return replace(series, scene=replace(series.scene, plan=plan))


def test_marks_are_found_where_the_photograph_shows_them(
    rehearsed, known, series: Candidate, photograph: Path
) -> None:
    """It is told to look 1.5 degrees farther left than it did; so do the marks that a person caught on it."""
    world = series.scene.world_m.copy()
    count = series.scene.mark_count
    eye = series.scene.plan.camera.pose().pupil_m
    really = Photograph(pixels=SIZE, focal_mm=FOCAL, bearing_deg=BEARING, pitch_deg=PITCH)
    aside = really.model_copy(update={"bearing_deg": BEARING - 1.5})
    distances = np.linalg.norm(world[:count] - eye, axis=1, keepdims=True)
    world[:count] = eye + distances * aside.directions(really.pixel_of(world[:count] - eye))
    told = with_photograph(series, photograph, bearing_deg=BEARING - 1.5)
    told = replace(told, scene=replace(told.scene, world_m=world))
    truth = {mark.name: mark for mark in check([rehearsed()], recall=known, candidate=series).marks}
    plain = {mark.name: mark.pixel for mark in check([rehearsed()], recall=known, candidate=told).marks}
    report = check([rehearsed()], recall=known, candidate=told, photograph=photograph)
    found = report.looked
    assert found is not None
    assert found.shared > 50
    assert found.by == ()
    assert (found.right_deg, found.up_deg, found.clockwise_deg) == pytest.approx((-1.5, 0.0, 0.0), abs=0.2)
    assert np.linalg.norm(found.stood_m) < 0.01 * float(np.median(distances))
    assert any("share with the plan's photograph the camera looked" in line for line in report.advice)
    seen = [mark for mark in report.marks if mark.pixel is not None and truth[mark.name].pixel is not None]
    assert len(seen) >= 4
    for mark in seen:
        right = truth[mark.name].pixel
        assert math.dist(mark.pixel, right) < 5.0
        assert plain[mark.name] is None or math.dist(plain[mark.name], right) > 20.0


def test_a_person_who_points_goes_before_the_photograph(
    rehearsed, known, series: Candidate, photograph: Path
) -> None:
    told = with_photograph(series, photograph)
    row, column = next(
        mark.pixel for mark in check([rehearsed()], recall=known, candidate=told).marks if mark.name == "m1"
    )
    report = check(
        [rehearsed()],
        recall=known,
        candidate=told,
        photograph=photograph,
        pointed=[Pointed("m1", row - 30.0, column + 20.0)],
    )
    assert report.looked is not None
    assert (report.looked.by, report.looked.shared) == (("m1",), 0)
    assert next(mark.pixel for mark in report.marks if mark.name == "m1") == pytest.approx(
        (row - 30.0, column + 20.0)
    )


def test_a_mark_behind_the_photograph_takes_no_point(rehearsed, known, series: Candidate, photograph: Path) -> None:
    world = series.scene.world_m.copy()
    world[0] = (0.3, 1.4, -2.0)
    told = with_photograph(series, photograph)
    told = replace(told, scene=replace(told.scene, world_m=world))
    found = check([rehearsed()], recall=known, candidate=told, photograph=photograph).looked
    assert found is not None
    assert (found.right_deg, found.up_deg) == pytest.approx((0.0, 0.0), abs=0.2)


def test_a_photograph_of_something_else_moves_nothing(
    rehearsed, known, series: Candidate, photograph, tmp_path
) -> None:
    rng = np.random.default_rng(4)
    other = cv2.GaussianBlur(rng.uniform(0.0, 255.0, (SIZE[1], SIZE[0], 3)).astype(np.uint8), (0, 0), 2.0)
    path = tmp_path / "other.png"
    assert cv2.imwrite(str(path), other)
    told = with_photograph(series, photograph)
    report = check([rehearsed()], recall=known, candidate=told, photograph=path)
    assert report.looked is None
    assert any("too little in common with the plan's photograph" in line for line in report.advice)
    as_planned = check([rehearsed()], recall=known, candidate=told)
    assert [mark.pixel for mark in report.marks] == [mark.pixel for mark in as_planned.marks]
    assert not any("photograph" in line for line in as_planned.advice)


def test_a_photograph_that_is_cut_keeps_no_frame_from_being_checked(
    rehearsed, known, series: Candidate, photograph: Path, tmp_path
) -> None:
    cut = tmp_path / "cut.jpg"
    cut.write_bytes(photograph.read_bytes()[:900])
    report = check([rehearsed()], recall=known, candidate=with_photograph(series, cut), photograph=cut)
    assert report.looked is None
    assert len(report.frames) == series.frame_count
    (said,) = [line for line in report.advice if "cut.jpg" in line]
    assert said.endswith("marks were looked for where the plan has them")


def test_nothing_goes_on_once_it_is_given_up(rehearsed, known, series: Candidate, photograph: Path) -> None:
    told = with_photograph(series, photograph)
    asked: list[int] = []

    def given_up() -> bool:
        asked.append(1)
        # After the first looks at the frames: while the photograph is laid over them.
        return len(asked) > series.frame_count + 1

    with pytest.raises(Cancelled):
        check([rehearsed()], recall=known, candidate=told, photograph=photograph, is_cancelled=given_up)


def test_the_command_takes_the_photograph_beside_the_plan(
    rehearsed, series: Candidate, photograph: Path, capsys
) -> None:
    told = with_photograph(series, photograph)
    plan = photograph.with_name("plan.verispect")
    write_plan(told.scene.plan, plan)
    asked = ["check", str(rehearsed()), "--plan", str(plan), "--method", "series", "--json", "--quiet"]
    assert main(asked) in (0, 1)
    assert json.loads(capsys.readouterr().out)["looked"]["shared"] > 50
    assert main([*asked, "--as-planned"]) in (0, 1)
    assert '"looked": null' in capsys.readouterr().out
    # What lies elsewhere is not opened unasked, whatever a plan says.
    away = told.scene.plan.model_copy(update={"photograph": Photograph(file="../elsewhere.png")})
    write_plan(away, plan)
    assert main(asked) in (0, 1)
    assert '"looked": null' in capsys.readouterr().out
    assert main([*asked, "--photograph", str(plan.with_name("none.jpg"))]) == 2
    assert "no such picture" in capsys.readouterr().err
    write_plan(series.scene.plan, plan)
    assert main([*asked, "--photograph", str(photograph)]) == 2
    assert "the plan has none" in capsys.readouterr().err


def test_points_in_space_tell_how_the_camera_looked_and_stood() -> None:
    rng = np.random.default_rng(11)
    planned = Rotation.from_euler("y", -20.0, degrees=True).as_matrix()
    away = rng.uniform(2.0, 12.0, 60)
    sights = np.column_stack([rng.uniform(-0.3, 0.3, 60), rng.uniform(-0.2, 0.2, 60), np.ones(60)])
    places = away[:, None] * (sights / np.linalg.norm(sights, axis=1, keepdims=True)) @ planned
    turn, stood = np.radians([1.2, -0.7, 0.4]), np.array([0.08, -0.05, 0.04])

    def drawn(there: Floats, world: Floats) -> Floats:
        seen = there @ (planned @ world).T
        return 2000.0 * seen[:, :2] / seen[:, 2:]

    told = drawn(places - stood, turned_world(turn, planned))
    # A tenth of them are of other things altogether.
    told[:6] += rng.uniform(-300.0, 300.0, (6, 2))
    found, off = aimed(lambda world, moved: (drawn(places - moved, world) - told) / 1.5, planned, 6.0)
    assert found == pytest.approx(turn, abs=2e-4)
    assert off == pytest.approx(stood, abs=2e-3)
    basis = planned @ turned_world(turn, planned)
    assert turn_of(basis, planned) == pytest.approx(turn, abs=1e-9)


def test_how_far_a_place_is_from_a_line() -> None:
    first, second = np.array([[0.0, 0.0]] * 3), np.array([[10.0, 0.0], [10.0, 0.0], [0.0, 0.0]])
    places = np.array([[4.0, 3.0], [13.0, 4.0], [3.0, 4.0]])
    assert np.linalg.norm(_from_line(places, first, second), axis=1) == pytest.approx((3.0, 5.0, 5.0))
