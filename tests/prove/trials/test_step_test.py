"""The step of a body's focus number, by hand and from rehearsed runs."""

from __future__ import annotations

import json

import cv2
import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.report import settings_of

BY_HAND = ["--stop", "8", "--step", "4", "--frames", "11", "--from", "0.5", "--to", "2", "--focal", "50"]


def told(capsys, *arguments):
    assert main(["step-test", *map(str, arguments), "--json"]) == 0
    return json.loads(capsys.readouterr().out)


def test_by_hand(capsys) -> None:
    # From the sensor 0.5 m and 2 m with 50 mm: v = (s − √(s² − 4 f s))/2 = 56.351 and 51.317 mm.
    found = told(capsys, *BY_HAND, "--circle", "0.03")
    near, far = ((s - np.sqrt(s * s - 200.0 * s)) / 2.0 for s in (500.0, 2000.0))
    assert found["focus_increment_mm_image_side"] == pytest.approx((near - far) / 40.0, rel=1e-9)
    assert found["per_step_of_depth"] == pytest.approx((near - far) / 40.0 / (2 * 8 * 0.03), rel=1e-9)
    assert 0.0 < found["plus_minus"] < 0.1 * found["per_step_of_depth"]


def test_infinity_may_be_an_end(capsys) -> None:
    run = [*BY_HAND[:7], "inf", *BY_HAND[8:]]
    found = told(capsys, *run, "--circle", "0.03")
    far = (2000.0 - np.sqrt(2000.0**2 - 200.0 * 2000.0)) / 2.0
    assert found["focus_increment_mm_image_side"] == pytest.approx((far - 50.0) / 40.0, rel=1e-9)


def grown(folder, first_mm: float, last_mm: float, *, subject: bool) -> None:
    """Two ends of a run: one texture, drawn as large as its image distance."""
    rng = np.random.default_rng(3)
    texture = cv2.GaussianBlur(rng.uniform(0.0, 1.0, (900, 1300)).astype(np.float32), (0, 0), 2.0)
    texture = (texture - texture.min()) / np.ptp(texture)
    for k, v in enumerate((first_mm, last_mm)):
        scale = v / first_mm
        matrix = np.array([[scale, 0.0, 649.5 * (1.0 - scale)], [0.0, scale, 449.5 * (1.0 - scale)]])
        drawn = cv2.warpAffine(texture, matrix, (1300, 900), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        pixels = np.repeat((np.clip(drawn, 0, 1) * 65535).astype(np.uint16)[..., None], 3, axis=2)
        told = (1.0 / (1.0 / 50.0 - 1.0 / v) + v) / 1000.0 if subject else None
        shot = Shot(f_number=8.0, focal_mm=50.0, subject_m=told)
        write_picture(folder / f"frame-{k}.tif", pixels[100:800, 150:1150], shot=shot)


RUN = ("--stop", 8, "--step", 3, "--frames", 9, "--focal", 50, "--circle", 0.03)


def test_frames_that_tell_their_focus_are_believed(tmp_path, capsys) -> None:
    grown(tmp_path, 52.0, 50.5, subject=True)
    found = told(capsys, tmp_path, *RUN)
    assert found["focus_increment_mm_image_side"] == pytest.approx(1.5 / 24.0, rel=0.01)
    assert "pictures" not in found["how"]


@pytest.mark.parametrize(("first", "last"), [(51.5, 50.0), (56.0, 52.0), (52.0, 56.0)])
def test_a_picture_s_growth_tells_within_its_bounds_and_one_distance_makes_it_sure(
    tmp_path, capsys, first, last
) -> None:
    """A lens drawn as a pinhole at its image distance; where it was focused is not known from growth alone."""
    grown(tmp_path, first, last, subject=False)
    moved = abs(first - last) / 24.0
    found = told(capsys, tmp_path, *RUN)
    assert "pictures" in found["how"]
    assert found["taken_no_nearer_m"] == pytest.approx(0.05 * (2.0 + 0.15 + 1.0 / 0.15), rel=1e-6)
    sure = found["focus_increment_plus_minus_mm"]
    assert found["focus_increment_mm_image_side"] == pytest.approx(moved, abs=sure)
    for option, v in (("--from", first), ("--to", last)):
        away = (1.0 / (1.0 / 50.0 - 1.0 / v) + v) / 1000.0 if v > 50.0 else "inf"
        better = told(capsys, tmp_path, *RUN, option, away)
        assert better["focus_increment_plus_minus_mm"] < 0.6 * sure
        assert better["focus_increment_mm_image_side"] == pytest.approx(moved, rel=0.01)
        assert better["taken_no_nearer_m"] is None


def test_growth_tells_nothing_of_a_lens_that_breathes(tmp_path, capsys) -> None:
    grown(tmp_path, 51.5, 50.0, subject=False)
    lens = a_lens(50.0, focusing="internal", closest_magnification=0.2)
    before = tmp_path / "a.verispect"
    before.write_text(plan_to_text(make_plan([(0.0, 1.5, 1.0)], framing=50.0, lenses=[lens])))
    assert main(["step-test", *map(str, (tmp_path, *RUN)), "--plan", str(before), "--lens", "50 tilt"]) == 2
    assert "--from and --to" in capsys.readouterr().err


def test_what_was_measured_is_kept_and_plans_the_next_bracket(tmp_path, capsys) -> None:
    places = [(0.0, 1.5, 1.0), (0.1, 1.5, 2.0), (0.0, 1.6, 6.0)]
    plan = make_plan(places, framing=50.0, lenses=[a_lens(50.0, f_numbers=[4, 8])], print_mm=(450, 300))
    before, after = tmp_path / "a.verispect", tmp_path / "b.verispect"
    before.write_text(plan_to_text(plan))
    found = told(capsys, *BY_HAND, "--plan", before, "--lens", "50 tilt", "--out", after)
    kept = read_plan(after)
    assert kept.kit.lenses[0].focus_step.per_step_of_depth == pytest.approx(found["per_step_of_depth"])
    bracket = settings_of(worked("series", build_scene(kept))).bracket
    assert bracket.step_number >= 1
    assert bracket.count >= 2


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        ([*BY_HAND], "--circle"),
        ([*BY_HAND[:6], "--circle", "0.03", "--focal", "50"], "--from"),
        ([*BY_HAND[:7], "0.1", *BY_HAND[8:], "--circle", "0.03"], "forms no image"),
        ([*BY_HAND, "--circle", "0.03", "--out", "x.verispect"], "--lens"),
        ([*BY_HAND[:9], "0.5", *BY_HAND[10:], "--circle", "0.03"], "did not move"),
    ],
)
def test_what_is_missing_or_wrong_is_said_in_one_sentence(capsys, arguments, says) -> None:
    assert main(["step-test", *arguments]) == 2
    assert says in capsys.readouterr().err
