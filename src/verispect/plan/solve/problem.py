"""One lens at one focal length before one scene: what a method solves for."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace
from functools import cached_property

import numpy as np

from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import Optic, moved_by, optic_at
from verispect.optics.blur import image_centres_mm
from verispect.optics.criterion import Criterion
from verispect.optics.exposure_time import shutter_s, with_reciprocity_s
from verispect.optics.focus_bend import FocusBend
from verispect.optics.image_circle import circle_share
from verispect.optics.lens_state import FORWARD, LensState, from_principal_point
from verispect.optics.pose import Pose
from verispect.optics.types import Floats, Indices, Vector
from verispect.plan.frames.exposure import Exposure
from verispect.plan.scene.scene import Scene
from verispect.subject.camera import Around


@dataclass(frozen=True)
class Problem:
    """A scene, a lens, a focal length, and the marks to be decided on.

    Attributes
    ----------
    scene : Scene
    lens : Optic
    focal_mm : float
    pose : Pose
        Where this camera looks; a frame of a turned grid looks elsewhere than the scene's own pose.
    chosen : ndarray of int, shape (K,)
        Indices of the marks that this problem's settings are searched for.
    ring_focal_mm : float
        The focal length at infinity where `focal_mm` is that of a lens focused near; 0 where they are one.
    even : bool
        Whether all marks count alike, whatever weights they have.
    should_counts : float
        How much the shoulds among the chosen count against the musts, 0 to 1.
    is_of_turned_grid : bool
        Whether frames are turned to their places, however short the lens is.
    """

    scene: Scene
    lens: Optic
    focal_mm: float
    pose: Pose
    chosen: Indices
    ring_focal_mm: float = 0.0
    even: bool = False
    should_counts: float = 1.0
    is_of_turned_grid: bool = False

    def __getstate__(self) -> dict[str, object]:
        """Without what can be worked out again: a candidate carries its problem between processes."""
        return {field.name: getattr(self, field.name) for field in fields(self)}

    @cached_property
    def criterion(self) -> Criterion:
        """Just acceptable sharpness at this focal length."""
        return self.scene.plan.criterion(self._drawing_focal_mm)

    @property
    def _drawing_focal_mm(self) -> float:
        """The focal length that sets the size of the picture: at infinity, or where a width was asked for."""
        away_m = self.scene.plan.camera.framing_at_m
        if away_m is None:
            return self.ring_focal_mm or self.focal_mm
        return self.lens.breathing_at(1000.0 * away_m).focal_mm

    @property
    def drawn(self) -> float:
        """How large the wanted picture is drawn, over what of the sensor it would fill."""
        return self.scene.plan.drawn(self._drawing_focal_mm)

    @cached_property
    def points_mm(self) -> Floats:
        """Chosen marks in this camera's frame from the entrance pupil, shape (K, 3)."""
        return self.pose.to_camera_mm(self.scene.world_m[self.chosen])

    @cached_property
    def all_points_mm(self) -> Floats:
        """Every mark in this camera's frame from the entrance pupil, shape (M, 3)."""
        return self.pose.to_camera_mm(self.scene.world_m)

    @property
    def weights(self) -> Floats:
        """Weights of the chosen marks, shape (K,)."""
        found: Floats = np.ones(len(self.chosen)) if self.even else self.scene.weights[self.chosen]
        if self.should_counts == 1.0:
            return found
        return np.where(self.scene.deciding[self.chosen], found, self.should_counts * found)

    @property
    def speeds_mm_s(self) -> Floats:
        """Speeds of the chosen marks, shape (K,)."""
        found: Floats = self.scene.speeds_mm_s[self.chosen]
        return found

    def path_mm(self, seconds: float) -> Floats:
        """How far the chosen marks cross the view during an exposure, shape (K,)."""
        return self.scene.path_mm(seconds, self.chosen)

    @cached_property
    def stops(self) -> Floats:
        """The stops the lens has and the user allows, exact, shape (S,)."""
        stops = self.lens.stops()
        refused = 3 * self.scene.plan.kit.refuse_smallest
        return stops[: max(1, len(stops) - refused)]

    @cached_property
    def longest_image_mm(self) -> float:
        """Image distance along the lens's axis at closest focus."""
        return self.lens.longest_image_mm

    @property
    def _is_part_of_grid(self) -> bool:
        """A lens longer than the framing fills its whole sensor with a part of the picture."""
        around = self.scene.plan.camera.around
        return self.is_of_turned_grid or self.drawn > 1.0 + 1e-9 or around != Around.PICTURE

    @property
    def used_size_mm(self) -> tuple[float, float]:
        """The part of the sensor that the wanted picture fills with this focal length."""
        plan = self.scene.plan
        if self._is_part_of_grid:
            return plan.sensor_mm
        width, height = plan.picture_mm
        return width * self.drawn, height * self.drawn

    @property
    def region_centre_mm(self) -> tuple[float, float]:
        """Middle of what the wanted picture fills, right and up from the lens's foot; it stands upside down.

        A frame of a grid is turned or shifted to its place by the grid.
        """
        if self._is_part_of_grid:
            return 0.0, 0.0
        across, up = self.scene.plan.picture_centre
        scale = self.drawn * self.scene.plan.framing_mm
        return -across * scale, -up * scale

    @property
    def shifted_to_mm(self) -> tuple[float, float]:
        """Where the sensor's middle must come, right and up from the lens's foot, for it to take in the picture.

        A lens wider than the picture needs less shift, or none: the picture is then cut from its side.
        """
        found = []
        sizes = zip(self.region_centre_mm, self.used_size_mm, self.scene.plan.sensor_mm, strict=True)
        for centre, used, size in sizes:
            over = abs(centre) - 0.5 * (size - used)
            found.append(math.copysign(max(over, 0.0), centre) if over > 1e-9 else 0.0)
        return found[0], found[1]

    @property
    def shortest_image_mm(self) -> float:
        """Image distance along the lens's axis at the far end of the focusing range."""
        return self.lens.shortest_image_mm

    @property
    def nearest_tilted_mm(self) -> float:
        """Shortest image distance that a search with movements looks at: some planes lie beyond infinity focus.

        Not with something fitted that takes infinity away: there the lens surely ends.
        """
        beyond = 0.5 if self.shortest_image_mm <= self.focal_mm * (1.0 + 1e-9) else 0.0
        return self.shortest_image_mm - beyond * self.focal_mm

    @property
    def middle_stop(self) -> float:
        """A stop near the middle of the range, for shapes that hardly depend on it."""
        return float(self.stops[len(self.stops) // 2])

    @property
    def middle_state(self) -> LensState:
        """The lens at infinity and a middle stop."""
        return self.state(f_number=self.middle_stop, image_distance_mm=self.focal_mm)

    def looking(self, pose: Pose, chosen: Indices) -> Problem:
        """The same lens turned elsewhere, deciding on other marks."""
        return replace(self, pose=pose, chosen=chosen)

    def state(self, *, f_number: float, image_distance_mm: float, axis: Vector = FORWARD) -> LensState:
        """A state of this lens."""
        return LensState(
            focal_mm=self.focal_mm,
            f_number=f_number,
            image_distance_mm=image_distance_mm,
            axis=axis,
            pupil_magnification=self.lens.pupil_magnification,
            bend=self._bend,
        )

    @cached_property
    def _bend(self) -> FocusBend | None:
        return self.lens.focus_bend(self.scene.plan.kit.body.diagonal_mm)

    def points_from_lens_mm(self, state: LensState) -> Floats:
        """Chosen marks from the front principal point, shape (K, 3)."""
        return from_principal_point(self.points_mm, state)

    def shutter_s(self, state: LensState) -> float:
        """Exposure time of a state in the plan's light, through the filters and on the film of the kit."""
        kit = self.scene.plan.kit
        metered = shutter_s(
            ev100=self.scene.plan.light.ev100 - kit.filter_stops,
            iso=kit.body.iso,
            working_f_number=state.working_f_number,
        )
        film = kit.body.film
        return metered if film is None else with_reciprocity_s(metered, exponent=film.exponent, from_s=film.from_s)

    @cached_property
    def is_plain(self) -> bool:
        """Whether nothing but defocus, diffraction and the pixel spoils a chosen mark."""
        return not self.lens.lens.residual and not np.any(self.speeds_mm_s)

    def spoilers_mm(self, state: LensState, points_mm: Floats) -> tuple[Floats, Floats]:
        """What else blurs the chosen marks (K,): path of moving ones during the exposure, the lens's residual.

        The path is w · t · v / (n·P).
        """
        smears = np.asarray(self.path_mm(self.shutter_s(state)) * state.image_distance_mm / points_mm[..., 2])
        return smears, residual_blur_mm(self.lens, state, points_mm, self.scene.plan.kit.body.diagonal_mm)

    def pivot_offset_mm(self, state: LensState) -> tuple[float, float]:
        """How far tilting about a pivot off the principal point moves the sensor's centre from the lens's foot.

        Nothing where the lens's own shift can take it back, as it is then told to. A back that tilts where it
        stands keeps its middle on the lens's axis.
        """
        if self.lens.back_in_place:
            across, up = (-state.image_distance_mm * part / state.axis[2] for part in state.axis[:2])
            return across, up
        across, up = (self.lens.lens.tilt_pivot_mm * part for part in state.axis[:2])
        if max(abs(across), abs(up)) <= self.lens.shift_mm:
            return 0.0, 0.0
        return across, up

    def breathed(self, state: LensState) -> LensState:
        """A straight lens that focuses internally, focused on the same place with the focal length it has there."""
        if self.lens.closest_focal_mm == self.lens.focal_mm or state.axis != FORWARD:
            return state
        v = state.image_distance_mm
        if v <= state.focal_mm:
            return state
        object_mm = state.focal_mm * v / (v - state.focal_mm)
        focal = self.lens.breathing_at(object_mm).focal_mm
        return replace(state, focal_mm=focal, image_distance_mm=focal * object_mm / (object_mm - focal))

    def half_field(self, nearest_mm: float) -> Floats:
        """Half of what the sensor sees, focused on something so far before the entrance pupil, as near as it gets.

        Returns
        -------
        ndarray, shape (2,)
            Tangents across and up, from the entrance pupil, of the lens set straight.
        """
        object_mm = nearest_mm + self.focal_mm * (1.0 - 1.0 / self.lens.pupil_magnification)
        longest = self.longest_image_mm
        v = self.focal_mm * object_mm / (object_mm - self.focal_mm) if object_mm > self.focal_mm else longest
        state = self.breathed(self.state(f_number=self.middle_stop, image_distance_mm=min(v, longest)))
        found: Floats = 0.5 * np.asarray(self.scene.plan.sensor_mm) / state.pupil_scale_mm
        return found

    def focused_near(self, state: LensState) -> Problem:
        """The same problem with the focal length that an internally focusing lens has in a state."""
        axial = state.image_distance_mm / state.axis[2]
        object_mm = state.focal_mm * axial / (axial - state.focal_mm) if axial > state.focal_mm else math.inf
        lens = self.lens.breathing_at(object_mm)
        ring = self.ring_focal_mm or self.focal_mm
        return replace(self, lens=lens, focal_mm=lens.focal_mm, ring_focal_mm=ring)

    def exposure(self, state: LensState, sensor_centre_mm: tuple[float, float] | None = None) -> Exposure:
        """The exposure of a state; the sensor where the tilt leaves it unless a place is given."""
        state = self.breathed(state)
        if sensor_centre_mm is None:
            sensor_centre_mm = _sum(self.shifted_to_mm, self.pivot_offset_mm(state))
        return Exposure(
            lens=self.lens,
            state=state,
            pose=self.pose,
            shutter_s=self.shutter_s(state),
            allowed_blur_mm=self.criterion.allowed_still_mm(state.working_f_number),
            sensor_centre_mm=sensor_centre_mm,
        )


def _sum(first: tuple[float, float], second: tuple[float, float]) -> tuple[float, float]:
    return first[0] + second[0], first[1] + second[1]


def residual_blur_mm(lens: Optic, state: LensState, points_mm: Floats, sensor_diagonal_mm: float) -> Floats:
    """The lens's own blur at the places of points (K, 3), from its table."""
    if not lens.lens.residual:
        return np.zeros(points_mm.shape[:-1])
    centres = image_centres_mm(points_mm, state)
    return lens.residual_mm(state.f_number, circle_share(centres, state, sensor_diagonal_mm))


def problem_for(scene: Scene, lens: Lens, focal_mm: float, *, is_of_turned_grid: bool = False) -> Problem:
    """The problem of the scene's deciding marks for a lens at a focal length."""
    body = scene.plan.kit.body
    optic = optic_at(lens, focal_mm, back_tilt_deg=body.back_tilt_deg, back_shift_mm=body.back_shift_mm)
    return Problem(
        scene=scene,
        lens=moved_by(optic, scene.plan.choice.standards),
        focal_mm=focal_mm,
        pose=scene.pose,
        chosen=np.flatnonzero(scene.deciding),
        is_of_turned_grid=is_of_turned_grid,
    )
