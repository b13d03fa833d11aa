"""Lengths as people type and read them: metres, millimetres, feet and inches."""

from __future__ import annotations

import math
import re
from functools import lru_cache
from typing import Any, Literal

from verispect.errors import VerispectError

System = Literal["metric", "imperial"]

_PAIR = re.compile(r"\s*([+-]?\d+(?:[.,]\d+)?(?:\s+\d+/\d+|/\d+)?|\d+/\d+)\s*([a-zA-Zµ'\"′″]*)")
_UNITS = {
    "'": "ft", "′": "ft", "feet": "ft", "foot": "ft", "ft": "ft",
    '"': "inch", "″": "inch", "in": "inch", "inch": "inch", "inches": "inch",
    "m": "m", "metre": "m", "metres": "m", "meter": "m", "meters": "m",
    "cm": "cm", "mm": "mm", "km": "km", "yd": "yd", "mi": "mi", "µm": "um", "um": "um",
}  # fmt: skip
_MOST_M = 1.0e7


class LengthError(VerispectError):
    """A typed length that cannot be read."""


@lru_cache(maxsize=1)
def _registry() -> Any:
    # Imported when first needed: Pint takes most of a second.
    from pint import UnitRegistry

    return UnitRegistry()


def parse_length_m(text: str, *, default_unit: str = "m") -> float:
    """Metres from a typed length.

    Parameters
    ----------
    text : str
        One or more numbers with units, added up: `12 ft 6 in`, `380cm`, `3,8 m`, `6' 2 1/2"`, `-40 cm`. A
        sign before the first number holds for all.
    default_unit : str
        Unit of a bare number.

    Raises
    ------
    LengthError
        With what was found and what would be right.

    Examples
    --------
    >>> round(parse_length_m("12 ft 6 in"), 4)
    3.81
    >>> parse_length_m("380cm")
    3.8
    """
    rest = text.strip().replace("−", "-")
    total, sign, first = 0.0, 1.0, True
    while rest:
        match = _PAIR.match(rest)
        if match is None or match.end() == 0:
            raise _unreadable(text)
        number = _number(match.group(1), text)
        if first and match.group(1).lstrip().startswith("-"):
            sign, number = -1.0, -number
        unit = _UNITS.get(match.group(2).lower()) if match.group(2) else default_unit
        if unit is None or (not first and number < 0.0):
            raise _unreadable(text)
        total += number * _metres_in(unit)
        rest, first = rest[match.end() :].lstrip(" ,"), False
    if first:
        raise _unreadable(text)
    if not math.isfinite(total) or total > _MOST_M:
        raise LengthError("{typed!r} is out of range; lengths go up to 10 000 km", typed=text.strip())
    # To the nanometre: 380 cm is 3.8 m, not 3.8000000000000003.
    return sign * round(total, 9)


@lru_cache(maxsize=32)
def _metres_in(unit: str) -> float:
    plain = {"m": 1.0, "cm": 0.01, "mm": 0.001}
    return plain[unit] if unit in plain else float(_registry().Quantity(1.0, unit).to("m").magnitude)


def _number(written: str, text: str) -> float:
    value = 0.0
    for part in written.replace(",", ".").split():
        if "/" in part:
            top, _, bottom = part.partition("/")
            if float(bottom) == 0.0:
                raise _unreadable(text)
            value += float(top) / float(bottom)
        else:
            value += float(part)
    return value


def _unreadable(text: str) -> LengthError:
    return LengthError("{typed!r} is no length; write it like 3.8 m, 380 cm or 12 ft 6 in", typed=text.strip())


def format_length(metres: float, system: System = "metric") -> str:
    """A length with as many digits as a tape can set.

    Examples
    --------
    >>> format_length(3.8127), format_length(0.2134), format_length(118.3), format_length(math.inf)
    ('3.81 m', '213 mm', '118 m', '∞')
    >>> format_length(3.81, "imperial")
    '12 ft 6 in'
    """
    if math.isinf(metres):
        return "∞" if metres > 0 else "−∞"
    sign = "−" if metres < 0 else ""
    size = abs(metres)
    if system == "imperial":
        return sign + _feet(size)
    if size < 0.0005:
        return "0 m"
    if size < 0.5:
        return f"{sign}{size * 1000:.0f} mm"
    if size < 20.0:
        return f"{sign}{size:.2f} m"
    return f"{sign}{size:.1f} m" if size < 100.0 else f"{sign}{size:.0f} m"


def _feet(size: float) -> str:
    inches = size / 0.0254
    if inches >= 1200.0:
        return f"{inches / 12.0:.0f} ft"
    eighths = round(inches * (8 if inches < 24 else 2)) / (8 if inches < 24 else 2)
    feet, left = divmod(eighths, 12.0)
    shown = f"{left:.3f}".rstrip("0").rstrip(".")
    if feet and left:
        return f"{feet:.0f} ft {shown} in"
    return f"{feet:.0f} ft" if feet else f"{shown} in"


def format_angle(degrees: float) -> str:
    """An angle as a scale shows it, signed, without a negative zero.

    Examples
    --------
    >>> format_angle(4.26), format_angle(-0.02)
    ('+4.3°', '0.0°')
    """
    rounded = round(degrees, 1)
    return f"{rounded:+.1f}°".replace("-", "−") if rounded else "0.0°"


def format_movement(millimetres: float) -> str:
    """A shift as a scale shows it."""
    rounded = round(millimetres, 1)
    return f"{rounded:+.1f} mm".replace("-", "−") if rounded else "0.0 mm"


def format_travel(millimetres: float) -> str:
    """A place on a focusing rail, to a micrometre.

    Examples
    --------
    >>> format_travel(0.7288)
    '0.729 mm'
    """
    return f"{millimetres:.3f} mm"
