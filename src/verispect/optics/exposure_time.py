"""Exposure time from the light: ISO 2720 reflected-light equation and the extension factor."""

from __future__ import annotations

import math

# Of a time in seconds: longer than anybody waits, and well within what a number holds.
_LONGEST_LOG = 600.0


def shutter_s(*, ev100: float, iso: float, working_f_number: float) -> float:
    """Exposure time for a scene of a given exposure value.

    Parameters
    ----------
    ev100 : float
        Exposure value at ISO 100.
    iso : float
        Sensitivity, > 0.
    working_f_number : float
        N(1 + m/p), which holds the extension factor (1 + m/p)².

    Notes
    -----
    ISO 2720: N²/t = L S / K, and 2^EV = N²/t at S = 100, so the constant K = 12.5 cd s/m² drops out.

    Examples
    --------
    >>> round(1 / shutter_s(ev100=15.0, iso=100.0, working_f_number=16.0))
    128
    """
    return float(working_f_number**2 / (2.0**ev100 * iso / 100.0))


def luminance_cd_m2(ev100: float) -> float:
    """Scene luminance of an exposure value, L = 2^EV K / 100 with K = 12.5 (ISO 2720)."""
    return float(2.0**ev100 * 12.5 / 100.0)


def extension_factor(*, magnification: float, pupil_magnification: float) -> float:
    """By how much close focus lengthens the exposure: (1 + m/p)².

    Examples
    --------
    >>> extension_factor(magnification=1.0, pupil_magnification=1.0)
    4.0
    """
    return (1.0 + magnification / pupil_magnification) ** 2


def with_reciprocity_s(metered_s: float, *, exponent: float, from_s: float = 1.0) -> float:
    """Exposure time of a film that loses sensitivity: t_from · (t / t_from)^exponent beyond t_from.

    The power law is the usual one for films (common practice); exponents stand in the makers' data.

    Examples
    --------
    >>> round(with_reciprocity_s(10.0, exponent=1.3), 2)
    19.95
    """
    if metered_s <= from_s:
        return metered_s
    # By logarithms: a figure out of all reason comes out as endless, not as an error.
    grown = math.log(from_s) + exponent * math.log(metered_s / from_s)
    return math.exp(grown) if grown < _LONGEST_LOG else math.inf


def equivalent_shutter_s(shutter: float, *, f_number: float, other_f_number: float) -> float:
    """Time at another stop for the same light: t · (N2/N1)².

    Examples
    --------
    >>> equivalent_shutter_s(0.01, f_number=8.0, other_f_number=16.0)
    0.04
    """
    return shutter * (other_f_number / f_number) ** 2


# How fast hands turn a camera: common practice holds 1/f s (f in mm, small format) for safe, and a disc of 0.03 mm
# for sharp; in that time so fast a turn smears by just that disc, whatever the focal length and the format.
HANDS_RAD_S = 0.03

# Seconds of time for one turn of the Earth against the stars (sidereal day; from memory).
SIDEREAL_DAY_S = 86164.1


def longest_time_for_motion_s(
    *, speed_mm_s: float, distance_mm: float, image_mm: float, allowed_smear_mm: float
) -> float:
    """Longest exposure in which a thing moving across the view smears no more than allowed; may be infinite."""
    if speed_mm_s <= 0.0:
        return math.inf
    return allowed_smear_mm * distance_mm / (speed_mm_s * image_mm)


def longest_time_for_stars_s(*, image_mm: float, declination_rad: float, allowed_smear_mm: float) -> float:
    """Longest exposure in which a star at a declination trails no more than allowed, near the picture's middle.

    It turns by 2π cos δ in a sidereal day; the Moon, at most an hour of right ascension a day slower, is
    taken with the same rate, which errs on the safe side by 4 %.

    Examples
    --------
    >>> round(longest_time_for_stars_s(image_mm=24.0, declination_rad=0.0, allowed_smear_mm=0.01), 1)
    5.7
    """
    rate = 2.0 * math.pi * abs(math.cos(declination_rad)) / SIDEREAL_DAY_S
    return math.inf if rate < 1e-12 else allowed_smear_mm / (image_mm * rate)


def smear_for_floor_mm(*, frequency: float, share: float) -> float:
    """The smear that leaves a share of the contrast at a frequency: sinc(ν · smear) = share.

    Examples
    --------
    >>> round(smear_for_floor_mm(frequency=50.0, share=0.6366198), 4)
    0.01
    """
    low, high = 0.0, 1.0
    for _ in range(60):
        middle = 0.5 * (low + high)
        value = math.sin(math.pi * middle) / (math.pi * middle) if middle > 0.0 else 1.0
        if value > share:
            low = middle
        else:
            high = middle
    return low / frequency


_DIAL = (
    8000, 6400, 5000, 4000, 3200, 2500, 2000, 1600, 1250, 1000, 800, 640, 500, 400, 320, 250, 200, 160, 125, 100,
    80, 60, 50, 40, 30, 25, 20, 15, 13, 10, 8, 6, 5, 4,
)  # fmt: skip


def shutter_words(seconds: float) -> str:
    """An exposure time as a dial writes it, to the nearest third of a stop.

    Examples
    --------
    >>> shutter_words(1 / 64), shutter_words(0.4), shutter_words(2.52), shutter_words(95.2)
    ('1/60 s', '0.4 s', '2.5 s', '95 s')
    """
    if seconds >= 8.0:
        return f"{seconds:.0f} s"
    if seconds >= 0.28:
        third = 2.0 ** (round(3.0 * math.log2(seconds)) / 3.0)
        return f"{third:.1f} s".replace(".0 s", " s")
    nearest = min(_DIAL, key=lambda part: abs(math.log(part * seconds)))
    return f"1/{nearest} s"
