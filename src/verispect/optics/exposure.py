"""Exposure time from the light: ISO 2720 reflected-light equation and the extension factor."""

from __future__ import annotations


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
