"""A turned grid on its head: where the axis must be, what an error of it costs, and whether the frames meet."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from verispect.optics.blur import image_centres_mm
from verispect.optics.convex import shared_area
from verispect.optics.image_circle import circle_share
from verispect.optics.lens_state import from_principal_point
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import on_sensor
from verispect.plan.methods.candidate import Candidate
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.grid_layout import round_directions
from verispect.subject.camera import Around

# Errors of the slide that are told, in mm.
_ERRORS_MM = (1.0, 5.0, 20.0)
_LOOKED_AT = (61, 41)
_LOOKED_AT_ROUND = 20_000
# Of a frame, along each side, to see how much of it others show.
_SAMPLED = 61


@dataclass(frozen=True)
class HeadSetting:
    """What is set on the head and its slide.

    Attributes
    ----------
    slide_mm : float
        How far ahead of the sensor mark the axis of turning must lie: in the entrance pupil.
    behind_front_mm : float or None
        The same behind the front of the lens, where the kit knows it.
    parallax_px_for_mm : tuple of (mm, px)
        How far near parts from far between neighbours, for so much off the pupil.
    smallest_overlap : float
        Least share of a frame's area that its neighbour beside or above shows too; 1 for a single place.
    covered : bool
        Whether every direction of the wanted picture lies on a frame.
    seam_loss_stops : float or None
        Light lost where neighbours meet, half-way between them, against the middle of a frame; None where the
        lens's falloff is not known.
    """

    slide_mm: float
    behind_front_mm: float | None
    parallax_px_for_mm: tuple[tuple[float, float], ...]
    smallest_overlap: float
    covered: bool
    seam_loss_stops: float | None


def head_setting(candidate: Candidate) -> HeadSetting | None:
    """Of a turned grid; None for other methods."""
    if not candidate.method.turns or not candidate.exposures:
        return None
    # Of the place at the top left, in whichever order they are gone through.
    scene, exposure = candidate.scene, candidate.exposures[candidate.cells.index((0, 0))]
    state, optic = exposure.state, exposure.lens
    turn = _widest_turn_rad(candidate)
    depth = np.linalg.norm(scene.world_m[scene.deciding] - scene.pose.pupil_m, axis=1) * 1000.0
    parted = 1.0 / float(depth.min()) - 1.0 / float(depth.max())
    scale = max(frame.state.pupil_scale_mm for frame in candidate.exposures)
    each = math.sin(min(turn, 0.5 * math.pi)) * scale * parted / scene.plan.kit.body.pixel_mm
    known = optic.lens.pupil_behind_front_mm is not None or optic.lens.front_ahead_mm != 0.0
    return HeadSetting(
        slide_mm=state.image_distance_mm + optic.principal_separation_mm + state.pupil_ahead_mm,
        behind_front_mm=optic.front_ahead_mm - state.pupil_ahead_mm if known else None,
        parallax_px_for_mm=tuple((error, error * each) for error in _ERRORS_MM),
        smallest_overlap=_smallest_overlap(candidate),
        covered=bool(_covered(candidate)),
        seam_loss_stops=_seam_loss_stops(candidate) if optic.lens.falloff_stops > 0.0 else None,
    )


def _places(candidate: Candidate) -> list[list[Exposure]]:
    """The narrowest frame of each place, row by row from the top, left to right."""
    places: dict[tuple[int, int], Exposure] = {}
    for cell, exposure in zip(candidate.cells, candidate.exposures, strict=True):
        if cell not in places or exposure.state.pupil_scale_mm > places[cell].state.pupil_scale_mm:
            places[cell] = exposure
    return [[places[row, column] for column in range(count)] for row, count in enumerate(candidate.grid_cells)]


def _widest_turn_rad(candidate: Candidate) -> float:
    turns = [0.0]
    for row in _places(candidate):
        for first, second in _beside(candidate, row):
            turns.append(math.acos(float(np.clip(first.pose.forward @ second.pose.forward, -1.0, 1.0))))
    return max(turns)


def _smallest_overlap(candidate: Candidate) -> float:
    rows = _places(candidate)
    shares = [1.0]
    for row in rows:
        shares += [_shared(candidate, first, second) for first, second in _beside(candidate, row)]
    if candidate.scene.plan.camera.around != Around.PICTURE:
        return min([*shares, *(_shared_with_row(candidate, one, upper) for upper, lower in pairwise(rows)
                               for one in lower)])  # fmt: skip
    for upper, lower in pairwise(rows):
        # Rows need not have as many frames: each is joined to the one above that shows most of it.
        shares += [max(_shared(candidate, one, other) for other in upper) for one in lower]
    return min(shares)


def _beside(candidate: Candidate, row: list[Exposure]) -> list[tuple[Exposure, Exposure]]:
    """Neighbours of a row; one that goes all round is closed by its last and its first."""
    closed = candidate.scene.plan.camera.around != Around.PICTURE and len(row) > 2
    return [*pairwise(row), *([(row[-1], row[0])] if closed else [])]


def _shared_with_row(candidate: Candidate, one: Exposure, row: list[Exposure]) -> float:
    """Share of a frame that a row above or below it shows, by whichever of its frames: thinned rows are out of line.

    Of a row of one, at a pole, it is what that one frame shows.
    """
    if len(row) == 1:
        return _shared(candidate, one, row[0])
    x, y = np.meshgrid(np.linspace(-0.5, 0.5, _SAMPLED), np.linspace(-0.5, 0.5, _SAMPLED))
    width, height = candidate.scene.plan.sensor_mm
    rays = np.column_stack([x.ravel() * width, y.ravel() * height, np.full(x.size, one.state.pupil_scale_mm)])
    world = one.pose.to_world_m(1.0e5 * rays)
    half_mm = 0.5 * np.asarray(candidate.scene.plan.sensor_mm)
    seen = np.zeros(len(world), dtype=bool)
    for other in row:
        seen |= on_sensor(other, world, half_mm)
    return float(seen.mean())


def _seam_loss_stops(candidate: Candidate) -> float:
    """The most light that a frame has lost half-way to a neighbour beside or below."""
    rows, diagonal = _places(candidate), candidate.scene.plan.kit.body.diagonal_mm
    pairs = [pair for row in rows for pair in _beside(candidate, row)]
    for upper, lower in pairwise(rows):
        pairs += [(max(upper, key=lambda other: _shared(candidate, one, other)), one) for one in lower]
    lost = [0.0]
    for first, second in pairs:
        halfway = first.pose.forward + second.pose.forward
        place = first.pose.pupil_m + 1.0e5 * halfway / np.linalg.norm(halfway)
        for frame in (first, second):
            points = from_principal_point(frame.pose.to_camera_mm(place[None]), frame.state)
            share = circle_share(image_centres_mm(points, frame.state), frame.state, frame.lens.circle_mm(diagonal))
            lost.append(float(frame.lens.falloff_at(share)[0]))
    return max(lost)


def _shared(candidate: Candidate, first: Exposure, second: Exposure) -> float:
    scale = max(first.state.pupil_scale_mm, second.state.pupil_scale_mm)
    half: Floats = 0.5 * np.asarray(candidate.scene.plan.sensor_mm) / scale
    return shared_area(second.pose.matrix @ first.pose.matrix.T, half)


def _covered(candidate: Candidate) -> bool:
    """Whether each of a dense net of directions in the picture lies on a frame that is its narrowest."""
    scene = candidate.scene
    half_mm = 0.5 * np.asarray(scene.plan.sensor_mm) * (1.0 + 1e-6)
    if scene.plan.camera.around != Around.PICTURE:
        far = scene.pose.pupil_m + 1.0e5 * round_directions(scene.plan.elevations_rad, _LOOKED_AT_ROUND)
        return _all_on_a_frame(candidate, far, half_mm)
    net = picture_net(scene, _LOOKED_AT).reshape(-1, 3)
    return _all_on_a_frame(candidate, scene.pose.pupil_m + 1.0e5 * net, half_mm)


def picture_net(scene: Scene, counts: tuple[int, int]) -> Floats:
    """Directions all over the wanted picture (up, across, 3) in the world, so many across and up, from its bottom."""
    across, up = (np.linspace(-1.0, 1.0, count) for count in counts)
    half, centre = scene.half_picture(), scene.picture_centre()
    x, y = np.meshgrid(centre[0] + across * half[0], centre[1] + up * half[1])
    found: Floats = np.stack([x, y, np.ones_like(x)], axis=-1) @ scene.pose.matrix
    return found


def _all_on_a_frame(candidate: Candidate, world: Floats, half_mm: Floats) -> bool:
    seen = np.zeros(len(world), dtype=bool)
    for row in _places(candidate):
        for exposure in row:
            seen |= on_sensor(exposure, world, half_mm)
    return bool(seen.all())
