"""The kit: one body, its lenses, and what carries them."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from verispect.kit.lens import Lens, Order
from verispect.kit.origins import WithOrigins

_Length = Annotated[float, Field(gt=0.0, le=5000.0)]
_Iso = Annotated[float, Field(gt=0.0, le=1.0e7)]
# A usual full-frame pixel (common practice); scaled by the pixel's area where the body does not say.
_FULL_WELL_E, _OF_PIXEL_MM = 50_000.0, 0.0044


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)


class Film(_Model):
    """A film's loss of sensitivity in long exposures: t becomes t_from · (t / t_from)^exponent beyond t_from."""

    exponent: float = Field(default=1.3, ge=1.0, le=3.0)
    from_s: float = Field(default=1.0, ge=1.0e-6, le=1000.0)


class Body(WithOrigins):
    """A camera body: its sensor."""

    name: str = Field(default="", max_length=200)
    sensor_mm: tuple[_Length, _Length] = (36.0, 24.0)
    pixels: tuple[Annotated[int, Field(gt=0, le=200000)], Annotated[int, Field(gt=0, le=200000)]] = (
        8256,
        5504,
    )
    iso: _Iso = 100.0
    iso_range: tuple[_Iso, _Iso] | None = Field(default=None, description="Lowest and highest that may be used.")
    full_well_e: float | None = Field(
        default=None, gt=0.0, le=1.0e8, description="Electrons of white at base ISO; none: by the pixel's area."
    )
    read_noise_e: float = Field(default=3.0, ge=0.0, le=1.0e5, description="At base ISO, electrons.")
    file_mb: float | None = Field(
        default=None, gt=0.0, le=10000.0, description="Of one raw file; none: its pixels at `bits` each."
    )
    bits: float = Field(default=11.0, gt=0.0, le=64.0, description="Of a pixel in a raw file as it is packed.")
    battery_frames: float = Field(default=500.0, gt=0.0, le=1.0e6, description="Frames to one charge.")
    battery_min: float = Field(default=150.0, gt=0.0, le=1.0e5, description="Minutes of live view to one charge.")
    merge_keeps: float | None = Field(
        default=None, gt=0.0, le=1.0, description="Share of the width left by a merge in the camera; none: no such."
    )
    merge_limit: int | None = Field(default=None, ge=2, le=10000, description="Most frames merged in the camera.")
    film: Film | None = None
    back_tilt_deg: float = Field(default=0.0, ge=0.0, lt=45.0, description="Tilt and swing of the back, each way.")
    back_order: Order = "swing rides"
    back_shift_mm: float = Field(default=0.0, ge=0.0, le=500.0, description="Rise, fall and cross of the back.")
    angle_scale_deg: float = Field(default=0.0, ge=0.0, le=10.0, description="Marks of the back's scales; 0: none.")

    @property
    def pixel_mm(self) -> float:
        """Pixel pitch, from the widths."""
        return self.sensor_mm[0] / self.pixels[0]

    @property
    def raw_mb(self) -> float:
        """Of one raw file: as the body says, else its pixels at so many bits."""
        return self.file_mb if self.file_mb is not None else self.pixels[0] * self.pixels[1] * self.bits / 8.0e6

    def full_well_at(self, iso: float, pixel_mm: float | None = None) -> float:
        """Electrons that white is made of at an ISO, in a pixel of this pitch."""
        if self.full_well_e is not None:
            return self.full_well_e * self.iso / iso
        return _FULL_WELL_E * ((pixel_mm or self.pixel_mm) / _OF_PIXEL_MM) ** 2 * 100.0 / iso

    def at_iso(self, iso: float) -> Body:
        """The same body set to an ISO; its full well is then that of this."""
        well = None if self.full_well_e is None else self.full_well_at(iso)
        return self.model_copy(update={"iso": iso, "full_well_e": well})

    @property
    def diagonal_mm(self) -> float:
        """Diagonal of the sensor."""
        return float((self.sensor_mm[0] ** 2 + self.sensor_mm[1] ** 2) ** 0.5)


class Head(WithOrigins):
    """What carries the camera; `turns` says that it turns about the entrance pupil for grids."""

    turns: bool = True
    off_mm: float = Field(default=2.0, ge=0.0, le=500.0, description="Entrance pupil off the axis it turns about.")
    slack_deg: float = Field(default=0.0, ge=0.0, le=20.0, description="Backlash of a driven head.")
    step_deg: float = Field(
        default=0.0, ge=0.0, le=90.0, description="That it turns and nods in, from straight ahead; 0: any angle."
    )


class Rail(WithOrigins):
    """A focusing rail."""

    travel_mm: float = Field(default=100.0, gt=0.0, le=10000.0)
    slack_mm: float = Field(default=0.0, ge=0.0, le=50.0, description="Backlash of a driven rail.")


class Tripod(WithOrigins):
    """What carries the head, by how it swings after a touch; a settle test measures that."""

    name: str = Field(default="", max_length=200)
    swing_arcsec: float = Field(
        default=0.0, ge=0.0, le=1.0e5, description="To either side just after a touch, column down; 0: not known."
    )
    decay_s: float = Field(default=0.5, gt=0.0, le=60.0, description="In which the swing falls to 1/e.")
    swing_hz: float = Field(default=4.0, gt=0.0, le=1000.0, description="Swings a second.")
    column_times: float = Field(
        default=2.0, ge=1.0, le=100.0, description="How much farther it swings with the column up (common practice)."
    )

    def swing_rad(self, waited_s: float, *, column_up: bool) -> float:
        """How far it still swings to either side, so long after a touch."""
        first = math.radians(self.swing_arcsec / 3600.0) * (self.column_times if column_up else 1.0)
        return first * math.exp(-waited_s / self.decay_s)


class Flash(WithOrigins):
    """A flash, by how long it takes until it is full; a recycle test measures that."""

    name: str = Field(default="", max_length=200)
    recycle_s: float = Field(default=3.0, ge=0.0, le=3600.0)


class Times(_Model):
    """How long things take on site, in seconds. The defaults are estimates; put in your own.

    `settle_s` is also how long a vibration after a touch takes to fade: shorter exposures wait for it.
    """

    set_up_s: float = Field(default=60.0, ge=0.0, le=86400.0)
    tilt_set_up_s: float = Field(default=150.0, ge=0.0, le=86400.0)
    head_set_up_s: float = Field(default=120.0, ge=0.0, le=86400.0)
    settle_s: float = Field(default=2.0, ge=0.0, le=3600.0)
    write_s: float = Field(default=0.5, ge=0.0, le=3600.0)
    timer_s: float = Field(default=0.0, ge=0.0, le=3600.0, description="Self-timer before each frame; 0: none.")
    flash_recycle_s: float = Field(
        default=0.0, ge=0.0, le=3600.0, description="Until a flash is full again; frames wait for it. 0: no flash."
    )
    refocus_s: float = Field(default=3.0, ge=0.0, le=3600.0)
    shift_s: float = Field(default=6.0, ge=0.0, le=3600.0)
    turn_s: float = Field(default=5.0, ge=0.0, le=3600.0)
    rail_set_up_s: float = Field(default=120.0, ge=0.0, le=86400.0)
    rail_s: float = Field(default=3.0, ge=0.0, le=3600.0)
    merge_s_per_mp: float = Field(default=0.25, ge=0.0, le=1000.0, description="For each megapixel of each frame.")
    join_s_per_mp: float = Field(default=0.4, ge=0.0, le=1000.0)

    @property
    def frame_s(self) -> float:
        """Around each frame beside its exposure: until nothing shakes, the timer, and the writing or the flash."""
        return self.settle_s + self.timer_s + self.after_s

    @property
    def after_s(self) -> float:
        """After each exposure before the next can begin: the writing, or the flash."""
        return max(self.write_s, self.flash_recycle_s)

    @property
    def waited_s(self) -> float:
        """From the last touch to the exposure."""
        return self.settle_s + self.timer_s


class Kit(_Model):
    """Everything carried to the place."""

    body: Body = Field(default_factory=Body)
    lenses: tuple[Lens, ...] = Field(default=(), max_length=100)
    head: Head | None = Field(default_factory=Head)
    rail: Rail | None = None
    tripod: Tripod | None = None
    flash: Flash | None = None
    times: Times = Field(default_factory=Times)
    filter_stops: float = Field(default=0.0, ge=0.0, le=20.0, description="Light that filters take, in stops.")
    refuse_smallest: int = Field(
        default=0, ge=0, le=6, description="So many of each lens's smallest full stops are not used (a preference)."
    )
