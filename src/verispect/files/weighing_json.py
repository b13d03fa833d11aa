"""A weighing as the JSON of the contract (docs/formats.md) and as a table for the terminal."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from verispect.optics.f_stops import marked
from verispect.plan.assess.costs import costs_of
from verispect.plan.assess.finest_detail import finest_detail_mm, pixels_per_mm
from verispect.plan.explain.search_note import searched
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.reach import reach_of
from verispect.plan.methods.candidate import Candidate

if TYPE_CHECKING:
    from verispect.plan.advise.follow_up import Further
    from verispect.plan.advise.weigh import Weighing


def weighing_to_dict(weighing: Weighing, beyond: Further | None = None) -> dict[str, Any]:
    """The contract's object; numbers that are infinite or undefined become None."""
    told = {} if beyond is None else _further(beyond)
    return told | {
        "format": "verispect-weighing",
        "version": 1,
        "methods": [_method(candidate) for candidate in weighing.candidates],
        "advised": weighing.advised,
        "because": [str(reason) for reason in weighing.because],
        "focus_schools": [
            {
                "school": str(school.name),
                "object_m": None if school.object_mm is None else _number(school.object_mm / 1000.0),
                "f_number": _number(school.f_number),
                "worst_softness": _number(school.worst),
                "worst_contrast": school.contrast,
            }
            for school in weighing.schools
        ],
    }


def _further(beyond: Further) -> dict[str, Any]:
    return {
        "ways_out": [
            {
                "key": way.key,
                "told": str(way.told),
                "final_pixels": list(way.final_pixels),
                "let_go": list(way.let_go),
                "back_m": way.back_m,
                "focal_mm": way.focal_mm,
            }
            for way in beyond.ways
        ],
        "would_change": [str(said) for said in beyond.changes],
    }


def _costs(candidate: Candidate) -> dict[str, Any] | None:
    if not candidate.fits:
        return None
    costs = costs_of(candidate)
    return {
        "storage_mb": costs.storage_mb,
        "computing_s": costs.computing_s,
        "battery_share": costs.battery,
        "run_s": candidate.run_s,
        "light_drift_stops": costs.drift_stops,
        "smear_px": costs.smear_px,
        "ghost_px": costs.ghost_px,
        "parallax_px": costs.parallax_px,
        "bare_frames": costs.bare_frames,
        "kept_pixels": list(candidate.kept_pixels),
    }


def _number(value: Any) -> float | None:
    value = float(value)
    return value if math.isfinite(value) else None


def _method(candidate: Candidate) -> dict[str, Any]:
    criterion = candidate.criterion or candidate.scene.plan.criterion(candidate.scene.plan.whole_focal_mm)
    return {
        "key": candidate.key,
        "fits": candidate.fits,
        "why_not": [str(reason) for reason in candidate.why_not],
        "notes": [str(note) for note in candidate.notes],
        "searched": str(searched(candidate)),
        "holds": candidate.holds,
        "frame_count": candidate.frame_count,
        "shot_count": candidate.shot_count,
        "time_on_site_s": round(candidate.time_on_site_s, 3) if candidate.fits else None,
        "final_pixels": list(candidate.final_pixels),
        "worst_softness": _number(candidate.worst_softness),
        "probability": None if candidate.confidence is None else candidate.confidence.holds,
        "outside": list(candidate.outside_names),
        "criterion": {
            "rule": criterion.rule,
            "frequency_cycles_per_mm": criterion.frequency,
            "contrast_floor": criterion.contrast_floor,
            "disc_mm": criterion.disc_mm,
            "pixel_mm": criterion.pixel_mm,
        },
        "iso": candidate.scene.plan.kit.body.iso,
        "exposures": [_exposure(exposure) for exposure in candidate.exposures],
        "marks": _marks(candidate),
        "areas": _areas(candidate),
        "costs": _costs(candidate),
        "soft_enough": candidate.soft_enough,
    }


def _exposure(exposure: Exposure) -> dict[str, Any]:
    state, pose, reach = exposure.state, exposure.pose, reach_of(exposure)
    return {
        "lens": exposure.lens.name,
        "focal_mm": state.focal_mm,
        "f_number": state.f_number,
        "working_f_number": state.working_f_number,
        "magnification": state.magnification,
        "position_m": exposure.position_m.tolist(),
        "right": pose.right.tolist(),
        "up": pose.up.tolist(),
        "forward": pose.forward.tolist(),
        "lens_axis": list(state.axis),
        "image_distance_mm": state.image_distance_mm,
        "sensor_centre_mm": list(exposure.sensor_centre_mm),
        "focus_m": _number(exposure.focus_m),
        "shutter_s": exposure.shutter_s,
        "allowed_blur_mm": _number(exposure.allowed_blur_mm),
        "tilt_deg": exposure.tilt_deg,
        "swing_deg": exposure.swing_deg,
        "near_m": None if reach is None else _number(reach.near_m),
        "far_m": None if reach is None else _number(reach.far_m),
        "hyperfocal_m": None if reach is None else _number(reach.hyperfocal_m),
    }


def _marks(candidate: Candidate) -> list[dict[str, Any]]:
    rendering = candidate.rendering
    if rendering is None:
        return []
    finest, pixels = finest_detail_mm(candidate), pixels_per_mm(candidate)
    return [
        {
            "name": name,
            "detail_mm": _number(finest[k]),
            "pixels_per_mm": _number(pixels[k]),
            "exposure": int(rendering.exposure[k]),
            "blur_mm": [_number(rendering.blur_long_mm[k]), _number(rendering.blur_short_mm[k])],
            "contrast": _number(rendering.contrast[k]),
            "softness": _number(rendering.softness[k]),
            "allowed_blur_mm": _number(rendering.allowed_mm[k]),
            "smear_mm": _number(rendering.smear_mm[k]),
            "inside": bool(rendering.inside[k]),
        }
        for k, name in enumerate(candidate.scene.names[: candidate.scene.mark_count])
    ]


def _areas(candidate: Candidate) -> list[dict[str, Any]]:
    """Surfaces and scans by their points."""
    scene, rendering = candidate.scene, candidate.rendering
    if rendering is None:
        return []
    found = []
    for index, area in enumerate(scene.areas):
        mine = scene.group == scene.mark_count + index
        softness = rendering.softness[mine]
        found.append(
            {
                "name": area.name,
                "need": area.need,
                "points": len(area.world_m),
                "worst_softness": _number(softness.max()) if softness.size else None,
                "least_softness": _number(softness.min()) if softness.size else None,
                "sharp_share": float(np.mean(softness <= 1.0)) if softness.size else None,
            }
        )
    return found


def weighing_to_table(weighing: Weighing) -> str:
    """The weighing for a terminal: one line a method, then the reasons."""
    lines = [f"{'method':<17}{'holds':<8}{'frames':>7}{'stop':>8}{'worst':>8}{'time':>8}  with"]
    for candidate in weighing.candidates:
        name = candidate.method.name
        star = "*" if candidate.key == weighing.advised else " "
        if not candidate.fits:
            lines.append(f"{star}{name:<16}does not fit: {candidate.why_not[0]}")
            continue
        worst = candidate.worst_softness
        shown = f"{worst:.2f}" if np.isfinite(worst) else "none"
        minutes = f"{candidate.time_on_site_s / 60.0:.1f} min"
        stop = f"f/{marked(candidate.exposures[0].state.f_number)}"
        lens = candidate.lens.name if candidate.lens else ""
        lines.append(
            f"{star}{name:<16}{'yes' if candidate.holds else 'no':<8}{candidate.frame_count:>7}"
            f"{stop:>8}{shown:>8}{minutes:>10}  {lens} at {candidate.focal_mm:g} mm"
        )
    lines.append("")
    lines.extend(f"{reason}." for reason in weighing.because)
    return "\n".join(lines)
