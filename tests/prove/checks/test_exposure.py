"""Brightness and colour against planted gains."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from verispect.prove.checks.exposure import exposure_fault, off_the_rest, ratios_stops, set_off_the_rest, white_among
from verispect.prove.report import Fault, FrameReport

BASE = np.random.default_rng(0).uniform(0.05, 0.5, (60, 90, 3)).astype(np.float32)
EVERYWHERE = np.ones((60, 90), bool)


@given(st.floats(-1.0, 0.7), st.floats(-0.3, 0.3), st.floats(-0.3, 0.3))
def test_planted_gains_are_found(light: float, red: float, blue: float) -> None:
    gains = 2.0 ** np.array([light + red, light, light + blue])
    found = ratios_stops(BASE, (BASE * gains).astype(np.float32), EVERYWHERE)
    assert found[1:] == pytest.approx((red, blue), abs=0.02)
    assert found[0] == pytest.approx(light + 0.2126 * red + 0.0722 * blue, abs=0.02)


def test_a_part_that_changed_does_not_count() -> None:
    other = BASE.copy()
    other[:20, :20] = 0.9
    assert ratios_stops(BASE, other, EVERYWHERE)[0] == pytest.approx(0.0, abs=1e-6)


def test_where_nothing_is_shown_nothing_is_said() -> None:
    assert ratios_stops(BASE, BASE, np.zeros((60, 90), bool)) == (0.0, 0.0, 0.0)


@given(st.integers(0, 8), st.floats(0.2, 2.0), st.floats(-0.05, 0.05))
def test_the_odd_one_is_found_whatever_the_light_drifts(odd: int, size: float, drift: float) -> None:
    values = drift * np.arange(9)
    values[odd] += size
    off = off_the_rest(values.tolist(), [np.zeros(9)])
    assert off[odd] == pytest.approx(size, abs=0.05 + 0.1 * size)
    assert np.abs(np.delete(off, odd)).max() < 0.06 + 0.1 * size


@given(st.lists(st.sampled_from([-0.6, -0.25, 0.0, 0.3, 0.7]), min_size=6, max_size=12))
def test_frames_that_each_have_a_light_of_their_own_are_told_by_that(stops: list[float]) -> None:
    """Automatic exposure: whatever line lies nearest, no drift made it."""
    assume(not is_a_line(stops))
    off = off_the_rest(stops, [np.zeros(len(stops))])
    assert off.max() - off.min() == pytest.approx(max(stops) - min(stops), abs=1e-9)


def is_a_line(stops: list[float]) -> bool:
    """Whether a line leaves more than half of them within half of how far they are from the middle one."""
    at, values = np.arange(len(stops)), np.array(stops)
    away = np.median(np.abs(values - np.median(values)))
    for first in at:
        for second in at[first + 1 :]:
            line = values[first] + (values[second] - values[first]) / (second - first) * (at - first)
            if np.median(np.abs(values - line)) < 0.5 * away:
                return True
    return False


def test_what_frames_tell_of_their_times_is_allowed_for() -> None:
    """A bracket that tells its times is no fault; one that does not is."""
    bracket = np.array([0.0, 1.0, -1.0, 0.0, 1.0, -1.0])
    assert np.abs(off_the_rest(bracket.tolist(), [np.zeros(6), bracket])).max() < 1e-9
    assert np.abs(off_the_rest(bracket.tolist(), [np.zeros(6)])).max() > 0.5


def test_a_white_frame_among_others_had_too_much_light_unless_nobody_planned_it() -> None:
    def frames(**white: object) -> list[FrameReport]:
        made = [FrameReport(f"{k}.tif", planned_exposure=k) for k in range(4)]
        made[2].clipped_share = 0.97
        made[2].faults = [Fault("clipped", 0.97, "97 % of it is clipped", "")]
        for name, value in white.items():
            setattr(made[2], name, value)
        white_among(made, [0.2, 0.25, 1.0, 0.25])
        return made

    told = frames()
    assert [[fault.name for fault in one.faults] for one in told] == [[], [], ["clipped", "exposure"], []]
    assert told[2].exposure_stops == pytest.approx(2.0)
    assert told[2].verdict == "redo"
    assert frames(planned_exposure=None)[2].verdict == "doubtful"
    # As one of several shots it was to be so bright.
    assert frames(faults=[])[2].faults == []
    assert frames(clipped_share=0.5)[2].verdict == "doubtful"


def test_settings_tell_what_another_light_comes_from() -> None:
    assert set_off_the_rest([3.0, 3.0, 3.5, 3.0]) == [None, None, pytest.approx(0.5), None]
    assert set_off_the_rest([3.0, 3.0, 3.0]) == [0.0, 0.0, 0.0]
    asked = np.array([0.0, 0.3, 0.6])
    assert set_off_the_rest([3.0, 3.3, 4.6], asked) == [None, None, pytest.approx(1.0)]
    assert set_off_the_rest([3.0, None, 3.0]) == [None, None, None]
    assert set_off_the_rest([3.0]) == [None]
    set_so = exposure_fault(0.52, 0.5, "the others", "")
    assert set_so.says == "0.52 stops brighter than the others: it was set +0.50 stops"
    assert set_so.remedy == "take it again with the others' exposure"
    light = exposure_fault(-0.52, 0.0, "the others", ", or even it out")
    assert "set alike: the light changed" in light.says
    assert light.remedy == "take it again once the light is as it was, or even it out"
    assert "set alike" in exposure_fault(0.09, 0.0, "the others", "").says
    # Set a stop brighter, and darker all the same: neither alone is the cause.
    for unknown in (None, 1.0):
        assert exposure_fault(-0.52, unknown, "the others", "").says == "0.52 stops darker than the others"
