"""Lenses put together: a close-up lens in front, a teleconverter behind, tubes between.

A lens in air is known by its focal length, the separation of its principal points and its pupil
magnification; two such in a row make a third (docs/derivations/compound.md).
"""

from __future__ import annotations

from dataclasses import dataclass

from verispect.errors import GeometryError


@dataclass(frozen=True)
class Cardinal:
    """A lens in air.

    Attributes
    ----------
    focal_mm : float
    separation_mm : float
        From the front to the rear principal point.
    pupil_magnification : float
        Exit over entrance pupil diameter.
    """

    focal_mm: float
    separation_mm: float = 0.0
    pupil_magnification: float = 1.0


@dataclass(frozen=True)
class Compound:
    """Two lenses as one.

    Attributes
    ----------
    cardinal : Cardinal
        Of both together.
    stop_factor : float
        New f-number over the old one.
    front_shift_mm : float
        New front principal point behind that of the main lens; negative ahead of it.
    rear_shift_mm : float
        New rear principal point behind that of the main lens.
    """

    cardinal: Cardinal
    stop_factor: float
    front_shift_mm: float
    rear_shift_mm: float


def with_close_up_lens(main: Cardinal, *, power_dioptres: float, ahead_mm: float) -> Compound:
    """A thin lens of a power in front of a lens.

    Parameters
    ----------
    power_dioptres : float
        1/m; positive brings the near range closer.
    ahead_mm : float
        The thin lens ahead of the main lens's front principal point.

    Raises
    ------
    GeometryError
        If the two together do not form a real lens, or throw the entrance pupil to infinity.

    Notes
    -----
    Gullstrand: φ = φ1 + φ2 − d φ1 φ2. The entrance pupil, q behind the thin lens, is seen through it
    1/(1 − q φ1) as large, and the exit pupil stays.

    Examples
    --------
    >>> found = with_close_up_lens(Cardinal(50.0), power_dioptres=2.0, ahead_mm=0.0)
    >>> round(found.cardinal.focal_mm, 3)
    45.455
    """
    first, second = power_dioptres / 1000.0, 1.0 / main.focal_mm
    power = first + second - ahead_mm * first * second
    behind = ahead_mm - main.focal_mm * (1.0 - 1.0 / main.pupil_magnification)
    shrink = 1.0 - behind * first
    if power <= 0.0 or shrink <= 0.0:
        raise GeometryError(
            "a close-up lens of {power_dioptres:g} dioptres {ahead_mm:g} mm ahead of a {focal_mm:g} mm lens "
            "makes no camera lens; use a weaker one",
            power_dioptres=power_dioptres,
            ahead_mm=ahead_mm,
            focal_mm=main.focal_mm,
        )
    focal = 1.0 / power
    # From the thin lens back to the new front principal point, and from the main lens's rear one likewise.
    front = ahead_mm * second / power - ahead_mm
    rear = -ahead_mm * first / power
    return Compound(
        cardinal=Cardinal(
            focal_mm=focal,
            separation_mm=main.separation_mm + rear - front,
            pupil_magnification=main.pupil_magnification * shrink,
        ),
        stop_factor=focal / main.focal_mm * shrink,
        front_shift_mm=front,
        rear_shift_mm=rear,
    )


def with_converter(main: Cardinal, *, times: float, from_image_mm: float) -> Compound:
    """A thin negative lens behind a lens, `from_image_mm` before the image that the lens alone would form.

    Parameters
    ----------
    times : float
        By how much the focal length and the f-number grow, > 1.
    from_image_mm : float
        > 0, less than the focal length.

    Notes
    -----
    Its focal length is −g with g = s k/(k − 1). The exit pupil, x ahead of it, shrinks by g/(x + g).

    Examples
    --------
    >>> round(with_converter(Cardinal(100.0), times=2.0, from_image_mm=40.0).cardinal.focal_mm, 6)
    200.0
    """
    if times <= 1.0 or not 0.0 < from_image_mm < main.focal_mm:
        raise GeometryError(
            "a converter must multiply by more than 1 (got {times:g}) and stand between lens and image (got "
            "{from_image_mm:g} mm before it; the focal length is {focal_mm:g} mm)",
            times=times,
            from_image_mm=from_image_mm,
            focal_mm=main.focal_mm,
        )
    weak = from_image_mm * times / (times - 1.0)
    gap = main.focal_mm - from_image_mm
    first, second = 1.0 / main.focal_mm, -1.0 / weak
    power = first + second - gap * first * second
    exit_ahead = main.pupil_magnification * main.focal_mm - from_image_mm
    front = gap * second / power
    rear = gap - gap * first / power
    return Compound(
        cardinal=Cardinal(
            focal_mm=1.0 / power,
            separation_mm=main.separation_mm + rear - front,
            pupil_magnification=main.pupil_magnification * weak / (exit_ahead + weak),
        ),
        stop_factor=times,
        front_shift_mm=front,
        rear_shift_mm=rear,
    )


def focal_from_magnification_mm(*, scale_mm: float, magnification: float, separation_mm: float) -> float:
    """Effective focal length of a lens from its magnification at a distance from the sensor mark.

    Notes
    -----
    Object to image is f (2 + m + 1/m) plus the separation of the principal points; a lens that focuses by a
    floating group is shorter at close range than at infinity.

    Examples
    --------
    >>> round(focal_from_magnification_mm(scale_mm=314.0, magnification=1.0, separation_mm=0.0), 1)
    78.5
    """
    return (scale_mm - separation_mm) / (2.0 + magnification + 1.0 / magnification)
