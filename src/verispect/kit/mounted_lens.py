"""A lens of the kit at one focal length, with what is fitted to it: what the optics ask for."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from verispect.kit.lens import Fitted, Lens, Residual
from verispect.kit.standards import Standards
from verispect.kit.typical_bend import typical_curvature_mm, typical_shift_mm
from verispect.optics.compound_lens import (
    Cardinal,
    Compound,
    focal_from_magnification_mm,
    with_close_up_lens,
    with_converter,
)
from verispect.optics.conjugates import image_distance_for_object_mm, image_distance_for_scale_mm
from verispect.optics.f_stops import stops_between
from verispect.optics.focus_bend import FocusBend
from verispect.optics.types import Floats

# In focal lengths before the front principal point.
_NO_NEARER = 1.05
# Standing out less than this of its focal length a lens is at infinity.
_AT_INFINITY = 1e-12
# Of a cone from the middle of a lens: no image circle that is guessed is wider.
_WIDEST_RAD = math.radians(80.0)
# How far beyond the sensor's corner a lens's own blur is drawn out from what was measured within it.
_FARTHEST_SHARE = 2.0


@dataclass(frozen=True)
class Optic:
    """A lens as it stands on the camera.

    Attributes
    ----------
    lens : Lens
        The datum it comes from.
    bare_focal_mm : float
        What the zoom ring shows.
    focal_mm, pupil_magnification, principal_separation_mm : float
        Of everything together.
    f_numbers : (float, float)
        Widest and smallest stop as they act.
    shortest_image_mm, longest_image_mm : float
        Image distances along the axis at the ends of the focusing range, for `focal_mm`.
    front_ahead_mm : float
        Front of the lens ahead of the front principal point.
    closest_focal_mm : float
        Focal length at closest focus; that of `focal_mm` unless it focuses internally.
    back_in_place : bool
        Whether the back alone tilts, on a camera that is not turned for it.
    """

    lens: Lens
    bare_focal_mm: float
    focal_mm: float
    pupil_magnification: float
    principal_separation_mm: float
    f_numbers: tuple[float, float]
    shortest_image_mm: float
    longest_image_mm: float
    front_ahead_mm: float
    lens_tilt_deg: float
    back_tilt_deg: float
    lens_shift_mm: float
    back_shift_mm: float
    image_circle_mm: float | None
    closest_focal_mm: float
    back_in_place: bool = False

    @property
    def name(self) -> str:
        """The lens's name."""
        return self.lens.name

    @property
    def tilt_deg(self) -> float:
        """Largest angle between lens and sensor, by the movements of both standards together."""
        return self.lens_tilt_deg + self.back_tilt_deg

    @property
    def shift_mm(self) -> float:
        """Largest shift between lens and sensor, by both standards together."""
        return self.lens_shift_mm + self.back_shift_mm

    @property
    def tilt_mount(self) -> Literal["free", "rotating"]:
        """How the tilt is built."""
        return self.lens.tilt_mount

    def stops(self) -> Floats:
        """Exact third-stops it can be set to (ISO 517)."""
        return stops_between(*self.f_numbers)

    def circle_mm(self, sensor_diagonal_mm: float) -> float:
        """Its image circle; where unknown, one that covers the sensor wherever the lens itself moves.

        A lens is built to cover the whole of its shift, and the whole of its tilt, one at a time (common practice).
        """
        if self.image_circle_mm is not None:
            return self.image_circle_mm
        corner = math.atan2(0.5 * sensor_diagonal_mm, self.focal_mm)
        tilted = 2.0 * self.focal_mm * math.tan(min(corner + math.radians(self.lens_tilt_deg), _WIDEST_RAD))
        return max(sensor_diagonal_mm + 2.0 * self.lens_shift_mm, tilted)

    @property
    def closest_mm(self) -> float:
        """Closest object distance from the front principal point."""
        return self.focal_mm * self.longest_image_mm / (self.longest_image_mm - self.focal_mm)

    def breathing_at(self, object_mm: float) -> Optic:
        """The lens as it is when focused on an object before its front principal point.

        An internally focusing lens is taken to change its focal length straight with the magnification,
        from what it is at infinity to what was measured at closest focus (a usual course, no law).
        """
        if self.closest_focal_mm == self.focal_mm or math.isinf(object_mm):
            return self
        most = self.closest_focal_mm / (self.closest_mm - self.closest_focal_mm)
        # On a tube it stands at its infinity mark already at some magnification.
        least = self.shortest_image_mm / self.focal_mm - 1.0
        focal = self.focal_mm
        for _ in range(30):
            magnification = focal / (max(object_mm, self.closest_mm) - focal)
            share = min(max(magnification - least, 0.0) / max(most - least, 1e-9), 1.0)
            focal = self.focal_mm + (self.closest_focal_mm - self.focal_mm) * share
        return replace(
            self,
            focal_mm=focal,
            closest_focal_mm=focal,
            shortest_image_mm=self.shortest_image_mm * focal / self.focal_mm,
            longest_image_mm=focal * self.closest_mm / (self.closest_mm - focal),
        )

    def residual_mm(self, f_number: Floats | float, share: Floats | float) -> Floats:
        """The lens's own blur at a stop.

        Parameters
        ----------
        f_number : ndarray
        share : ndarray
            Distance from the lens's axis over that of the sensor's corner: 0 centre, 1 corner, more beyond it.

        Returns
        -------
        ndarray
            Diameter of an even disc, mm; straight between the rows of the table in log2 of the stop and, of a
            zoom, of the focal length, and across the picture with the square of the distance (a usual course, no
            law).
        """
        if not self.lens.residual:
            return np.zeros(np.broadcast_shapes(np.shape(f_number), np.shape(share)))
        shares = _shares_by_focal(self.lens.residual, self.bare_focal_mm)
        found: Floats = sum((part * self._blur_of(rows, f_number, share) for rows, part in shares), np.zeros(()))
        return found

    def residual_plus_minus_mm(self, f_number: float) -> float:
        """How surely the lens's own blur is known at a stop, anywhere in the picture, mm; two standard deviations."""
        if not any(row.plus_minus_um for row in self.lens.residual):
            return 0.0
        found = 0.0
        for rows, part in _shares_by_focal(self.lens.residual, self.bare_focal_mm):
            ordered = sorted(rows, key=lambda row: row.f_number)
            at, unsure = np.log2([row.f_number for row in ordered]), [row.plus_minus_um for row in ordered]
            found += part * float(np.interp(math.log2(f_number), at, unsure)) / 1000.0
        return found

    @staticmethod
    def _blur_of(rows: list[Residual], f_number: Floats | float, share: Floats | float) -> Floats:
        rows = sorted(rows, key=lambda row: row.f_number)
        at = np.log2([row.f_number for row in rows])
        stop = np.log2(np.asarray(f_number, dtype=float))
        centre = np.interp(stop, at, [row.centre_um for row in rows])
        corner = np.interp(stop, at, [row.corner_um for row in rows])
        weight = np.clip(np.asarray(share, dtype=float), 0.0, _FARTHEST_SHARE) ** 2
        found: Floats = np.maximum(centre * (1.0 - weight) + corner * weight, 0.0) / 1000.0
        return found

    def focus_bend(self, sensor_diagonal_mm: float) -> FocusBend | None:
        """Curvature of field and focus shift, as measured with what is fitted; None for a lens without a table."""
        curved, shifted = self.lens.field_curvature, self.lens.focus_shift
        # A lens known to be flat is as an ideal one.
        if not any(row.half_um or row.corner_um for row in curved) and not any(row.um for row in shifted):
            return None
        shift = [(row.f_number, row.um / 1000.0) for row in shifted]
        if shift and min(shift)[0] > self.f_numbers[0]:
            shift.append((self.f_numbers[0], 0.0))
        return FocusBend(
            corner_mm=0.5 * sensor_diagonal_mm,
            curvature=tuple((row.f_number, row.half_um / 1000.0, row.corner_um / 1000.0) for row in curved),
            shift=tuple(shift),
        )

    def bend_plus_minus_mm(self, f_number: float, sensor_diagonal_mm: float) -> tuple[float, float]:
        """How surely it is known where the lens is sharpest at a stop: in the corner, and on the axis; ±, mm.

        As the rows say; where there are none, as lenses of this kind usually are (kit/typical_bend.py).
        """
        curved, shifted, widest = self.lens.field_curvature, self.lens.focus_shift, self.f_numbers[0]
        stop = math.log2(f_number)

        def by_stop(rows: list[tuple[float, float]]) -> float:
            at, spread = zip(*sorted(rows), strict=True)
            return float(np.interp(stop, np.log2(at), spread)) / 1000.0

        corner = (
            by_stop([(row.f_number, row.plus_minus_um) for row in curved])
            if curved
            else typical_curvature_mm(self.lens, sensor_diagonal_mm)
        )
        axis = (
            by_stop([(row.f_number, row.plus_minus_um) for row in shifted])
            if shifted
            else typical_shift_mm(widest, f_number)
        )
        return corner, axis

    def falloff_at(self, share: Floats | float) -> Floats:
        """Light lost, in stops, at a share of the image circle's radius: with its fourth power."""
        found: Floats = self.lens.falloff_stops * np.clip(np.asarray(share, dtype=float), 0.0, None) ** 4
        return found


def optic_at(lens: Lens, focal_mm: float, *, back_tilt_deg: float = 0.0, back_shift_mm: float = 0.0) -> Optic:
    """A lens set to an acting focal length (fitted things included), which must be within its range.

    `back_tilt_deg` and `back_shift_mm` are what the camera's back can add to the lens's movements.
    """
    alone = _optic(lens, _bare_focal(lens, focal_mm))
    return replace(alone, back_tilt_deg=back_tilt_deg, back_shift_mm=back_shift_mm)


def extension_mm(optic: Optic, *, focal_mm: float, image_mm: float) -> float:
    """How far a lens stands out beyond its infinity mark, with the focal length and image distance it has there."""
    whole, tube = _optic(optic.lens, optic.bare_focal_mm), optic.lens.fitted.tube_mm
    # One that focuses internally forms the image of infinity at its own focal length wherever its ring stands.
    infinity = (whole.shortest_image_mm - tube) * focal_mm / whole.focal_mm + tube
    return image_mm - infinity


def engraved_mm(optic: Optic, *, focal_mm: float, image_mm: float) -> float:
    """What the bare lens's own scale shows, in its own reference; infinite at infinity and beyond.

    Parameters
    ----------
    focal_mm, image_mm : float
        Of the lens with all that is fitted, as it is focused; the image distance along its axis.
    """
    lens, fitted = optic.lens, optic.lens.fitted
    bare = _optic(lens.model_copy(update={"fitted": Fitted()}), optic.bare_focal_mm)
    if bare.closest_focal_mm == bare.focal_mm:
        own = bare.focal_mm
        stands_out = extension_mm(optic, focal_mm=focal_mm, image_mm=image_mm) / fitted.converter_times**2
        at = own + stands_out
        object_mm = own * at / stands_out if stands_out > _AT_INFINITY * own else math.inf
    else:
        # Its focal length tells where the ring stands, straight with the magnification it would have bare.
        ratio = focal_mm / _optic(lens, optic.bare_focal_mm).focal_mm
        own = bare.focal_mm * ratio
        most = bare.closest_focal_mm / (bare.closest_mm - bare.closest_focal_mm)
        magnification = most * (1.0 - ratio) / (1.0 - bare.closest_focal_mm / bare.focal_mm)
        if fitted == Fitted():
            magnification = image_mm / focal_mm - 1.0
        object_mm = own * (1.0 + 1.0 / magnification) if magnification > _AT_INFINITY else math.inf
        at = own * (1.0 + max(magnification, 0.0))
    if lens.closest_from == "principal":
        return object_mm
    if lens.closest_from == "front":
        return object_mm - bare.front_ahead_mm
    return object_mm + at + bare.principal_separation_mm


def moved_by(optic: Optic, standards: Standards) -> Optic:
    """The same with no more tilt than the standards have that are to do it."""
    if standards == Standards.LENS_FIRST or optic.back_tilt_deg == 0.0:
        return optic
    if standards == Standards.LENS:
        return replace(optic, back_tilt_deg=0.0)
    return replace(optic, lens_tilt_deg=0.0, back_in_place=standards == Standards.BACK_IN_PLACE)


def focal_range(lens: Lens) -> tuple[float, float]:
    """Shortest and longest focal length with what is fitted."""
    if lens.fitted.close_up_dioptres == 0.0 and lens.fitted.converter_times == 1.0:
        return lens.focal_mm
    return _optic(lens, lens.focal_mm[0]).focal_mm, _optic(lens, lens.focal_mm[1]).focal_mm


def _bare_focal(lens: Lens, focal_mm: float) -> float:
    low, high = lens.focal_mm
    if lens.fitted.close_up_dioptres == 0.0 and lens.fitted.converter_times == 1.0:
        return min(max(focal_mm, low), high)
    for _ in range(60):
        middle = 0.5 * (low + high)
        if _optic(lens, middle).focal_mm < focal_mm:
            low = middle
        else:
            high = middle
    return high


def _optic(lens: Lens, bare_mm: float) -> Optic:
    row = _interpolated(lens, bare_mm)
    bare = Cardinal(bare_mm, row.principal_separation_mm, row.pupil_magnification)
    front = _front_ahead(lens, row)
    longest = _longest_image_mm(lens, row, bare, front)
    closest_focal = _closest_focal_mm(lens, row, bare)
    if closest_focal != bare_mm:
        assert lens.closest_magnification is not None
        closest_mm = closest_focal * (1.0 + 1.0 / lens.closest_magnification)
        if closest_mm <= _NO_NEARER * bare_mm:
            # What it is at infinity could form no image of that: its way there is not known, so as if it extended.
            closest_focal = bare_mm
            longest = bare_mm * (1.0 + lens.closest_magnification)
    if closest_focal != bare_mm:
        # The image distance that the focal length at infinity would need: it only says how near one can get.
        longest = bare_mm * closest_mm / max(closest_mm - bare_mm, 0.02 * bare_mm)
    shortest = bare_mm
    stop_factor, whole = 1.0, bare
    fitted = lens.fitted
    if fitted.converter_times > 1.0:
        made = with_converter(
            whole, times=fitted.converter_times, from_image_mm=min(fitted.converter_from_image_mm, 0.9 * bare_mm)
        )
        scale = made.cardinal.focal_mm / whole.focal_mm
        closest_focal, shortest, longest = closest_focal * scale, shortest * scale, longest * scale
        stop_factor, whole, front = _joined(made, stop_factor, front)
    if fitted.close_up_dioptres > 0.0:
        made = with_close_up_lens(whole, power_dioptres=fitted.close_up_dioptres, ahead_mm=front)
        closest_focal *= made.cardinal.focal_mm / whole.focal_mm
        shortest, longest = shortest - made.rear_shift_mm, longest - made.rear_shift_mm
        stop_factor, whole, front = _joined(made, stop_factor, front)
    if fitted.tube_mm > 0.0 and closest_focal != whole.focal_mm:
        longest = _on_tube(whole.focal_mm, closest_focal, longest, fitted.tube_mm)
    else:
        longest += fitted.tube_mm
    return Optic(
        lens=lens,
        bare_focal_mm=bare_mm,
        focal_mm=whole.focal_mm,
        pupil_magnification=whole.pupil_magnification,
        principal_separation_mm=whole.separation_mm,
        f_numbers=(row.f_numbers[0] * stop_factor, row.f_numbers[1] * stop_factor),
        shortest_image_mm=shortest + fitted.tube_mm,
        longest_image_mm=longest,
        front_ahead_mm=front,
        lens_tilt_deg=row.tilt_deg,
        back_tilt_deg=0.0,
        lens_shift_mm=row.shift_mm,
        back_shift_mm=0.0,
        image_circle_mm=row.image_circle_mm,
        closest_focal_mm=closest_focal,
    )


def _on_tube(focal_mm: float, closest_focal_mm: float, longest_mm: float, tube_mm: float) -> float:
    """The image distance that the focal length at infinity would need for what a tube brings into focus.

    An internally focusing lens is shorter there, so the tube brings it nearer than one that extends.
    """
    closest_mm = focal_mm * longest_mm / (longest_mm - focal_mm)
    image_mm = closest_focal_mm * closest_mm / (closest_mm - closest_focal_mm) + tube_mm
    nearer_mm = closest_focal_mm * image_mm / (image_mm - closest_focal_mm)
    return focal_mm * nearer_mm / max(nearer_mm - focal_mm, 0.02 * focal_mm)


def _shares_by_focal(rows: tuple[Residual, ...], focal_mm: float) -> list[tuple[list[Residual], float]]:
    """The rows for the focal lengths on either side of this one, each with its share; all where none is told."""
    told = sorted({row.focal_mm for row in rows if row.focal_mm is not None})
    if not told:
        return [(list(rows), 1.0)]
    of = {focal: [row for row in rows if row.focal_mm in (focal, None)] for focal in told}
    place = float(np.interp(math.log(focal_mm), np.log(told), np.arange(len(told))))
    below = min(int(place), len(told) - 1)
    above = min(below + 1, len(told) - 1)
    part = place - below
    return [(of[told[k]], weight) for k, weight in ((below, 1.0 - part), (above, part)) if weight > 0.0]


def _joined(made: Compound, stop_factor: float, front_mm: float) -> tuple[float, Cardinal, float]:
    return stop_factor * made.stop_factor, made.cardinal, front_mm + made.front_shift_mm


@dataclass(frozen=True)
class _Row:
    """A lens's data at one setting of the zoom, without what is fitted."""

    focal_mm: float
    f_numbers: tuple[float, float]
    closest_m: float
    pupil_magnification: float
    principal_separation_mm: float
    pupil_behind_front_mm: float | None
    image_circle_mm: float | None
    tilt_deg: float
    shift_mm: float


def _interpolated(lens: Lens, bare_mm: float) -> _Row:
    """The lens's data at a focal length, straight between the rows in the logarithm of the focal length."""

    def value(key: str, plain: float) -> float:
        rows = sorted((row.focal_mm, getattr(row, key)) for row in lens.by_focal if getattr(row, key) is not None)
        if not rows:
            return plain
        return float(np.interp(math.log(bare_mm), np.log([focal for focal, _ in rows]), [v for _, v in rows]))

    def stop(end: int) -> float:
        rows = sorted((row.focal_mm, row.f_numbers[end]) for row in lens.by_focal if row.f_numbers is not None)
        if not rows:
            return lens.f_numbers[end]
        return float(np.interp(math.log(bare_mm), np.log([focal for focal, _ in rows]), [v for _, v in rows]))

    def optional(key: str) -> float | None:
        known = value(key, math.nan if getattr(lens, key) is None else getattr(lens, key))
        return None if math.isnan(known) else known

    return _Row(
        focal_mm=bare_mm,
        f_numbers=(stop(0), stop(1)),
        closest_m=value("closest_m", lens.closest_m),
        pupil_magnification=_turned(lens, value("pupil_magnification", lens.pupil_magnification)),
        principal_separation_mm=value("principal_separation_mm", lens.principal_separation_mm),
        pupil_behind_front_mm=optional("pupil_behind_front_mm"),
        image_circle_mm=optional("image_circle_mm"),
        tilt_deg=value("tilt_deg", lens.tilt_deg),
        shift_mm=value("shift_mm", lens.shift_mm),
    )


def _turned(lens: Lens, pupil_magnification: float) -> float:
    """Of a lens fitted front to body the pupils change places."""
    return 1.0 / pupil_magnification if lens.reversed else pupil_magnification


def _front_ahead(lens: Lens, row: _Row) -> float:
    """Front of the lens ahead of the front principal point."""
    if row.pupil_behind_front_mm is None:
        return lens.front_ahead_mm
    return row.pupil_behind_front_mm + row.focal_mm * (1.0 - 1.0 / row.pupil_magnification)


def _longest_image_mm(lens: Lens, row: _Row, bare: Cardinal, front_mm: float) -> float:
    """Image distance along the axis at closest focus; beyond life size, 2f, only where the lens says so."""
    beyond = lens.closest_magnification
    if lens.focusing == "extension" and beyond is not None and beyond > 1.0:
        return bare.focal_mm * (1.0 + beyond)
    if lens.closest_from == "sensor":
        return image_distance_for_scale_mm(
            scale_m=row.closest_m, focal_mm=bare.focal_mm, separation_mm=bare.separation_mm
        )
    closest_mm = row.closest_m * 1000.0 + (front_mm if lens.closest_from == "front" else 0.0)
    if closest_mm <= 2.0 * bare.focal_mm:
        return 2.0 * bare.focal_mm
    return image_distance_for_object_mm(object_mm=closest_mm, focal_mm=bare.focal_mm)


def _closest_focal_mm(lens: Lens, row: _Row, bare: Cardinal) -> float:
    """Focal length at closest focus, from the magnification measured there."""
    if lens.focusing == "extension" or lens.closest_magnification is None:
        return bare.focal_mm
    m, closest_mm = lens.closest_magnification, row.closest_m * 1000.0
    if lens.closest_from == "sensor":
        return focal_from_magnification_mm(scale_mm=closest_mm, magnification=m, separation_mm=bare.separation_mm)
    ahead = _front_ahead(lens, row) if lens.closest_from == "front" else 0.0
    return (closest_mm + ahead) / (1.0 + 1.0 / m)
