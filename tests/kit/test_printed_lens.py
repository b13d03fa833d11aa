"""Lenses from what is printed on them: what is written stays, the rest is said to be a guess."""

from __future__ import annotations

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.kit.lens import Lens
from verispect.kit.printed_lens import PrintedError, lens_from_print
from verispect.kit.typical_kit import typical_bodies, typical_carriers, typical_lenses


@pytest.mark.parametrize(
    ("text", "focal", "stops"),
    [
        ("24-70 mm f/4", (24, 70), (4, 22)),
        ("24–70mm 1:2,8", (24, 70), (2.8, 22)),
        ("90/2.8 Macro", (90, 90), (2.8, 32)),
        ("1:5.6/240 sheet film", (240, 240), (5.6, 64)),
        ("f/2.8-22 100 mm", (100, 100), (2.8, 22)),
        ("50mm F1.8", (50, 50), (1.8, 22)),
    ],
)
def test_focal_lengths_and_stops_as_people_write_them(text: str, focal, stops) -> None:
    lens = lens_from_print(text)
    assert (lens.focal_mm, lens.f_numbers) == (focal, stops)
    assert not {"focal_mm", "f_numbers"} & set(lens.typical)


def test_a_zoom_that_closes_down_has_both_its_stops() -> None:
    lens = lens_from_print("18-55 mm 1:3.5-5.6")
    assert [(row.focal_mm, row.f_numbers) for row in lens.by_focal] == [(18, (3.5, 22)), (55, (5.6, 22))]


def test_movements_that_are_written_are_no_guesses() -> None:
    lens = lens_from_print("24 mm f/3.5 tilt 8.5° shift 12 mm 0.21 m")
    assert (lens.tilt_deg, lens.shift_mm, lens.closest_m) == (8.5, 12.0, 0.21)
    assert not {"tilt_deg", "shift_mm", "closest_m"} & set(lens.typical)
    # Twelve millimetres aside of 36 × 24 mm: the corner lies √(30² + 12²) off the middle.
    assert lens.image_circle_mm == pytest.approx(2 * (30**2 + 12**2) ** 0.5, abs=0.5)
    assert "image_circle_mm" in lens.typical


@pytest.mark.parametrize("text", ["", "85", "300 2.8", "f/2.8", "0 mm f/2", "70-24 mm f/4", "50 mm f/9999", "mm f/"])
def test_what_is_no_lens_is_one_sentence(text: str) -> None:
    with pytest.raises(PrintedError, match="24-70 mm f/4"):
        lens_from_print(text)


@given(st.text(alphabet="0123456789.,-–/:f°± mMtiltshfacroGg\x00∞", max_size=40))
def test_whatever_is_written_is_a_lens_or_a_sentence(text: str) -> None:
    with contextlib.suppress(PrintedError):
        assert isinstance(lens_from_print(text), Lens)


def test_a_guess_ends_where_a_figure_is_typed_or_measured() -> None:
    lens = lens_from_print("24 mm f/3.5 tilt shift")
    typed = lens.model_copy(update={"image_circle_mm": 67.0}).typed(lens)
    assert set(lens.typical) - set(typed.typical) == {"image_circle_mm"}
    measured = typed.as_measured("residual", "closest_m")
    assert "closest_m" not in measured.typical
    assert measured.measured == ("residual", "closest_m")
    # What was measured and is typed over was not measured.
    assert measured.model_copy(update={"closest_m": 0.3}).typed(measured).measured == ("residual",)


def test_usual_kit_is_whole_and_says_what_it_guesses() -> None:
    assert all(lens.typical for lens in typical_lenses())
    assert len({lens.name for lens in typical_lenses()}) == len(typical_lenses())
    assert all(0.0015 < body.pixel_mm < 0.02 for body in typical_bodies())
    assert len(typical_carriers()) >= 3


def test_every_guess_has_a_plus_minus_that_goes_with_it() -> None:
    lens = lens_from_print("24 mm f/3.5 tilt shift")
    own = {"pupil_magnification": lens.pupil_plus_minus}
    for key in lens.typical:
        if "plus_minus" not in key:
            assert lens.plus_minus.get(key) or own.get(key), key
    typed = lens.model_copy(
        update={"image_circle_mm": 67.0, "plus_minus": {**lens.plus_minus, "image_circle_mm": 1.0}}
    )
    assert "image_circle_mm" not in typed.typed(lens).typical
    # The same figure with a narrower ± is no guess any more either.
    surer = lens.model_copy(update={"plus_minus": {**lens.plus_minus, "tilt_deg": 0.5}})
    assert "tilt_deg" not in surer.typed(lens).typical
    measured = lens.as_measured("closest_m")
    assert "closest_m" not in measured.plus_minus


def test_usual_kit_says_of_every_guess_how_far_off_it_may_be() -> None:
    pieces = [*typical_bodies(), *(piece for _, piece in typical_carriers())]
    assert all(piece.typical for piece in pieces)
    for piece in pieces:
        for key in piece.typical:
            value = getattr(piece, key)
            assert value is None or piece.plus_minus[key] > 0.0, (piece, key)
    body = typical_bodies()[0]
    own = body.model_copy(update={"read_noise_e": 2.1})
    assert "read_noise_e" not in own.typed(body).typical
    assert "bits" in own.typed(body).typical
