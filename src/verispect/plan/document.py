"""The plan: one document that holds subject, kit and wish, and what was chosen."""

from __future__ import annotations

import math
from datetime import datetime
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from verispect.kit.equipment import Kit
from verispect.kit.standards import Standards
from verispect.optics.criterion import Criterion, Rule, frequency_of_circle
from verispect.subject.camera import Around, Camera
from verispect.subject.mark import Mark
from verispect.subject.photograph import Photograph
from verispect.subject.scan import Cloud
from verispect.subject.surface import Surface

FORMAT: Literal["verispect-plan"] = "verispect-plan"
VERSION = 1
# One line pair on the print subtends this at the viewing distance: two lines of 1 arcmin (ISO 8596).
LINE_PAIR_ARCMIN = 2.0
# For which the places of Sun and Moon are surely good to a hundredth of a degree.
_YEARS = (1600, 2400)
# Steps of exposure further from the plan than this are no camera's.
MOST_STEPS = 10.0
# How often no shot of a frame may be still.
_MISSED = 0.05


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)


_Size = Annotated[float, Field(gt=0.0, le=1.0e6)]


class Aim(StrEnum):
    """What is to be least, or most, among methods that hold."""

    FRAMES = "least frames"
    DETAIL = "most detail"
    TIME = "least time"
    MOVEMENT = "least risk from movement"
    MERGING = "least computer work"


class DetailFrom(StrEnum):
    """What the finest detail is asked for."""

    PRINT = "print"
    SCREEN = "screen"
    SENSOR = "sensor"


class Covers(StrEnum):
    """What a series must hold: everything between nearest and farthest, or the marks alone."""

    RANGE = "range"
    MARKS = "marks"


class Wish(_Model):
    """The final picture and what counts as sharp in it."""

    print_mm: tuple[_Size, _Size] = (900.0, 600.0)
    viewing_mm: float = Field(default=600.0, gt=0.0, le=1.0e6)
    line_pairs_per_mm: float | None = Field(default=None, gt=0.0, le=1000.0)
    detail_from: DetailFrom = Field(
        default=DetailFrom.PRINT,
        description="What the finest detail is asked for: a print, a screen, the sensor itself.",
    )
    screen_pixels: int = Field(default=3840, gt=0, le=1_000_000, description="Along the picture's long side.")
    pixels_per_line_pair: float = Field(default=3.0, ge=2.0, le=1000.0, description="Of the screen or the sensor.")
    contrast_floor: float = Field(default=0.2, ge=1.0e-4, lt=1.0)
    circle_mm: float | None = Field(
        default=None,
        ge=1.0e-4,
        le=100.0,
        description="Allowed blur circle on the sensor at the framing; disc and root-sum take it, not the print's.",
    )
    rule: Rule = Rule.WAVE
    wavelength_nm: float | None = Field(default=550.0, ge=300.0, le=1100.0)
    series_covers: Covers = Covers.RANGE
    spare_near: int = Field(default=0, ge=0, le=50, description="Frames of a series before its nearest, to spare.")
    spare_far: int = Field(default=0, ge=0, le=50, description="Frames of a series beyond its farthest, to spare.")
    last_at_infinity: bool = Field(default=False, description="A series goes on to infinity.")
    priority: Aim = Aim.FRAMES
    least_probability: float = Field(
        default=0.0, ge=0.0, le=1.0, description="That all musts hold, where figures carry a ±; 0 asks for none."
    )
    noise_ratio: float | None = Field(
        default=None, gt=0.0, le=1.0e5, description="Least signal-to-noise of a mid-grey patch of one line pair."
    )
    falloff_stops: float | None = Field(
        default=None,
        gt=0.0,
        le=20.0,
        description="Most light lost in a shifted frame's corner; none: any.",
    )
    overlap: float = Field(default=0.3, ge=0.0, le=0.9, description="Least overlap of grid neighbours.")

    def print_line_pairs_per_mm(self) -> float:
        """Line pairs per mm to be seen on the print, asked for or from the viewing distance."""
        if self.line_pairs_per_mm is not None:
            return self.line_pairs_per_mm
        return 1.0 / (self.viewing_mm * math.tan(math.radians(LINE_PAIR_ARCMIN / 60.0)))


class Site(_Model):
    """Where and when."""

    latitude_deg: float = Field(ge=-90.0, le=90.0)
    longitude_deg: float = Field(ge=-180.0, le=180.0)
    elevation_m: float = Field(default=0.0, ge=-500.0, le=9000.0)
    away_azimuth_deg: float = Field(
        default=0.0, ge=-360.0, le=360.0, description="Azimuth from true north of the world's away, z."
    )
    from_: datetime | None = Field(default=None, alias="from")
    to: datetime | None = None

    model_config = ConfigDict(
        frozen=True, extra="allow", allow_inf_nan=False, defer_build=True, populate_by_name=True
    )

    @field_validator("from_", "to")
    @classmethod
    def _known_sky(cls, moment: datetime | None) -> datetime | None:
        if moment is not None and not _YEARS[0] <= moment.year <= _YEARS[1]:
            raise ValueError(f"a year from {_YEARS[0]} to {_YEARS[1]}, for which Sun and Moon are known")
        return moment


class Light(_Model):
    """How bright the scene is; EV 12 at ISO 100 is an even overcast day (common practice)."""

    ev100: float = Field(default=12.0, ge=-10.0, le=25.0)
    ev100_plus_minus: float = Field(default=0.0, ge=0.0, le=10.0, description="How surely the light is known.")
    sky_declination_deg: float | None = Field(
        default=None, ge=-90.0, le=90.0, description="Of stars or the Moon in the picture; none: no sky to look at."
    )


class ManualSetting(_Model):
    """Settings taken by hand in place of the best ones, for one-frame and tilt."""

    lens: str
    tilt_deg: float = Field(default=0.0, gt=-45.0, lt=45.0)
    swing_deg: float = Field(default=0.0, gt=-45.0, lt=45.0)
    image_distance_mm: float = Field(gt=0.0, le=20000.0)
    f_number: float = Field(ge=0.5, le=1024.0)


class Order(StrEnum):
    """Ways to go through the frames of one place."""

    NEAR_FAR = "near-far"
    FAR_NEAR = "far-near"
    CENTRE_FIRST = "centre-first"
    LEAST_LOSS = "least-loss"


class GridPath(_Model):
    """The way a grid's places are gone through: by rows or by columns, from a corner, and back or each alike."""

    by: Literal["rows", "columns"] = "rows"
    start: Literal["top left", "top right", "bottom left", "bottom right"] = "top left"
    there_and_back: bool = Field(default=False, description="Every other row or column the other way.")


class ShotsEach(_Model):
    """How often each frame is taken: alike, against noise and what walks through; or in steps of exposure."""

    each: int = Field(default=1, ge=1, le=50)
    apart_stops: float = Field(default=0.0, ge=0.0, le=5.0, description="Steps of exposure time; 0: all alike.")
    still_share: float | None = Field(
        default=None, ge=0.05, le=1.0,
        description="In wind: how likely a single shot finds everything still. Shots are added until one of them "
        "does, 19 times in 20.",
    )  # fmt: skip
    needed_only: bool = Field(default=False, description="Only those frames without which a must would be soft.")

    @model_validator(mode="after")
    def _within_reason(self) -> ShotsEach:
        if self.apart_stops * (self.count // 2) > MOST_STEPS:
            raise ValueError(f"steps that go at most {MOST_STEPS:g} stops either way; take fewer, or closer")
        return self

    @property
    def count(self) -> int:
        """Shots of one frame: as asked, and in wind ln 0.05 / ln(1 - p), so that 19 times in 20 one is still."""
        p = self.still_share
        if p is None or p >= 1.0:
            return self.each
        return max(self.each, math.ceil(math.log(_MISSED) / math.log(1.0 - p) - 1e-9))

    @property
    def steps(self) -> tuple[float, ...]:
        """Stops of each shot against the plan: none, one step less, one more, two less, two more, ..."""
        signs = ((-1.0 if k % 2 else 1.0) * ((k + 1) // 2) for k in range(self.count))
        return tuple(self.apart_stops * sign + 0.0 for sign in signs)


class BodyBracket(_Model):
    """The body's own bracket of focus, in place of frames that are focused one by one."""

    step_number: int | None = Field(
        default=None, ge=1, le=10, description="None: the coarsest that serves, no wider than frame by frame."
    )
    count: int | None = Field(default=None, ge=2, le=999, description="None: as many as surely cover it.")
    merged: bool = Field(default=False, description="The body merges them, and takes no more than it merges.")


class Choice(_Model):
    """The method taken, and whether its numbers were moved by hand; no method means the advised one."""

    method: str | None = None
    manual: ManualSetting | None = None
    grid_path: GridPath = Field(default_factory=GridPath)
    order: Order = Field(default=Order.NEAR_FAR, description="In which the frames of one place are taken.")
    shots: ShotsEach = Field(default_factory=ShotsEach)
    bracket: BodyBracket | None = Field(default=None, description="None: each frame is focused by itself.")
    standards: Standards = Field(
        default=Standards.LENS_FIRST, description="Which standard tilts, where the camera's back can."
    )


class Plan(_Model):
    """A whole plan as it stands in a `.verispect` file; lengths in the unit their key ends in."""

    format: Literal["verispect-plan"] = FORMAT
    version: int = Field(default=VERSION, ge=1)
    title: str = Field(default="", max_length=500)
    camera: Camera = Field(default_factory=Camera)
    marks: tuple[Mark, ...] = Field(default=(), max_length=100_000)
    surfaces: tuple[Surface, ...] = Field(default=(), max_length=1000)
    scans: tuple[Cloud, ...] = Field(default=(), max_length=50)
    photograph: Photograph | None = None
    site: Site | None = None
    light: Light = Field(default_factory=Light)
    kit: Kit = Field(default_factory=Kit)
    wish: Wish = Field(default_factory=Wish)
    choice: Choice = Field(default_factory=Choice)
    hidden_checks: tuple[Annotated[str, Field(min_length=1, max_length=400)], ...] = Field(
        default=(), max_length=50, description="Checks of the program's that are not wanted, as it words them."
    )
    own_checks: tuple[Annotated[str, Field(min_length=1, max_length=200)], ...] = Field(
        default=(), max_length=50, description="The user's own checks before the first frame."
    )

    @property
    def sensor_mm(self) -> tuple[float, float]:
        """Width and height of the sensor as the camera is held."""
        width, height = self.kit.body.sensor_mm
        return (min(width, height), max(width, height)) if self.camera.upright else (width, height)

    @property
    def picture_mm(self) -> tuple[float, float]:
        """Width and height of the wanted picture on the sensor at the framing focal length."""
        width, height = self.sensor_mm
        aspect = self.camera.aspect
        if aspect is None:
            return width, height
        return min(width, height * aspect), min(height, width / aspect)

    @property
    def whole_mm(self) -> tuple[float, float]:
        """Width and height of all that is wanted, at the framing focal length: of what goes round, rolled out flat.

        A circle is rolled out as a cylinder, a sphere with as much to a degree of height as of bearing.
        """
        framing = self.framing_mm
        if self.camera.around == Around.SPHERE:
            return 2.0 * math.pi * framing, math.pi * framing
        if self.camera.around == Around.CIRCLE:
            low, high = self.elevations_rad
            return 2.0 * math.pi * framing, framing * (math.tan(high) - math.tan(low))
        return self.picture_mm

    @property
    def elevations_rad(self) -> tuple[float, float]:
        """Between which heights all that is wanted lies: of a circle those of the framed picture's upright middle."""
        if self.camera.around == Around.SPHERE:
            return -0.5 * math.pi, 0.5 * math.pi
        half, middle = self.picture_mm[1] / (2.0 * self.framing_mm), self.picture_centre[1]
        pitch = math.radians(self.camera.pitch_deg)
        low, high = (pitch + math.atan(middle + side * half) for side in (-1.0, 1.0))
        return max(low, -0.5 * math.pi), min(high, 0.5 * math.pi)

    @property
    def picture_centre(self) -> tuple[float, float]:
        """Where the middle of the picture lies, as tangents right and up of the camera's view."""
        framing = self.framing_mm
        return self.camera.cross_mm / framing, self.camera.rise_mm / framing

    @property
    def framing_mm(self) -> float:
        """Image size per tangent, in mm, at which the sensor holds the wanted picture: at infinity a focal length."""
        camera = self.camera
        if camera.framing_width_mm is None or camera.framing_at_m is None:
            return camera.framing_mm
        return self.picture_mm[0] * 1000.0 * camera.framing_at_m / camera.framing_width_mm

    @property
    def whole_focal_mm(self) -> float:
        """The longest focal length that takes the whole picture in one frame.

        That of the framing; of a width at a distance u the f with which it is drawn m = f/(u − f) as large as it is.
        """
        if self.camera.framing_at_m is None:
            return self.framing_mm
        away_mm = 1000.0 * self.camera.framing_at_m
        return away_mm * self.framing_mm / (away_mm + self.framing_mm)

    def drawn(self, focal_mm: float) -> float:
        """How large a lens of this focal length draws the wanted picture, over what of the sensor it would fill."""
        if self.camera.framing_at_m is None:
            return focal_mm / self.framing_mm
        away_mm = 1000.0 * self.camera.framing_at_m
        return focal_mm / max(away_mm - focal_mm, 1e-3 * away_mm) * away_mm / self.framing_mm

    def enlargement(self) -> float:
        """From all that is wanted, at the framing focal length, to the print, long side to long side, to fit."""
        picture, paper = sorted(self.whole_mm), sorted(self.wish.print_mm)
        return min(paper[0] / picture[0], paper[1] / picture[1])

    def frequency_at_framing(self) -> float:
        """Cycles/mm on the sensor that the wish asks of one frame at the framing focal length."""
        wish, body = self.wish, self.kit.body
        if wish.circle_mm is not None and wish.rule != Rule.WAVE:
            return frequency_of_circle(wish.circle_mm, wish.contrast_floor)
        if wish.detail_from == DetailFrom.SCREEN:
            return wish.screen_pixels / wish.pixels_per_line_pair / max(self.whole_mm)
        if wish.detail_from == DetailFrom.SENSOR:
            return 1.0 / (wish.pixels_per_line_pair * body.pixel_mm)
        return wish.print_line_pairs_per_mm() * self.enlargement()

    def criterion(self, focal_mm: float) -> Criterion:
        """Just acceptable sharpness on the sensor for a lens of this focal length.

        A longer lens draws the wanted picture larger, over several frames, so each needs enlarging less:
        the frequency on the sensor is that on the print × enlargement × framing / focal length, or for a width
        at a distance × what it fills of the sensor / what is drawn of it there.
        """
        shrink = 1.0 / self.drawn(focal_mm)
        return Criterion(
            rule=self.wish.rule,
            frequency=self.frequency_at_framing() * shrink,
            contrast_floor=self.wish.contrast_floor,
            pixel_mm=self.kit.body.pixel_mm,
            wavelength_nm=self.wish.wavelength_nm,
        )


def empty_plan() -> Plan:
    """A plan of defaults alone, quicker than `Plan()`: validated as one, not part by part."""
    kit: dict[str, object] = {"body": {}, "head": {}, "times": {}}
    return Plan.model_validate({"camera": {}, "light": {}, "kit": kit, "wish": {}, "choice": {}})
