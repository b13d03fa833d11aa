"""A camera's timer, buffer, card and flash, by hand and by trying every moment."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.kit.equipment import Times
from verispect.rig.camera_manner import CameraClock, Manner, manner_of, with_figures
from verispect.rig.device_program import RigError


def test_the_plan_s_own_times_are_its_camera_s() -> None:
    found = manner_of(Times(timer_s=2.0, write_s=0.7, flash_recycle_s=3.0))
    assert found == Manner(timer=2.0, write=0.7, recycle=3.0)


def test_a_timer_waits_and_a_picture_is_written_after_the_one_before_it() -> None:
    """By hand: opened 2 s after each trigger, closed 0.5 s later, 3 s of writing each."""
    clock = CameraClock(Manner(timer=2.0, write=3.0))
    assert clock.trigger(10.0, 0.5)[:2] == (12.0, 15.5)
    assert clock.trigger(11.0, 0.5)[:2] == (13.0, 18.5)
    assert clock.trigger(30.0, 0.5)[:2] == (32.0, 35.5)


def test_a_full_buffer_waits_for_room() -> None:
    """By hand: two held; the third waits until the first of them is on the card, at 4 s."""
    clock = CameraClock(Manner(write=4.0, buffer=2))
    assert [clock.trigger(t, 0.0)[:2] for t in (0.0, 1.0, 2.0)] == [(0.0, 4.0), (1.0, 8.0), (4.0, 12.0)]


@given(
    st.lists(st.floats(0.0, 3.0), min_size=1, max_size=20),
    st.floats(0.0, 4.0),
    st.integers(1, 5),
    st.floats(0.0, 1.0),
)
def test_never_more_are_held_than_the_buffer_takes(gaps, write, buffer, shutter) -> None:
    clock, at, shots = CameraClock(Manner(write=write, buffer=float(buffer))), 0.0, []
    for gap in gaps:
        at += gap
        shots.append(clock.trigger(at, shutter))
    for moment in [shot.begun_s for shot in shots]:
        held = sum(shot.begun_s <= moment < shot.written_s for shot in shots)
        assert held <= buffer or write + shutter == 0.0
    assert [shot.begun_s for shot in shots] == sorted(shot.begun_s for shot in shots)


def test_what_no_longer_goes_on_the_card_is_lost() -> None:
    clock = CameraClock(Manner(card=2.0))
    assert [clock.trigger(float(k), 0.1).written_s is None for k in range(4)] == [False, False, True, True]


def test_a_flash_that_is_half_full_gives_half_its_light() -> None:
    """By hand: three stops of the light are the flash's, 7/8; half of it leaves 1/8 + 7/16 of the whole."""
    clock = CameraClock(Manner(recycle=4.0))
    assert clock.trigger(0.0, 0.0).short_stops == 0.0
    assert clock.trigger(2.0, 0.0).short_stops == pytest.approx(-math.log2(1 / 8 + 7 / 16))
    assert clock.trigger(9.0, 0.0).short_stops == 0.0


@pytest.mark.parametrize(
    "text", ["speed=3", "write", "write=", "write=-1", "card=0", "buffer=0.5", "write=1e9", "=2"]
)
def test_a_figure_that_is_none_is_one_sentence(text: str) -> None:
    with pytest.raises(RigError, match="camera figure"):
        with_figures(Manner(), [text])
