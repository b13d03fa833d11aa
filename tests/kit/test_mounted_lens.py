"""A lens of the kit at one focal length: interpolation, references, fitted things, breathing, its own blur."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.conftest import a_lens
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import focal_range, optic_at
from verispect.optics.lens_state import LensState
from verispect.plan.solve.problem import residual_blur_mm


def zoom(**values) -> Lens:
    rows = [
        {"focal_mm": 24, "pupil_magnification": 1.8, "closest_m": 0.4, "f_numbers": [2.8, 22], "image_circle_mm": 44},
        {"focal_mm": 96, "pupil_magnification": 0.9, "closest_m": 0.6, "f_numbers": [5.6, 22], "image_circle_mm": 50},
    ]
    plain = {"name": "zoom", "focal_mm": [24, 96], "f_numbers": [2.8, 22], "closest_m": 0.4, "by_focal": rows}
    return Lens.model_validate(plain | values)


def test_data_by_focal_length_are_straight_in_its_logarithm() -> None:
    middle = optic_at(zoom(), 48.0)
    assert middle.pupil_magnification == pytest.approx(1.35)
    assert middle.image_circle_mm == pytest.approx(47.0)
    assert middle.f_numbers == pytest.approx((4.2, 22.0))
    assert optic_at(zoom(), 96.0).pupil_magnification == pytest.approx(0.9)
    assert optic_at(zoom(by_focal=[]), 48.0).pupil_magnification == 1.0


def test_the_contracts_plain_lens_is_taken_as_it_stands() -> None:
    optic = optic_at(Lens.model_validate(a_lens(24.0)), 24.0)
    assert (optic.focal_mm, optic.pupil_magnification, optic.principal_separation_mm) == (24.0, 1.0, 0.0)
    assert optic.shortest_image_mm == 24.0
    assert (optic.tilt_deg, optic.shift_mm, optic.f_numbers) == (8.5, 12.0, (2.8, 22.0))


@pytest.mark.parametrize("reference", ["sensor", "front", "principal"])
def test_closest_focus_is_reckoned_from_its_reference(reference) -> None:
    """Hand-worked: 50 mm, separation 6, front 20 ahead of the front principal point, object at 450 mm from it."""
    image = 50.0 * 450.0 / 400.0
    marked = {"sensor": 450.0 + image + 6.0, "front": 430.0, "principal": 450.0}[reference]
    lens = Lens(
        name="l", focal_mm=(50, 50), f_numbers=(2, 16), closest_m=marked / 1000.0, closest_from=reference,
        front_ahead_mm=20.0, principal_separation_mm=6.0,
    )  # fmt: skip
    optic = optic_at(lens, 50.0)
    assert optic.longest_image_mm == pytest.approx(image)
    assert optic.closest_mm == pytest.approx(450.0)


def test_the_entrance_pupil_gives_the_front() -> None:
    """The pupil lies f(1 − 1/p) ahead of the front principal point, so the front 30 mm before it is known too."""
    lens = Lens(
        name="l",
        focal_mm=(50, 50),
        f_numbers=(2, 16),
        closest_m=0.5,
        pupil_behind_front_mm=30.0,
        pupil_magnification=2.0,
    )
    assert optic_at(lens, 50.0).front_ahead_mm == pytest.approx(30.0 + 25.0)


def test_tubes_as_long_as_the_focal_length_give_life_size() -> None:
    lens = Lens.model_validate(a_lens(50.0, fitted={"tube_mm": 50.0}))
    optic = optic_at(lens, 50.0)
    assert optic.shortest_image_mm == pytest.approx(100.0)
    assert optic.longest_image_mm > 100.0
    # Infinity is gone: the farthest sharp thing stands at 2 f.
    f, v = optic.focal_mm, optic.shortest_image_mm
    assert f * v / (v - f) == pytest.approx(100.0)


def test_converter_multiplies_focal_length_and_stop_and_keeps_closest_distance_about() -> None:
    bare, longer = Lens.model_validate(a_lens(100.0)), Lens.model_validate(
        a_lens(100.0, fitted={"converter_times": 1.4, "converter_from_image_mm": 40.0})
    )  # fmt: skip
    assert focal_range(longer) == pytest.approx((140.0, 140.0))
    optic = optic_at(longer, 140.0)
    assert optic.f_numbers == pytest.approx((2.8 * 1.4, 22 * 1.4))
    assert optic.longest_image_mm / optic.focal_mm == pytest.approx(
        optic_at(bare, 100.0).longest_image_mm / 100.0
    )  # the magnification grows by 1.4 where the image distance does


def test_a_zoom_with_a_close_up_lens_is_found_by_its_acting_focal_length() -> None:
    lens = zoom(fitted={"close_up_dioptres": 2.0}, front_ahead_mm=20.0)
    short, long = focal_range(lens)
    assert short < 24.0
    assert long < 96.0
    wanted = 0.5 * (short + long)
    optic = optic_at(lens, wanted)
    assert optic.focal_mm == pytest.approx(wanted, rel=1e-9)
    assert optic.bare_focal_mm > wanted


def macro() -> Lens:
    return Lens.model_validate(a_lens(100.0, closest_m=0.3, focusing="internal", closest_magnification=1.0))


def test_inner_focusing_lens_has_the_magnification_that_was_measured() -> None:
    lens = Lens(
        name="macro",
        focal_mm=(100, 100),
        f_numbers=(2.8, 22),
        closest_m=0.3,
        focusing="internal",
        closest_magnification=1.0,
    )
    optic = optic_at(lens, 100.0)
    # Object to image is 4 f at life size: 300 / 4.
    assert optic.closest_focal_mm == pytest.approx(75.0)
    near = optic.breathing_at(optic.closest_mm)
    assert near.focal_mm == pytest.approx(75.0)
    assert near.longest_image_mm / near.focal_mm - 1.0 == pytest.approx(1.0)
    assert optic.breathing_at(math.inf).focal_mm == 100.0
    assert 75.0 < optic.breathing_at(600.0).focal_mm < 100.0


@given(object_mm=st.floats(151, 5000))
def test_breathing_is_consistent_with_its_own_magnification(object_mm) -> None:
    lens = Lens(
        name="macro",
        focal_mm=(100, 100),
        f_numbers=(2.8, 22),
        closest_m=0.3,
        focusing="internal",
        closest_magnification=1.0,
    )
    near = optic_at(lens, 100.0).breathing_at(object_mm)
    m = near.focal_mm / (object_mm - near.focal_mm)
    assert near.focal_mm == pytest.approx(100.0 - 25.0 * min(m, 1.0), rel=1e-6)


def test_own_blur_is_read_between_rows_and_from_middle_to_corner() -> None:
    rows = [
        {"f_number": 4, "centre_um": 4, "corner_um": 12},
        {"f_number": 16, "centre_um": 2, "corner_um": 4},
    ]
    optic = optic_at(Lens.model_validate(a_lens(24.0, residual=rows)), 24.0)
    assert float(optic.residual_mm(8.0, 0.0)) == pytest.approx(0.003)
    assert float(optic.residual_mm(8.0, 1.0)) == pytest.approx(0.008)
    assert float(optic.residual_mm(2.8, 0.5)) == pytest.approx(0.006)
    assert float(optic.falloff_at(1.0)) == 0.0
    # Drawn out beyond the sensor's corner, as far as a shifted lens shows: 0.003 + 0.005 · 1.2².
    assert float(optic.residual_mm(8.0, 1.2)) == pytest.approx(0.0102)


def test_own_blur_of_the_corner_is_that_of_the_sensors_corner_however_wide_the_circle() -> None:
    rows = [{"f_number": 8, "centre_um": 2, "corner_um": 20}]
    for circle in (44.0, 67.0, None):
        lens = Lens.model_validate(a_lens(24.0, residual=rows, image_circle_mm=circle))
        state = LensState(focal_mm=24.0, f_number=8.0, image_distance_mm=24.0)
        corner = np.array([[-18.0, 12.0, 24.0]]) * 1000.0
        blur = residual_blur_mm(optic_at(lens, 24.0), state, corner, math.hypot(36.0, 24.0))
        assert blur == pytest.approx([0.020], rel=2e-3)


@pytest.mark.parametrize(("tilt", "shift"), [(8.5, 0.0), (0.0, 12.0), (8.5, 12.0)])
def test_an_unknown_circle_covers_what_the_lens_is_built_to_move(tilt, shift) -> None:
    """Each corner's ray against the axis, by angles: a cone of half-angle atan(circle / 2f)."""
    focal, half = 45.0, np.array([18.0, 12.0])
    optic = optic_at(Lens.model_validate(a_lens(focal, tilt_deg=tilt, shift_mm=shift, image_circle_mm=None)), focal)
    edge = math.atan(0.5 * optic.circle_mm(math.hypot(36.0, 24.0)) / focal)
    corners = np.array([[x, y] for x in (-18.0, 18.0) for y in (-12.0, 12.0)])
    for way in (np.array([1.0, 0.0]), np.array([0.0, 1.0]), half / np.linalg.norm(half)):
        for axis_deg, moved in ((tilt, 0.0), (0.0, shift)):
            axis = np.array([*(math.sin(math.radians(axis_deg)) * way), math.cos(math.radians(axis_deg))])
            rays = np.column_stack([corners + moved * way, np.full(4, focal)])
            cosines = rays @ axis / np.linalg.norm(rays, axis=1)
            assert math.acos(cosines.min()) <= edge + 1e-9
    plain = optic_at(Lens.model_validate(a_lens(focal, tilt_deg=0.0, shift_mm=0.0, image_circle_mm=None)), focal)
    assert plain.circle_mm(43.3) == pytest.approx(43.3)


def test_a_zooms_own_blur_by_focal_length_is_straight_in_its_logarithm() -> None:
    """By hand: 4 µm at 24 mm, 12 at 96, so 8 half-way in stops of focal length; rows without one count everywhere."""
    at = {24: 4.0, 96: 12.0}
    rows = [{"f_number": 8, "centre_um": um, "corner_um": 2.0 * um, "focal_mm": focal} for focal, um in at.items()]
    for focal, wanted in ((24.0, 4.0), (48.0, 8.0), (96.0, 12.0)):
        optic = optic_at(zoom(residual=rows), focal)
        assert float(optic.residual_mm(8.0, 0.0)) == pytest.approx(wanted / 1000.0)
        assert float(optic.residual_mm(8.0, 1.0)) == pytest.approx(2.0 * wanted / 1000.0)
    plain = {"f_number": 16, "centre_um": 20.0, "corner_um": 20.0}
    assert float(optic_at(zoom(residual=[*rows, plain]), 48.0).residual_mm(16.0, 0.0)) == pytest.approx(0.020)


def test_how_surely_the_best_focus_is_known() -> None:
    """Straight in the logarithm of the stop where rows say; typical where there are none."""
    rows = [{"f_number": n, "half_um": 0, "corner_um": 5, "plus_minus_um": pm} for n, pm in ((4, 10), (16, 30))]
    known = optic_at(Lens.model_validate(a_lens(24.0, field_curvature=rows)), 24.0)
    assert known.bend_plus_minus_mm(8.0, 43.3)[0] == pytest.approx(0.020)
    typical = optic_at(Lens.model_validate(a_lens(24.0)), 24.0)
    assert typical.bend_plus_minus_mm(2.8, 43.3) == pytest.approx((0.020, 0.0))
    assert typical.bend_plus_minus_mm(2.8, 86.6)[0] == pytest.approx(0.040)
    assert typical.bend_plus_minus_mm(22.0, 43.3)[1] == pytest.approx(0.1 / 2.8**2, rel=0.02)
    assert optic_at(zoom(), 24.0).bend_plus_minus_mm(8.0, 43.3)[0] == pytest.approx(0.040)


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ({"focusing": "internal"}, "closest_magnification"),
        ({"by_focal": [{"focal_mm": 50, "f_numbers": [22, 4]}]}, "by_focal at 50 mm"),
        ({"fitted": {"converter_times": 0.5}}, "greater than or equal to 1"),
        ({"residual": [{"f_number": 8, "centre_um": -1, "corner_um": 2}]}, "greater than or equal to 0"),
        ({"detents_deg": 0}, "greater than or equal to 1"),
    ],
)
def test_wrong_data_are_refused_with_a_reason(values, said) -> None:
    with pytest.raises(ValidationError, match=said):
        Lens.model_validate(a_lens(50.0) | values)
