"""Lengths as people read them: metres, millimetres, feet and inches, and the cells of the frame list."""

from __future__ import annotations

import math

from verispect.optics.exposure_time import shutter_words
from verispect.plan.explain.frame_table import Column, FrameRow, Quantity

# "metric" or "imperial"; anything else is read as metric.
System = str


def format_length(metres: float, system: System = "metric") -> str:
    """A length with as many digits as a tape can set.

    Examples
    --------
    >>> format_length(3.8127), format_length(0.2134), format_length(118.3), format_length(math.inf)
    ('3.81 m', '213 mm', '118 m', '∞')
    >>> format_length(3.81, "imperial")
    '12 ft 6 in'
    """
    if math.isnan(metres):
        return "–"
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


# Angles of the lens, in the digits of its own scale.
_TILTS = ("tilt_deg", "swing_deg")


def format_angle(degrees: float, digits: int = 1) -> str:
    """An angle as a scale shows it, signed, without a negative zero.

    Examples
    --------
    >>> format_angle(4.26), format_angle(-0.02)
    ('+4.3°', '0.0°')
    """
    rounded = round(degrees, digits)
    return f"{rounded:+.{digits}f}°".replace("-", "−") if rounded else f"{0.0:.{digits}f}°"


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


def written(column: Column, row: FrameRow, system: System) -> str:
    """One cell of the frame list, as Set and the sheet show it."""
    value = getattr(row, column.key)
    return {
        Quantity.ANGLE: lambda: format_angle(value, row.tilt_digits if column.key in _TILTS else 1),
        Quantity.MOVEMENT: lambda: format_movement(value),
        Quantity.TRAVEL: lambda: format_travel(value),
        Quantity.DISTANCE: lambda: format_length(value, system),
        Quantity.STOP: lambda: f"f/{value}",
        Quantity.TIME: lambda: shutter_words(value),
    }.get(column.quantity, lambda: str(value))()
