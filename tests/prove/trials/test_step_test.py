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


@pytest.mark.parametrize("subject", [True, False])
def test_from_the_pictures_of_a_run_within_five_hundredths(tmp_path, capsys, subject) -> None:
    # Without a word of the distance the picture's growth tells, here of a run that ends at infinity.
    first, last = (52.0, 50.5) if subject else (51.5, 50.0)
    grown(tmp_path, first, last, subject=subject)
    found = told(capsys, tmp_path, "--stop", 8, "--step", 3, "--frames", 9, "--focal", 50, "--circle", 0.03)
    assert found["focus_increment_mm_image_side"] == pytest.approx((first - last) / 24.0, rel=0.05)
    assert ("pictures" in found["how"]) != subject


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
