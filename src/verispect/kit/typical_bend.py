"""How far off an ideal lens the best focus of a real one usually lies, where nobody has measured it.

Ranges within which 19 of 20 lenses of a kind should lie, from memory and by the 15 to 40 µm that textbook designs
show in the corner of a small format when they are traced; they grow with the format, as designs scale.
"""

from __future__ import annotations

from verispect.kit.lens import Lens

# Diagonal of the format that the ranges are for, mm.
_DIAGONAL_MM = 43.3
# Corner against middle, ±, mm: made for close work, for movements, a fast or a plain fixed focal length, a zoom.
_CLOSE_WORK, _MOVED, _FAST, _FIXED, _ZOOM = 0.010, 0.020, 0.030, 0.025, 0.040
_FAST_STOP = 2.0
_CLOSE_WORK_MAGNIFICATION = 0.45
# Shift of focus from the widest stop to a very small one, ±: this over the square of the widest f-number, mm.
_SHIFT = 0.100


def typical_curvature_mm(lens: Lens, sensor_diagonal_mm: float) -> float:
    """± of the best focus in the sensor's corner against that in the middle, mm.

    Examples
    --------
    >>> zoom = Lens(name="24-70", focal_mm=(24, 70), f_numbers=(2.8, 22), closest_m=0.4)
    >>> typical_curvature_mm(zoom, 43.3)
    0.04
    """
    if (lens.closest_magnification or 0.0) >= _CLOSE_WORK_MAGNIFICATION:
        small = _CLOSE_WORK
    elif lens.focal_mm[1] > 1.02 * lens.focal_mm[0]:
        small = _ZOOM
    elif lens.tilt_deg > 0.0 or lens.shift_mm > 0.0:
        small = _MOVED
    else:
        small = _FAST if lens.f_numbers[0] <= _FAST_STOP else _FIXED
    return small * sensor_diagonal_mm / _DIAGONAL_MM


def typical_shift_mm(widest: float, f_number: float) -> float:
    """± of the best focus on the axis at a stop against the widest, mm: none there, all of it far from there.

    Examples
    --------
    >>> [round(typical_shift_mm(1.4, stop), 3) for stop in (1.4, 2.8, 16.0)]
    [0.0, 0.038, 0.051]
    """
    return _SHIFT / widest**2 * max(0.0, 1.0 - (widest / f_number) ** 2)
