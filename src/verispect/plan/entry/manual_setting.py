"""Settings moved by hand: from a dragged focus or plane to a lens state, and what it does to the marks."""

from __future__ import annotations

import math

import numpy as np

from verispect.kit.focal_choice import single_frame_focal_mm
from verispect.optics.lens_state import axis_from_tilt_and_swing, tilt_and_swing_rad
from verispect.optics.types import Floats, Vector
from verispect.plan.document import ManualSetting
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate, worked_out
from verispect.plan.methods.refine.back_in_place import pose_of_back
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.problem import problem_for

# A plane dragged nearer than this many focal lengths is held there.
_NEAREST = 2.0


def setting_of(exposure: Exposure) -> ManualSetting:
    """An exposure's settings, as a start for moving them by hand."""
    tilt, swing = tilt_and_swing_rad(exposure.state.axis)
    return ManualSetting(
        lens=exposure.lens.name,
        tilt_deg=math.degrees(tilt),
        swing_deg=math.degrees(swing),
        image_distance_mm=exposure.state.image_distance_mm,
        f_number=exposure.state.f_number,
    )


def with_focus_at(exposure: Exposure, depth_mm: float) -> ManualSetting:
    """The plane moved to cross the sensor's normal at a depth, tilt kept: it turns about the hinge line."""
    return _setting(exposure, exposure.state.axis, depth_mm)


def with_plane_through(exposure: Exposure, point_mm: Floats, *, upright: bool) -> ManualSetting:
    """The plane leaned to pass through a point, its crossing of the sensor's normal kept.

    Parameters
    ----------
    point_mm : ndarray, shape (3,)
        In the camera's frame from the front principal point.
    upright : bool
        True changes the tilt (a drag in the elevation), False the swing (a drag in the ground drawing).
    """
    state = exposure.state
    f = state.focal_mm
    ax, ay, az = state.axis
    crossing = az / f - 1.0 / state.image_distance_mm  # g_z, one over the depth of the crossing
    offset = float(point_mm[1] if upright else point_mm[0])
    if abs(offset) < 1e-6:
        return setting_of(exposure)
    sine = f * (1.0 - crossing * float(point_mm[2])) / offset
    limit = math.sin(math.radians(exposure.lens.tilt_deg))
    sine = min(max(sine, -limit), limit)
    ax, ay = (ax, sine) if upright else (sine, ay)
    lean = math.hypot(ax, ay)
    if exposure.lens.tilt_mount == "rotating" and lean > limit > 0.0:
        ax, ay = ax * limit / lean, ay * limit / lean
    axis = (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay))
    return _setting(exposure, axis, 1.0 / crossing if crossing > 1e-12 else math.inf)


def _setting(exposure: Exposure, axis: Vector, depth_mm: float) -> ManualSetting:
    f = exposure.state.focal_mm
    depth_mm = max(depth_mm, _NEAREST * f)
    v = 1.0 / (axis[2] / f - 1.0 / depth_mm)
    longest = exposure.lens.longest_image_mm * axis[2]
    tilt, swing = tilt_and_swing_rad(axis)
    return ManualSetting(
        lens=exposure.lens.name,
        tilt_deg=math.degrees(tilt),
        swing_deg=math.degrees(swing),
        image_distance_mm=min(v, longest),
        f_number=exposure.state.f_number,
    )


def worked_by_hand(scene: Scene, setting: ManualSetting) -> Candidate | None:
    """The single frame that a setting makes; None where its lens is gone or cannot take the picture."""
    for lens in scene.plan.kit.lenses:
        if lens.name != setting.lens:
            continue
        focal = single_frame_focal_mm(lens, scene.plan.whole_focal_mm)
        if focal is None:
            return None
        limit = lens.tilt_deg
        axis = axis_from_tilt_and_swing(
            tilt_rad=math.radians(float(np.clip(setting.tilt_deg, -limit, limit))),
            swing_rad=math.radians(float(np.clip(setting.swing_deg, -limit, limit))),
        )
        problem = problem_for(scene, lens, focal)
        v = float(np.clip(setting.image_distance_mm, 0.5 * focal, problem.longest_image_mm * axis[2]))
        state = problem.state(f_number=setting.f_number, image_distance_mm=v, axis=axis)
        if problem.lens.back_in_place:
            problem = problem.looking(pose_of_back(problem, axis), problem.chosen)
        key = "tilt" if max(abs(axis[0]), abs(axis[1])) > 1e-9 else "one-frame"
        return worked_out(key, problem, [problem.exposure(state)])
    return None
