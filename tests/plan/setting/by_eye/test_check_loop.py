"""The loop at full magnification, answered by eyes that see what the lens shows, and by eyes never pleased."""

from __future__ import annotations

import itertools

import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.by_eye.check_loop import Act, check_loop


def loop(places=((0.0, 1.5, 2.0), (0.2, 1.6, 5.0)), **lens):
    plan = make_plan(list(places), framing=35.0, lenses=[a_lens(35.0, tilt_deg=0, **lens)], print_mm=(300, 200))
    return check_loop(worked("one-frame", build_scene(plan)))


def seen(found, turn, off_mm=0.0):
    """What a lens whose focus really stands `off_mm` away shows: sharp within N times what is allowed."""
    room = found._room_mm(turn.f_number)
    at = turn.image_mm + off_mm
    return {"near_sharp": abs(at - found.near_mm) <= room, "far_sharp": abs(at - found.far_mm) <= room}


def run(found, eye, most=40):
    turn = found.begin()
    for _ in range(most):
        turn = found.answered(turn, **eye(turn))
        if turn.act in (Act.DONE, Act.GIVE_UP):
            return turn
    raise AssertionError("it never ends")


def test_near_needs_the_longer_image_distance() -> None:
    found = loop()
    assert (found.near, found.far) == ("m0", "m1")
    assert found.near_mm > found.far_mm


@pytest.mark.parametrize("off_mm", [0.0, 0.02, -0.02, 0.05, -0.05, 0.1])
def test_with_a_focus_that_stands_off_it_still_ends_sharp(off_mm) -> None:
    """Whatever the scale is off by, the eye leads back: at the end both really are sharp."""
    found = loop()
    end = run(found, lambda turn: seen(found, turn, off_mm))
    assert end.act is Act.DONE
    assert all(seen(found, end, off_mm).values())


@pytest.mark.parametrize("answers", list(itertools.product([True, False], repeat=2))[1:])
def test_eyes_never_pleased_come_to_the_end_of_the_stops(answers) -> None:
    found = loop()
    near, far = answers
    end = run(found, lambda _turn: {"near_sharp": near, "far_sharp": far})
    assert end.act is Act.GIVE_UP
    assert end.f_number == found.stops[-1]
    assert "four ways" in str(found.says(end)[0])


def test_the_first_act_follows_what_was_seen() -> None:
    found = loop()
    nearer = found.answered(found.begin(), near_sharp=False, far_sharp=True)
    farther = found.answered(found.begin(), near_sharp=True, far_sharp=False)
    assert nearer.act in (Act.NEARER, Act.STOP_DOWN)
    assert farther.act in (Act.FARTHER, Act.STOP_DOWN)
    if nearer.act is Act.NEARER:
        assert nearer.image_mm > found.begin().image_mm
    both = found.answered(found.begin(), near_sharp=False, far_sharp=False)
    assert both.act is Act.STOP_DOWN
    assert both.f_number == found.stops[1]
    assert found.begin().f_number == found.candidate.exposures[0].state.f_number


def test_none_for_a_series_or_one_thing_alone() -> None:
    assert loop(places=[(0.0, 1.5, 3.0)]) is None
    series = worked("series", build_scene(make_plan([(0.0, 1.5, 0.8), (0.2, 1.6, 30.0)])))
    assert series.frame_count > 1
    assert check_loop(series) is None
