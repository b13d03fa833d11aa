"""What a method costs beside frames and time: storage, computer work, battery, light, movement, parallax.

Rates come from the kit's data, each of which can be changed; the defaults are estimates from memory.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from verispect.plan.assess.daylight import drift_stops
from verispect.plan.assess.finest_detail import mm_on_subject_per_mm
from verispect.plan.frames.rendering import on_sensor
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence


@dataclass(frozen=True)
class Costs:
    """Of one method that fits.

    Attributes
    ----------
    storage_mb, computing_s : float
        Raw files; merging and joining them.
    battery : float
        Share of one charge.
    drift_stops : float or None
        Change of daylight from the first frame to the last, positive brighter; None without place and time.
    smear_px, ghost_px : float
        Worst path of a moving mark during the exposure that shows it best, and between one frame and the next.
    ghost_mark : str
    parallax_px : float
        How far near parts from far between frames, for grids and rails.
    bare_frames : int
        Frames of a grid in which nothing was marked: they may show nothing to join by, such as plain sky.
    kept : float
        Share of the picture's width that every frame shows: the rest is lost to breathing, or to a merge in
        the camera.
    """

    storage_mb: float
    computing_s: float
    battery: float
    drift_stops: float | None
    smear_px: float
    ghost_px: float
    ghost_mark: str
    parallax_px: float
    bare_frames: int
    kept: float


def costs_of(candidate: Candidate) -> Costs:
    """The costs of a method that fits."""
    body, times = candidate.scene.plan.kit.body, candidate.scene.plan.kit.times
    frames, shots = candidate.frame_count, candidate.shot_count
    megapixels = body.pixels[0] * body.pixels[1] / 1e6
    joined = sum(candidate.grid_cells) if candidate.method.is_grid else 0
    # Shots of one frame are put together as frames of a series are: all are read and looked at.
    merged = (frames if frames > max(joined, 1) else 0) + (shots if shots > frames else 0)
    smear, ghost, mark = _movement(candidate)
    return Costs(
        storage_mb=shots * body.raw_mb,
        computing_s=megapixels * (merged * times.merge_s_per_mp + joined * times.join_s_per_mp),
        battery=shots / body.battery_frames + candidate.run_s / 60.0 / body.battery_min,
        drift_stops=_drift(candidate),
        smear_px=smear,
        ghost_px=ghost,
        ghost_mark=mark,
        parallax_px=_parallax_px(candidate),
        bare_frames=_bare_frames(candidate) if joined else 0,
        kept=candidate.kept,
    )


def _drift(candidate: Candidate) -> float | None:
    site = candidate.scene.plan.site
    if site is None or site.from_ is None:
        return None
    return drift_stops(site, site.from_, candidate.run_s)


def _movement(candidate: Candidate) -> tuple[float, float, str]:
    """Worst smear and worst step between frames, in pixels, and which mark makes it."""
    scene, rendering = candidate.scene, candidate.rendering
    count = scene.mark_count
    speeds = scene.own_speeds_mm_s[:count]
    if rendering is None or not np.any(scene.speeds_mm_s[:count]):
        return 0.0, 0.0, ""
    pixel = scene.plan.kit.body.pixel_mm
    smear = float(rendering.smear_mm[:count].max()) / pixel
    if candidate.frame_count < 2 or not np.any(speeds):
        return smear, 0.0, ""
    apart = candidate.run_s / (candidate.frame_count - 1)
    steps = speeds * apart / mm_on_subject_per_mm(candidate) / pixel
    worst = int(np.argmax(steps))
    return smear, float(steps[worst]), scene.names[worst]


def _parallax_px(candidate: Candidate) -> float:
    """Near against far between frames, by Δ = moved · image size per tangent · (1/near − 1/far).

    A turned grid moves its pupil by what the head is off times the sine of the turn between neighbours; a
    shifted one by what the lens, and not the back, is shifted; a rail enlarges near more than far.
    """
    if (
        not (candidate.method.is_grid or candidate.method.on_rail)
        or candidate.rendering is None
        or candidate.lens is None
    ):
        return 0.0
    scene = candidate.scene
    depth = scene.depth_mm[scene.deciding]
    state = candidate.exposures[0].state
    parted = 1.0 / float(depth.min()) - 1.0 / float(depth.max())
    pixel = scene.plan.kit.body.pixel_mm
    if candidate.method.on_rail:
        first, last = (candidate.exposures[k].pose.pupil_m for k in (0, -1))
        travel = 1000.0 * float(np.linalg.norm(last - first))
        return travel * parted * 0.5 * scene.plan.picture_mm[0] / pixel
    if candidate.method.turns:
        head = scene.plan.kit.head
        forward = np.stack([exposure.pose.forward for exposure in candidate.exposures])
        turn = float(np.arccos(np.clip(np.sum(forward[1:] * forward[:-1], axis=1), -1.0, 1.0)).max(initial=0.0))
        moved = (head.off_mm if head is not None else 0.0) * float(np.sin(min(turn, 0.5 * np.pi)))
    else:
        centres = np.array([exposure.sensor_centre_mm for exposure in candidate.exposures])
        longest = float(np.hypot(*centres.T).max())
        moved = 2.0 * max(longest - candidate.lens.back_shift_mm, 0.0)
    return moved * state.pupil_scale_mm * parted / pixel


def _bare_frames(candidate: Candidate) -> int:
    """Poses or places of a grid on whose sensor no mark and no area falls."""
    scene = candidate.scene
    half = 0.5 * np.asarray(scene.plan.sensor_mm)
    bare: dict[tuple[float, ...], bool] = {}
    for exposure in candidate.exposures:
        hit = bool(np.any(on_sensor(exposure, scene.world_m, half)))
        cell = (*np.round(exposure.pose.forward, 9).tolist(), *exposure.sensor_centre_mm)
        bare[cell] = bare.get(cell, True) and not hit
    return sum(bare.values())


def cost_notes(candidate: Candidate, costs: Costs) -> list[Sentence]:
    """What of the costs is worth a sentence."""
    said = []
    if costs.drift_stops is not None and abs(costs.drift_stops) >= 0.1:
        said.append(Sentence("Daylight changes by {drift:+.1f} stops over the run", {"drift": costs.drift_stops}))
    if costs.ghost_px >= 1.0:
        said.append(
            Sentence(
                "{mark} moves {pixels:.0f} pixels from one frame to the next: its ghosts must be painted out",
                {"mark": costs.ghost_mark, "pixels": costs.ghost_px},
            )
        )
    if costs.parallax_px >= 1.0 and candidate.method.turns:
        said.append(
            Sentence(
                "With the head off by {off:g} mm near parts from far by {pixels:.1f} pixels between neighbours",
                {"off": candidate.scene.plan.kit.head.off_mm if candidate.scene.plan.kit.head else 0.0,
                 "pixels": costs.parallax_px},
            )
        )  # fmt: skip
    if costs.bare_frames:
        said.append(
            Sentence(
                "{count} frames contain no marks; plain sky may fail to align",
                {"count": costs.bare_frames},
            )
        )
    if costs.kept < 0.97:
        said.append(
            Sentence("Of the picture's width {kept:.0f} % is left after the merge", {"kept": 100.0 * costs.kept})
        )
    return said
