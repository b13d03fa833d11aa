"""The chosen method frame by frame, as the rows that Set, the sheet and the CSV show."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from verispect.optics.exposure_time import shutter_words
from verispect.optics.f_stops import marked
from verispect.optics.lens_state import FORWARD
from verispect.optics.movements import rotation_and_shift, scale_digits
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.reach import Reach, reach_of
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence


@dataclass(frozen=True)
class FrameRow:
    """One frame's settings, in the units a person sets.

    Attributes
    ----------
    number : int
        From 1, in the order of work.
    focus_m : float
        From the sensor mark; infinite at infinity and beyond.
    bearing_deg, pitch_deg : float
        Of the camera, clockwise from the world's away, up positive.
    cross_mm, rise_mm : float
        How far the lens stands right of and above the sensor's middle.
    turn_deg, shift_mm : float
        The same on a mount that is turned: how far clockwise from up, and the one shift along its top.
    rail_mm : float
        How far the camera stands ahead of where it took the first frame.
    near_m, far_m, hyperfocal_m : float
        From the sensor mark along the view; not a number where no blur at all would do.
    extension_mm : float
        Image distance along the lens's axis, from its rear principal point.
    tilt_digits : int
        Digits behind the point that the tilt scale shows.
    shots : str
        How often it is taken, or the times of its shots where these differ.
    """

    number: int
    lens: str
    focal_mm: float
    stop: str
    f_number: float
    shutter_s: float
    focus_m: float
    extension_mm: float
    tilt_deg: float
    swing_deg: float
    bearing_deg: float
    pitch_deg: float
    cross_mm: float
    rise_mm: float
    turn_deg: float
    shift_mm: float
    rail_mm: float
    allowed_blur_mm: float
    near_m: float
    far_m: float
    hyperfocal_m: float
    tilt_digits: int = 1
    shots: str = ""


class Quantity(StrEnum):
    """What a column holds, so that each reader writes it in its own way."""

    COUNT = "count"
    TEXT = "text"
    ANGLE = "angle"
    MOVEMENT = "movement"
    TRAVEL = "travel"
    DISTANCE = "distance"
    STOP = "stop"
    TIME = "time"
    NUMBER = "number"


@dataclass(frozen=True)
class Column:
    """A column of the frame list, for Set, the sheet, and the table as CSV.

    Attributes
    ----------
    key : str
        The row's attribute.
    title : Sentence
        On screen and paper; an empty one stands in the CSV alone.
    csv_title : str
        With its unit.
    always : bool
        Whether it is shown for every method; others where the method sets it or a frame has it.
    """

    key: str
    title: Sentence
    csv_title: str
    quantity: Quantity
    always: bool = False


_NONE = Sentence("")
# A movement less than this is none.
_STILL = 1e-6
COLUMNS = (
    Column("number", Sentence("Frame"), "frame", Quantity.COUNT, always=True),
    Column("lens", _NONE, "lens", Quantity.TEXT),
    Column("focal_mm", _NONE, "focal length [mm]", Quantity.NUMBER),
    Column("stop", Sentence("Stop"), "stop marked", Quantity.STOP, always=True),
    Column("f_number", _NONE, "f-number", Quantity.NUMBER),
    Column("shutter_s", Sentence("Time"), "exposure time [s]", Quantity.TIME, always=True),
    Column("focus_m", Sentence("Focus"), "focus from sensor [m]", Quantity.DISTANCE, always=True),
    Column("near_m", Sentence("Near"), "sharp from, from sensor [m]", Quantity.DISTANCE, always=True),
    Column("far_m", Sentence("Far"), "sharp to, from sensor [m]", Quantity.DISTANCE, always=True),
    Column("hyperfocal_m", _NONE, "hyperfocal distance [m]", Quantity.DISTANCE),
    Column("extension_mm", _NONE, "image distance on axis [mm]", Quantity.NUMBER),
    Column("tilt_deg", Sentence("Tilt"), "tilt [deg]", Quantity.ANGLE),
    Column("swing_deg", Sentence("Swing"), "swing [deg]", Quantity.ANGLE),
    Column("bearing_deg", Sentence("Bearing"), "bearing [deg]", Quantity.ANGLE),
    Column("pitch_deg", Sentence("Pitch"), "pitch [deg]", Quantity.ANGLE),
    Column("cross_mm", Sentence("Cross"), "cross [mm]", Quantity.MOVEMENT),
    Column("rise_mm", Sentence("Rise"), "rise [mm]", Quantity.MOVEMENT),
    Column("turn_deg", Sentence("Turn"), "mount turned [deg]", Quantity.ANGLE),
    Column("shift_mm", Sentence("Shift"), "shift [mm]", Quantity.MOVEMENT),
    Column("rail_mm", Sentence("Rail"), "rail [mm]", Quantity.TRAVEL),
    Column("allowed_blur_mm", _NONE, "allowed blur [mm]", Quantity.NUMBER),
    Column("shots", Sentence("Shots"), "shots", Quantity.TEXT),
)
# As a hand sets them: where the camera points, what is moved, then focus, stop and time.
_IN_HAND = (
    "number", "tilt_deg", "swing_deg", "bearing_deg", "pitch_deg", "turn_deg", "shift_mm", "cross_mm", "rise_mm",
    "rail_mm", "focus_m", "stop", "shutter_s", "shots", "near_m", "far_m",
)  # fmt: skip


def shown_columns(candidate: Candidate, *, one_shot: bool = False) -> list[Column]:
    """The columns that say something of a method: those it sets, and any in which a frame has something set.

    Where the shots of a frame differ in time, their times stand in place of its own; `one_shot` asks for what a
    single shot is set to.
    """
    rows = frame_rows(candidate)
    by_key = {column.key: column for column in COLUMNS}

    # A mount that is turned has one scale to shift along.
    turned = any(row.shift_mm for row in rows)

    steps = candidate.scene.plan.choice.shots.steps

    def says(column: Column) -> bool:
        if column.key == "shots":
            return len(steps) > 1 and not one_shot
        if column.key == "shutter_s" and any(steps):
            return one_shot
        if turned and column.key in ("cross_mm", "rise_mm"):
            return False
        if turned and column.key in ("turn_deg", "shift_mm"):
            return True
        if column.always or column.key in candidate.method.columns:
            return True
        return any(abs(getattr(row, column.key)) > _STILL for row in rows)

    return [by_key[key] for key in _IN_HAND if says(by_key[key])]


def frame_rows(candidate: Candidate) -> list[FrameRow]:
    """All frames of a method, each at its exposure's place."""
    if not candidate.exposures:
        return []
    first, steps = candidate.exposures[0], candidate.scene.plan.choice.shots.steps
    place = {k: number for number, k in enumerate(candidate.sequence, start=1)}
    often = Counter(shot.exposure for shot in candidate.shots)
    return [
        replace(_row(place[k], exposure, first), shots=_shots(exposure.shutter_s, steps[: often[k]]))
        for k, exposure in enumerate(candidate.exposures)
    ]


def in_work_order(rows: Sequence[FrameRow]) -> list[FrameRow]:
    """Rows as the frames are taken."""
    return sorted(rows, key=lambda row: row.number)


def shot_row(row: FrameRow, shot: Shot) -> FrameRow:
    """One shot of a frame: with its own time."""
    return replace(row, shutter_s=row.shutter_s * 2.0**shot.stops)


def _shots(shutter_s: float, steps: Sequence[float]) -> str:
    if not any(steps):
        return str(len(steps))
    return ", ".join(shutter_words(shutter_s * 2.0**stops).removesuffix(" s") for stops in steps) + " s"


def _row(number: int, exposure: Exposure, first: Exposure) -> FrameRow:
    forward = exposure.pose.forward
    turns = exposure.lens.tilt_mount == "rotating" and exposure.state.axis == FORWARD
    # One with a lean is turned for that.
    turn, shift = rotation_and_shift(*exposure.cross_and_rise_mm) if turns else (0.0, 0.0)
    reach = reach_of(exposure) or Reach(math.nan, math.nan, math.nan)
    return FrameRow(
        number=number,
        lens=exposure.lens.name,
        focal_mm=exposure.state.focal_mm,
        stop=marked(exposure.state.f_number),
        f_number=exposure.state.f_number,
        shutter_s=exposure.shutter_s,
        focus_m=exposure.focus_m,
        extension_mm=exposure.axial_image_distance_mm,
        tilt_deg=exposure.tilt_deg,
        swing_deg=exposure.swing_deg,
        bearing_deg=math.degrees(math.atan2(forward[0], forward[2])),
        pitch_deg=math.degrees(math.asin(float(np.clip(forward[1], -1.0, 1.0)))),
        cross_mm=exposure.cross_and_rise_mm[0],
        rise_mm=exposure.cross_and_rise_mm[1],
        turn_deg=turn,
        shift_mm=shift,
        rail_mm=1000.0 * float((exposure.pose.pupil_m - first.pose.pupil_m) @ forward),
        allowed_blur_mm=exposure.allowed_blur_mm,
        near_m=reach.near_m,
        far_m=reach.far_m,
        hyperfocal_m=reach.hyperfocal_m,
        tilt_digits=scale_digits(exposure.lens.lens.tilt_scale_deg),
    )
