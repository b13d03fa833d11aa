"""Numbers and lengths as people write them; hand-worked, and written back by Python's own formatting."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.quantities import LENGTHS_M, QuantityError, parse_ev100, parse_length_m, parse_number, unit_of


@pytest.mark.parametrize(
    ("typed", "metres"),
    [
        ("12 ft 6 in", 3.81),
        ("12'6\"", 3.81),
        ("6 ft 2 1/2 in", 1.8923),
        ("380cm", 3.8),
        ("3,8 m", 3.8),
        ("2 m 35 cm", 2.35),
        ("-40 cm", -0.4),
        ("−2 ft 6 in", -0.762),
        ("1/2 in", 0.0127),
        ("4", 4.0),
        ("0.25 mi", 402.336),
        ("3 yd", 2.7432),
        (" 7m ", 7.0),
        ("12'6", 3.81),
        ("12' 6 1/2", 3.8227),
        ("1.234,5 m", 1234.5),
        ("1,234.5 m", 1234.5),
        ("12 345 m", 12345.0),
        ("12\u202f345,5 m", 12345.5),
        ("12'345 m", 12345.0),
        ("3½ m", 3.5),
        ("5' 3½\"", 1.6129),
        ("5 ft, 3 in", 1.6002),
        ("2 yd 1 ft", 2.1336),
        ("1e2 mm", 0.1),
        ("3.8 µm", 3.8e-6),
    ],
)
def test_lengths_are_typed_freely(typed: str, metres: float) -> None:
    # 1 ft = 0.3048 m exactly (international yard and pound agreement, 1959).
    assert parse_length_m(typed) == pytest.approx(metres, abs=1e-12)


@pytest.mark.parametrize(
    "typed",
    [
        "",
        "m",
        "far",
        "3 apples",
        "3 m -2 cm",
        "1/0 in",
        "3..2",
        "nan",
        "inf",
        "20000 km",
        "12 6",
        "2 in 3 ft",
        "5 m 3 m",
        "1,23,4 m",
        "9" * 40_000,
        "m 3",
        "3 m3",
    ],
)
def test_what_is_no_length_is_refused_with_an_example(typed: str) -> None:
    with pytest.raises(QuantityError) as caught:
        parse_length_m(typed)
    assert "m" in str(caught.value)


def test_a_bare_number_takes_the_unit_in_use() -> None:
    assert parse_length_m("10", default_unit="ft") == pytest.approx(3.048)


@pytest.mark.parametrize(
    ("typed", "asked"),
    [
        ("2m30", "2.30 m or 2 m 30 cm"),
        ("1,234 m", "write 1234 or 1.2340"),
        ("12 ft 13", "what unit has the last number"),
    ],
)
def test_what_may_mean_two_things_is_asked(typed: str, asked: str) -> None:
    with pytest.raises(QuantityError, match=r"may (be|mean)") as caught:
        parse_length_m(typed)
    assert asked in str(caught.value)


def test_a_point_before_three_digits_is_asked_where_commas_are_decimal() -> None:
    assert parse_number("2.500") == 2.5
    assert parse_number("2,500", decimal_comma=True) == 2.5
    assert parse_number("2,500", decimal_comma=False) == 2500.0
    with pytest.raises(QuantityError, match=r"write 2500 or 2\.5000"):
        parse_number("2.500", decimal_comma=True)


def test_infinity_only_where_it_has_a_meaning() -> None:
    assert parse_length_m("∞", endless=True) == math.inf
    with pytest.raises(QuantityError):
        parse_length_m("∞")


def test_units_are_exact() -> None:
    """The yard is 0.9144 m (international yard and pound agreement, 1959); 3 ft, 36 in and 1/1760 mile."""
    assert LENGTHS_M["yd"] == 0.9144
    assert 3 * LENGTHS_M["ft"] == pytest.approx(0.9144, abs=1e-15)
    assert 36 * LENGTHS_M["in"] == pytest.approx(0.9144, abs=1e-15)
    assert 1760 * LENGTHS_M["yd"] == pytest.approx(LENGTHS_M["mi"], abs=1e-12)
    assert [unit_of(word) for word in ("Metres", "″", "µm", "km/h", "furlong")] == ["m", "in", "um", "km/h", None]


@given(st.floats(-9.9e6, 9.9e6), st.sampled_from([",", " ", "\u202f", "'"]))
def test_thousands_in_any_usual_way_read_back(value: float, mark: str) -> None:
    written = f"{value:,.2f}".replace(",", mark)
    assert parse_number(written) == pytest.approx(value, abs=0.0051)
    continental = f"{value:,.2f}".replace(",", "#").replace(".", ",").replace("#", ".")
    assert parse_number(continental) == pytest.approx(value, abs=0.0051)


@given(st.text(max_size=30))
def test_any_text_is_a_length_or_refused(text: str) -> None:
    try:
        found = parse_length_m(text)
    except QuantityError:
        return
    assert math.isfinite(found)


@pytest.mark.parametrize(
    ("typed", "ev"),
    [
        ("13", 13.0),
        ("f/8 1/125", math.log2(64 * 125)),
        ("1/125 f8", math.log2(64 * 125)),
        ("f/5,6, 2 s, ISO 400", math.log2(5.6**2 / 2.0) - 2.0),
        ("ISO 50 f/16 1/4s", math.log2(256 * 4) + 1.0),
        ("F 2.8 0.5", math.log2(2.8**2 / 0.5)),
    ],
)
def test_a_reading_may_be_a_stop_a_time_and_an_iso(typed: str, ev: float) -> None:
    """EV at ISO 100 is log2(N²/t) less the stops that the ISO lies above 100 (ISO 2720; from memory)."""
    assert parse_ev100(typed) == pytest.approx(ev)


@pytest.mark.parametrize("typed", ["f/8", "f/8 1/0", "f/0 1/60", "f/8 1/60 red", "ISO 100", "f/8 1/60 ISO 0", ""])
def test_what_is_no_reading_is_refused(typed: str) -> None:
    with pytest.raises(QuantityError):
        parse_ev100(typed)
