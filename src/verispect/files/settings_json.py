"""What `verispect settings` prints: as JSON, and as a page to read."""

from __future__ import annotations

import math
from dataclasses import asdict
from typing import Any

from verispect.optics.exposure_time import shutter_words
from verispect.optics.f_stops import marked
from verispect.plan.methods.grid_order import path_words
from verispect.plan.setting.by_eye.focusing import Procedure
from verispect.plan.setting.exposure_region import ExposureRegion
from verispect.plan.setting.final_picture import FinalPicture
from verispect.plan.setting.mount import Mount
from verispect.plan.setting.off_plane import OffPlane
from verispect.plan.setting.report import FrameSetting, Settings
from verispect.plan.setting.survey import Survey
from verispect.plan.setting.words import in_words, metres


def settings_to_dict(settings: Settings) -> dict[str, Any]:
    """The contract's object; what a method does not have is None."""
    candidate, bracket, band, head, rail = (
        settings.candidate, settings.bracket, settings.band, settings.head, settings.rail,
    )  # fmt: skip
    lens = candidate.lens
    without = {one.exposure: one for one in settings.without}
    return {
        "format": "verispect-settings",
        "version": 1,
        "method": candidate.key,
        "lens": None if lens is None else lens.name,
        "order": settings.order.value,
        "holds": candidate.holds,
        "mount": _mount(settings.mount),
        "frames": [_frame(frame) for frame in settings.frames],
        "bracket": None
        if bracket is None
        else {
            "first_focus_m": _finite(bracket.first_focus_m),
            "step_number": bracket.step_number,
            "count": bracket.count,
            "direction": bracket.direction,
            "plus_minus_count": bracket.plus_minus_count,
            "merge_limit": bracket.merge_limit,
            "crop_share": bracket.crop_share,
            "says": [str(sentence) for sentence in bracket.says],
        },
        "focus_band": None
        if band is None
        else {"near_m": _finite(band.near_m), "far_m": _finite(band.far_m), "on": list(band.on)},
        "head": None
        if head is None
        else {
            "slide_mm": head.slide_mm,
            "behind_front_mm": head.behind_front_mm,
            "parallax_px_for_mm": [list(pair) for pair in head.parallax_px_for_mm],
            "order": str(path_words(settings.candidate.scene.plan.choice.grid_path)),
            "smallest_overlap": head.smallest_overlap,
            "covered": head.covered,
            "seam_loss_stops": head.seam_loss_stops,
        },
        "shots": {
            "each": settings.candidate.scene.plan.choice.shots.count,
            "stops": list(settings.candidate.scene.plan.choice.shots.steps),
            "count": settings.candidate.shot_count,
        },
        "rail": None
        if rail is None
        else {
            "start_mm": rail.start_mm,
            "end_mm": rail.end_mm,
            "step_mm": rail.step_mm,
            "count": rail.count,
        },
        "survey": _survey(settings.survey),
        "exposure_region": _region(settings.region),
        "focusing": _procedure(settings.procedure),
        "off_plane": _off_plane(settings.off_plane),
        "closest_focus": None if settings.closest is None else asdict(settings.closest),
        "final": _final(settings.final),
        "halo_px": [
            {
                "edge": halo.edge,
                "behind": halo.behind,
                "px": halo.px,
                "by_stop": [{"f_number": stop, "px": px} for stop, px in halo.by_stop],
            }
            for halo in settings.halos
        ],
        "alone": None
        if settings.alone is None
        else {**asdict(settings.alone), "worst_softness": _finite(settings.alone.worst_softness)},
        "without": [
            {
                "frame": place,
                "exposure": frame.exposure,
                "worst_softness": _finite(without[frame.exposure].worst_softness),
                "fails": list(without[frame.exposure].fails),
            }
            for place, frame in enumerate(settings.frames)
            if frame.exposure in without
        ],
    }


def settings_to_text(settings: Settings) -> str:
    """The same for a person."""
    candidate = settings.candidate
    said = [f"{candidate.method.name}, {'' if candidate.lens is None else candidate.lens.name}, {settings.order}"]
    for frame in settings.frames:
        row = frame.row
        cell = "" if frame.cell is None else f"  cell {frame.cell[0] + 1}-{frame.cell[1] + 1}"
        rail = "" if frame.rail_mm is None else f"  rail {frame.rail_mm:.3f} mm"
        said.append(
            f"{frame.number:4}{cell}{rail}  focus {metres(row.focus_m)}  f/{marked(row.f_number)}  "
            f"{shutter_words(row.shutter_s)}  sharp {metres(row.near_m)} to {metres(row.far_m)}"
        )
    for title, sentences in in_words(settings):
        said.append(f"{title}:")
        said += [f"  {sentence}" for sentence in sentences]
    return "\n".join(said)


def _frame(frame: FrameSetting) -> dict[str, Any]:
    row = frame.row
    return {
        "number": frame.number,
        "exposure": frame.exposure,
        "cell": None if frame.cell is None else list(frame.cell),
        "bearing_deg": row.bearing_deg,
        "pitch_deg": row.pitch_deg,
        "focus_m": _finite(row.focus_m),
        "measured_from": "sensor",
        "ring_m": _finite(frame.ring_m),
        "extension_mm": frame.extension_mm,
        "cross_mm": row.cross_mm,
        "rise_mm": row.rise_mm,
        "turn_deg": row.turn_deg,
        "shift_mm": row.shift_mm,
        "rail_mm": frame.rail_mm,
        "near_m": _finite(row.near_m),
        "far_m": _finite(row.far_m),
        "overlap": frame.overlap,
        "field_share": frame.field_share,
        "f_number": row.f_number,
        "shutter_s": row.shutter_s,
        "iso": frame.iso,
    }


def _survey(survey: Survey | None) -> dict[str, Any] | None:
    if survey is None:
        return None
    return {
        "readings": [
            {"name": r.name, "ev100": r.ev100, "above_grey_stops": r.above_grey_stops, "fate": r.fate.value}
            for r in survey.readings
        ],
        "span_stops": survey.span_stops,
        "room_stops": survey.room_stops,
        "best_ev100": survey.best_ev100,
        "brackets": survey.brackets,
        "apart_stops": survey.apart_stops,
        "says": [str(sentence) for sentence in survey.says],
    }


def _region(region: ExposureRegion | None) -> dict[str, Any] | None:
    if region is None:
        return None
    return {
        "iso": list(region.isos),
        "stops": [
            {
                "f_number": stop.f_number,
                "serves": stop.serves,
                "softness": _finite(stop.softness),
                "longest_s": _finite(stop.longest_s),
                "shortest_s": stop.shortest_s,
                "at_lowest_iso_s": stop.at_base_s,
                "worst": stop.worst,
            }
            for stop in region.stops
        ],
        "bounds": [str(sentence) for sentence in region.bounds],
    }


def _procedure(found: Procedure | None) -> dict[str, Any] | None:
    if found is None:
        return None
    return {
        "checks": list(found.checks),
        "steps": [asdict(step) | {"ring_m": _finite(step.ring_m)} for step in found.steps],
        "worst_softness": _finite(found.worst_softness),
        "left_per_round": found.left,
        "base_forward_mm": found.forward_mm,
        "base_lower_mm": found.lower_mm,
    }


def _off_plane(found: OffPlane | None) -> dict[str, Any] | None:
    if found is None:
        return None
    return {
        "slices": [
            {"distance_m": part.distance_m, "above_mm": _finite(part.above_mm), "below_mm": _finite(part.below_mm)}
            for part in found.slices
        ],
        "marks": [asdict(one) for one in found.marks],
    }


def _final(found: FinalPicture | None) -> dict[str, Any] | None:
    if found is None:
        return None
    marks = [
        {"name": one.name, "pixels_per_mm": one.pixels_per_mm, "detail_mm": _finite(one.detail_mm)}
        for one in found.marks
    ]
    return asdict(found) | {"print_cm": [list(size) for size in found.print_cm], "marks": marks}


def _mount(mount: Mount) -> dict[str, Any]:
    return {
        "rotation_deg": mount.rotation_deg,
        "tilt_deg": mount.tilt_deg,
        "swing_deg": mount.swing_deg,
        "shift_mm": mount.shift_mm,
        "rise_mm": mount.rise_mm,
        "cross_mm": mount.cross_mm,
        "back_tilt_deg": mount.back_tilt_deg,
        "back_swing_deg": mount.back_swing_deg,
        "says": [str(sentence) for sentence in mount.says],
    }


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None
