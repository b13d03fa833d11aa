"""Lenses put together, against ray transfer matrices (the textbook method of paraxial optics, Hecht ch. 6)."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.errors import GeometryError
from verispect.optics.compound_lens import (
    Cardinal,
    focal_from_magnification_mm,
    with_close_up_lens,
    with_converter,
)


def lens(power: float) -> np.ndarray:
    return np.array([[1.0, 0.0], [-power, 1.0]])


def gap(length: float) -> np.ndarray:
    return np.array([[1.0, length], [0.0, 1.0]])


def thick(main: Cardinal) -> np.ndarray:
    """From the front principal point to the rear one: between those planes heights stay as they are."""
    return lens(1.0 / main.focal_mm)


def cardinal_points(system: np.ndarray) -> tuple[float, float, float]:
    """Focal length, front principal point behind the first plane, rear one behind the last plane."""
    (a, _), (c, d) = system
    return -1.0 / c, (d - 1.0) / c, (1.0 - a) / c


@given(
    focal=st.floats(20, 120), separation=st.floats(-20, 30), pupil=st.floats(0.6, 2.0), power=st.floats(0.3, 5.0),
    ahead=st.floats(0, 40),
)  # fmt: skip
def test_close_up_lens_agrees_with_ray_transfer(focal, separation, pupil, power, ahead) -> None:
    main = Cardinal(focal, separation, pupil)
    found = with_close_up_lens(main, power_dioptres=power, ahead_mm=ahead)
    system = thick(main) @ gap(ahead) @ lens(power / 1000.0)
    effective, front, rear = cardinal_points(system)
    assert found.cardinal.focal_mm == pytest.approx(effective)
    assert found.front_shift_mm == pytest.approx(front - ahead, abs=1e-6)
    assert found.rear_shift_mm == pytest.approx(rear, abs=1e-6)
    # The exit pupil has not moved: f(1 − p) behind the rear principal point, before and after.
    before = focal * (1.0 - pupil)
    after = found.rear_shift_mm + found.cardinal.focal_mm * (1.0 - found.cardinal.pupil_magnification)
    assert after == pytest.approx(before, abs=1e-6)


@given(focal=st.floats(60, 400), pupil=st.floats(0.5, 1.8), times=st.floats(1.2, 3.0), before=st.floats(20, 50))
def test_converter_agrees_with_ray_transfer(focal, pupil, times, before) -> None:
    main = Cardinal(focal, 5.0, pupil)
    found = with_converter(main, times=times, from_image_mm=before)
    weak = -(times - 1.0) / (before * times)
    system = lens(weak) @ gap(focal - before) @ thick(main)
    effective, front, rear = cardinal_points(system)
    assert found.cardinal.focal_mm == pytest.approx(effective)
    assert effective == pytest.approx(times * focal)
    assert found.front_shift_mm == pytest.approx(front, abs=1e-6)
    assert found.rear_shift_mm == pytest.approx(rear + focal - before, abs=1e-6)
    # The entrance pupil has not moved: f(1 − 1/p) ahead of the front principal point, before and after.
    ahead_before = focal * (1.0 - 1.0 / pupil)
    ahead_after = found.cardinal.focal_mm * (1.0 - 1.0 / found.cardinal.pupil_magnification) - found.front_shift_mm
    assert ahead_after == pytest.approx(ahead_before, rel=1e-6, abs=1e-6)


def test_close_up_lens_at_infinity_focus_is_sharp_at_one_over_its_power() -> None:
    """Common practice: with 2 dioptres before a lens set to infinity, things half a metre away are sharp."""
    found = with_close_up_lens(Cardinal(80.0, 4.0, 1.1), power_dioptres=2.0, ahead_mm=30.0)
    image = 80.0 - found.rear_shift_mm
    f = found.cardinal.focal_mm
    object_mm = f * image / (image - f)
    assert object_mm - (30.0 + found.front_shift_mm) == pytest.approx(500.0)


def test_stop_factor_keeps_the_light_of_a_distant_scene() -> None:
    """A close-up lens adds no light: what changes is the focal length and how large the pupil looks."""
    found = with_close_up_lens(Cardinal(50.0), power_dioptres=4.0, ahead_mm=0.0)
    assert found.stop_factor == pytest.approx(found.cardinal.focal_mm / 50.0)
    assert with_converter(Cardinal(100.0), times=2.0, from_image_mm=40.0).stop_factor == 2.0


def test_impossible_things_are_said() -> None:
    with pytest.raises(GeometryError, match="multiply by more than 1"):
        with_converter(Cardinal(100.0), times=1.0, from_image_mm=40.0)
    with pytest.raises(GeometryError, match="weaker"):
        with_close_up_lens(Cardinal(50.0), power_dioptres=30.0, ahead_mm=100.0)


@given(focal=st.floats(20, 200), m=st.floats(0.05, 2.0), separation=st.floats(-20, 40))
def test_focal_length_from_magnification_is_a_round_trip(focal, m, separation) -> None:
    scale = focal * (2.0 + m + 1.0 / m) + separation
    found = focal_from_magnification_mm(scale_mm=scale, magnification=m, separation_mm=separation)
    assert found == pytest.approx(focal)
