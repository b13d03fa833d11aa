"""Everything that is set for a method, gathered: what Set shows, the sheet prints and `verispect settings` tells."""

from __future__ import annotations

import math
from dataclasses import dataclass

from verispect.optics.depth_of_field import image_limits_mm
from verispect.optics.lens_state import LensState
from verispect.plan.document import Order
from verispect.plan.explain.frame_table import FrameRow, frame_rows
from verispect.plan.explain.setting_reasons import engraved_reading_m, extension_of_mm
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.grid_order import place_numbers
from verispect.plan.setting.bracket import Bracket, bracket_of
from verispect.plan.setting.by_eye.focusing import Procedure, procedure
from verispect.plan.setting.closest_focus import ClosestFocus, closest_focus
from verispect.plan.setting.exposure_region import ExposureRegion, exposure_region
from verispect.plan.setting.final_picture import FinalPicture, final_picture
from verispect.plan.setting.focus_band import FocusBand, focus_band
from verispect.plan.setting.halo import Halo, halos
from verispect.plan.setting.head import HeadSetting, head_setting
from verispect.plan.setting.losses import Alone, Without, best_alone, without_each
from verispect.plan.setting.mount import Mount, mount_of
from verispect.plan.setting.off_plane import OffPlane, off_plane
from verispect.plan.setting.survey import Survey, survey_of


@dataclass(frozen=True)
class FrameSetting:
    """One frame in the order of work.

    Attributes
    ----------
    number : int
        From 1.
    exposure : int
        Its index in the weighing.
    cell : (int, int) or None
        Row from the top and place in it, from 0; None without a grid.
    row : FrameRow
    ring_m : float
        What the lens's own scale shows, in its own reference; infinite at infinity.
    extension_mm : float
        Beyond the infinity mark.
    rail_mm : float or None
    overlap : float or None
        Share of this frame's depth, by image distance, that the next one of the same place has too.
    field_share : float
        The width this frame sees from the entrance pupil, against the first.
    iso : float
    """

    number: int
    exposure: int
    cell: tuple[int, int] | None
    row: FrameRow
    ring_m: float
    extension_mm: float
    rail_mm: float | None
    overlap: float | None
    field_share: float
    iso: float


@dataclass(frozen=True)
class RailSetting:
    """Places of the camera on its rail, in mm from the first."""

    start_mm: float
    end_mm: float
    step_mm: float
    count: int


@dataclass(frozen=True)
class Settings:
    """The numbers of one method; what it does not have is None or empty."""

    candidate: Candidate
    order: Order
    mount: Mount
    frames: tuple[FrameSetting, ...]
    bracket: Bracket | None
    band: FocusBand | None
    head: HeadSetting | None
    rail: RailSetting | None
    halos: tuple[Halo, ...]
    without: tuple[Without, ...]
    alone: Alone | None
    survey: Survey | None
    region: ExposureRegion | None
    procedure: Procedure | None
    off_plane: OffPlane | None
    final: FinalPicture | None
    closest: ClosestFocus | None


def settings_of(candidate: Candidate, order: Order | None = None) -> Settings:
    """What is set for a method that fits; in the plan's order of frames where no other is asked for."""
    order = order or candidate.scene.plan.choice.order
    sequence = candidate.in_order(order)
    return Settings(
        candidate=candidate,
        order=order,
        mount=mount_of(candidate),
        frames=_frames(candidate, sequence),
        bracket=bracket_of(candidate, order),
        band=focus_band(candidate),
        head=head_setting(candidate),
        rail=_rail(candidate),
        halos=tuple(halos(candidate)),
        without=tuple(without_each(candidate)),
        alone=best_alone(candidate),
        survey=survey_of(candidate),
        region=exposure_region(candidate),
        procedure=procedure(candidate),
        off_plane=off_plane(candidate),
        final=final_picture(candidate),
        closest=closest_focus(candidate),
    )


def _frames(candidate: Candidate, sequence: list[int]) -> tuple[FrameSetting, ...]:
    rows, cells = frame_rows(candidate), place_numbers(candidate.exposures)
    first = candidate.exposures[sequence[0]]
    found = []
    for number, k in enumerate(sequence, start=1):
        exposure = candidate.exposures[k]
        after = sequence[number] if number < len(sequence) else None
        follows = after is not None and cells[after] == cells[k] and not candidate.method.on_rail
        found.append(
            FrameSetting(
                number=number,
                exposure=k,
                cell=candidate.cells[k] if candidate.cells else None,
                row=rows[k],
                ring_m=engraved_reading_m(exposure),
                extension_mm=extension_of_mm(exposure),
                rail_mm=rows[k].rail_mm if candidate.method.on_rail else None,
                overlap=_overlap(exposure, candidate.exposures[after]) if follows and after is not None else None,
                field_share=first.state.pupil_scale_mm / exposure.state.pupil_scale_mm,
                iso=candidate.scene.plan.kit.body.iso,
            )
        )
    return tuple(found)


def _overlap(exposure: Exposure, after: Exposure) -> float | None:
    """Share of an exposure's depth that another has too, by image distance; 0 where there is a gap."""
    own, other = _depth_mm(exposure.state, exposure.allowed_blur_mm), _depth_mm(after.state, after.allowed_blur_mm)
    if own is None or other is None:
        return None
    shared = min(own[1], other[1]) - max(own[0], other[0])
    return max(0.0, shared) / (own[1] - own[0])


def _depth_mm(state: LensState, allowed_mm: float) -> tuple[float, float] | None:
    """Image distances of what is just sharp beyond and before the focus; None where no blur would do."""
    if not math.isfinite(allowed_mm) or allowed_mm <= 0.0:
        return None
    return image_limits_mm(state, allowed_mm)


def _rail(candidate: Candidate) -> RailSetting | None:
    if not candidate.method.on_rail:
        return None
    places = [row.rail_mm for row in frame_rows(candidate)]
    step = (places[-1] - places[0]) / (len(places) - 1) if len(places) > 1 else 0.0
    return RailSetting(places[0], places[-1], step, len(places))
