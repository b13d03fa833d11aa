"""What every mark looks like in a set of exposures, and which exposure shows it best."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verispect.optics.blur import blur_axes_mm, image_centres_mm
from verispect.optics.criterion import Criterion
from verispect.optics.image_circle import circle_share
from verispect.optics.lens_state import from_principal_point
from verispect.optics.types import Bools, Floats, Indices
from verispect.plan.frames.exposure import Exposure
from verispect.plan.scene.scene import Scene


@dataclass(frozen=True)
class Rendering:
    """Every mark from the exposure that shows it best; arrays of shape (M,).

    Attributes
    ----------
    exposure : ndarray of int
    blur_long_mm, blur_short_mm, contrast, softness, allowed_mm, smear_mm, residual_mm : ndarray
    inside : ndarray of bool
        Whether the mark falls on the sensor in that exposure.
    """

    exposure: Indices
    blur_long_mm: Floats
    blur_short_mm: Floats
    contrast: Floats
    softness: Floats
    allowed_mm: Floats
    smear_mm: Floats
    residual_mm: Floats
    inside: Bools


def render(scene: Scene, exposures: Sequence[Exposure], criterion: Criterion) -> Rendering:
    """Look at every mark in every exposure; keep for each mark the one that shows it best.

    An exposure on whose sensor the mark falls is preferred to one that misses it; then the least softness
    counts, then the most contrast.
    """
    views = [_view(scene, exposure, criterion) for exposure in exposures]
    softness = np.stack([view.softness for view in views])
    contrast = np.stack([view.contrast for view in views])
    inside = np.stack([view.inside for view in views])
    # Rank by one number: infinities of softness fall back on contrast.
    by_contrast = 1e9 - np.where(np.isnan(contrast), 0.0, contrast) * 1e6
    rank = np.where(np.isfinite(softness), softness, by_contrast) + np.where(inside, 0.0, 1e12)
    best = np.argmin(rank, axis=0)
    columns = np.arange(best.size)
    shown = contrast[best, columns]
    # Where softness has decided, only the exposure that was chosen is asked for its contrast.
    for k, view in enumerate(views):
        mine = np.flatnonzero((best == k) & np.isnan(shown))
        if mine.size == 0:
            continue
        working = exposures[k].state.working_f_number
        shown[mine] = criterion.contrast(
            view.blur_long_mm[mine], working, view.smear_mm[mine], view.residual_mm[mine]
        )
    return Rendering(
        exposure=best,
        blur_long_mm=np.stack([view.blur_long_mm for view in views])[best, columns],
        blur_short_mm=np.stack([view.blur_short_mm for view in views])[best, columns],
        contrast=shown,
        softness=softness[best, columns],
        allowed_mm=np.stack([view.allowed_mm for view in views])[best, columns],
        smear_mm=np.stack([view.smear_mm for view in views])[best, columns],
        residual_mm=np.stack([view.residual_mm for view in views])[best, columns],
        inside=inside[best, columns],
    )


def softness_on_each(scene: Scene, exposures: Sequence[Exposure], criterion: Criterion) -> Floats:
    """Softness (N, M) of every mark in each of the exposures by itself; infinite where it is not on the frame."""
    views = [_view(scene, exposure, criterion, told_by_contrast=False) for exposure in exposures]
    return np.stack([np.where(view.inside, view.softness, np.inf) for view in views])


def _view(scene: Scene, exposure: Exposure, criterion: Criterion, *, told_by_contrast: bool = True) -> Rendering:
    state = exposure.state
    points = from_principal_point(exposure.pose.to_camera_mm(scene.world_m), state)
    seen = points[:, 2] > state.focal_mm
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        long, short = blur_axes_mm(points, state)
        centres = image_centres_mm(points, state)
        smear = np.where(seen, scene.path_mm(exposure.shutter_s) * state.image_distance_mm / points[:, 2], 0.0)
        residual = np.where(seen, _residual(scene, exposure, centres), 0.0)
    half = 0.5 * np.asarray(scene.plan.sensor_mm) * (1.0 + 1e-9)
    inside = seen & np.all(np.abs(centres - np.asarray(exposure.sensor_centre_mm)) <= half, axis=1)
    working = state.working_f_number
    if np.any(smear) or np.any(residual):
        allowed = criterion.allowed_blur_mm(working, smear, residual)
    else:
        allowed = np.full(seen.shape, exposure.allowed_blur_mm)
    softness = np.where(seen, criterion.softness(long, working, smear, allowed, residual), np.inf)
    # Contrast is asked for where softness tells nothing: of what no blur would render sharp enough.
    contrast = np.where(seen, np.nan, 0.0)
    hopeless = np.flatnonzero(seen & ~np.isfinite(softness))
    if hopeless.size and told_by_contrast:
        contrast[hopeless] = criterion.contrast(long[hopeless], working, smear[hopeless], residual[hopeless])
    return Rendering(
        exposure=np.zeros(seen.shape, int),
        blur_long_mm=long,
        blur_short_mm=short,
        contrast=contrast,
        softness=softness,
        allowed_mm=allowed,
        smear_mm=smear,
        residual_mm=residual,
        inside=inside,
    )


def on_sensor(exposure: Exposure, world_m: Floats, half_mm: Floats) -> Bools:
    """Whether the middle rays of places (..., 3) fall within `half_mm` (2,) of the sensor's middle."""
    points = from_principal_point(exposure.pose.to_camera_mm(world_m), exposure.state)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        off = np.abs(image_centres_mm(points, exposure.state) - np.asarray(exposure.sensor_centre_mm))
    found: Bools = (points[..., 2] > exposure.state.focal_mm) & np.all(off <= half_mm, axis=-1)
    return found


def residual_mm(scene: Scene, exposure: Exposure, marks: Indices) -> Floats:
    """The lens's own blur on some marks in an exposure, shape (K,)."""
    points = from_principal_point(exposure.pose.to_camera_mm(scene.world_m[marks]), exposure.state)
    return _residual(scene, exposure, image_centres_mm(points, exposure.state))


def _residual(scene: Scene, exposure: Exposure, centres_mm: Floats) -> Floats:
    """The lens's own blur where the marks fall."""
    lens = exposure.lens
    if not lens.lens.residual:
        return np.zeros(len(centres_mm))
    share = circle_share(centres_mm, exposure.state, scene.plan.kit.body.diagonal_mm)
    return lens.residual_mm(exposure.state.f_number, np.nan_to_num(share, nan=1.0))
