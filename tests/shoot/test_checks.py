"""What is to be looked at before the first frame follows from the plan."""

from __future__ import annotations

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.shoot.checks import checks, self_timer_s

PLACES = [(0.0, 1.5, 2.0), (0.2, 1.4, 9.0)]


def lines(key: str, *, focal: float = 35.0, marks: dict | None = None, **wish) -> list[str]:
    plan = make_plan(PLACES, framing=focal, lenses=[a_lens(focal)], marks=marks or {}, **wish)
    candidate = worked(key, build_scene(plan))
    assert candidate.fits, candidate.why_not
    return [str(line) for line in checks(candidate)]


def test_a_single_frame_needs_no_set() -> None:
    said = " ".join(lines("one-frame"))
    assert "dark frame" not in said
    assert "white balance" not in said
    assert "Manual focus" in said


def test_a_series_needs_fixed_exposure_and_a_dark_frame() -> None:
    said = " ".join(lines("series"))
    assert "dark frame" in said
    assert "fixed white balance" in said
    assert "Movements locked" not in said


def test_tilt_locks_its_movements() -> None:
    assert "Movements locked" in " ".join(lines("tilt"))


def test_what_moves_is_waited_for() -> None:
    assert "stillness" not in " ".join(lines("one-frame"))
    assert "stillness" in " ".join(lines("one-frame", marks={"speed_mm_s": 20.0}))


def test_the_timer_is_longer_than_the_camera_shakes() -> None:
    plan = make_plan(PLACES, framing=35.0, lenses=[a_lens(35.0)])
    candidate = worked("one-frame", build_scene(plan))
    assert self_timer_s(candidate) in (2.0, 5.0, 10.0)
    assert self_timer_s(candidate) >= candidate.scene.plan.kit.times.settle_s
    long = make_plan([(0.0, 1.5, 20.0)], framing=200.0, lenses=[a_lens(200.0)])
    assert self_timer_s(worked("one-frame", build_scene(long))) >= 5.0


def test_a_flash_is_set_by_hand_and_hands_have_no_legs() -> None:
    plan = make_plan(PLACES, framing=35.0, lenses=[a_lens(35.0)])
    times = plan.kit.times.model_copy(update={"flash_recycle_s": 4.0})
    flashed = plan.model_copy(update={"kit": plan.kit.model_copy(update={"times": times})})
    said = [str(line) for line in checks(worked("one-frame", build_scene(flashed)))]
    assert any("Flash by hand" in line and "4 s" in line for line in said)
    held = make_plan(PLACES, framing=35.0, lenses=[a_lens(35.0)], camera={"hand_held": True})
    by_hand = " ".join(str(line) for line in checks(worked("one-frame", build_scene(held))))
    assert "tripod" not in by_hand
    assert "Legs" not in by_hand
    assert "elbows" in by_hand
