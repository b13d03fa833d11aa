"""The kit: one body, its lenses, and what carries them."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from verispect.optics.focus import image_distance_for_object_mm, image_distance_for_scale_mm
from verispect.optics.stops import stops_between
from verispect.optics.types import Floats

_Length = Annotated[float, Field(gt=0.0, le=5000.0)]


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False)


class Body(_Model):
    """A camera body: its sensor."""

    name: str = Field(default="", max_length=200)
    sensor_mm: tuple[_Length, _Length] = (36.0, 24.0)
    pixels: tuple[Annotated[int, Field(gt=0, le=200000)], Annotated[int, Field(gt=0, le=200000)]] = (
        8256,
        5504,
    )
    iso: float = Field(default=100.0, gt=0.0, le=1.0e7)

    @property
    def pixel_mm(self) -> float:
        """Pixel pitch, from the widths."""
        return self.sensor_mm[0] / self.pixels[0]

    @property
    def diagonal_mm(self) -> float:
        """Diagonal of the sensor."""
        return float((self.sensor_mm[0] ** 2 + self.sensor_mm[1] ** 2) ** 0.5)


class Lens(_Model):
    """A lens with its movements and limits."""

    name: str = Field(max_length=200)
    focal_mm: tuple[_Length, _Length]
    f_numbers: tuple[Annotated[float, Field(ge=0.5, le=512.0)], Annotated[float, Field(ge=0.5, le=512.0)]]
    closest_m: float = Field(gt=0.0, le=1000.0)
    closest_from: Literal["sensor", "front", "principal"] = "sensor"
    front_ahead_mm: float = Field(
        default=0.0, ge=-1000.0, le=1000.0, description="Front of the lens ahead of its principal point."
    )
    tilt_deg: float = Field(default=0.0, ge=0.0, lt=45.0)
    tilt_mount: Literal["free", "rotating"] = Field(
        default="free",
        description="free: tilt and swing each to the limit; rotating: one tilt whose direction is turned.",
    )
    shift_mm: float = Field(default=0.0, ge=0.0, le=500.0)
    image_circle_mm: float | None = Field(default=None, gt=0.0, le=5000.0)
    pupil_magnification: float = Field(default=1.0, ge=0.1, le=10.0)
    principal_separation_mm: float = Field(default=0.0, ge=-1000.0, le=1000.0)

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.focal_mm[0] > self.focal_mm[1]:
            raise ValueError("focal_mm must be [shortest, longest]")
        if self.f_numbers[0] > self.f_numbers[1]:
            raise ValueError("f_numbers must be [widest, smallest], such as [3.5, 22]")
        return self

    def stops(self) -> Floats:
        """Exact third-stops it can be set to (ISO 517)."""
        return stops_between(*self.f_numbers)

    def reaches(self, focal_mm: float) -> bool:
        """Whether it can be set to a focal length."""
        slack = 1e-9 * focal_mm
        return self.focal_mm[0] - slack <= focal_mm <= self.focal_mm[1] + slack

    def longest_image_distance_mm(self, focal_mm: float) -> float:
        """Image distance along the axis at closest focus; never beyond life size, 2f."""
        closest_mm = self.closest_m * 1000.0
        if self.closest_from == "sensor":
            return image_distance_for_scale_mm(
                scale_m=self.closest_m, focal_mm=focal_mm, separation_mm=self.principal_separation_mm
            )
        if self.closest_from == "front":
            closest_mm += self.front_ahead_mm
        if closest_mm <= 2.0 * focal_mm:
            return 2.0 * focal_mm
        return image_distance_for_object_mm(object_mm=closest_mm, focal_mm=focal_mm)

    def circle_mm(self, sensor_diagonal_mm: float) -> float:
        """Its image circle; where unknown, one that just covers the sensor."""
        return self.image_circle_mm if self.image_circle_mm is not None else sensor_diagonal_mm


class Head(_Model):
    """What carries the camera; `turns` says that it turns about the entrance pupil for grids."""

    turns: bool = True


class Rail(_Model):
    """A focusing rail."""

    travel_mm: float = Field(default=100.0, gt=0.0, le=10000.0)


class Times(_Model):
    """How long things take on site, in seconds. The defaults are estimates; put in your own."""

    set_up_s: float = Field(default=60.0, ge=0.0, le=86400.0)
    tilt_set_up_s: float = Field(default=150.0, ge=0.0, le=86400.0)
    head_set_up_s: float = Field(default=120.0, ge=0.0, le=86400.0)
    settle_s: float = Field(default=2.0, ge=0.0, le=3600.0)
    write_s: float = Field(default=0.5, ge=0.0, le=3600.0)
    refocus_s: float = Field(default=3.0, ge=0.0, le=3600.0)
    shift_s: float = Field(default=6.0, ge=0.0, le=3600.0)
    turn_s: float = Field(default=5.0, ge=0.0, le=3600.0)


class Kit(_Model):
    """Everything carried to the place."""

    body: Body = Field(default_factory=Body)
    lenses: tuple[Lens, ...] = Field(default=(), max_length=100)
    head: Head | None = Field(default_factory=Head)
    rail: Rail | None = None
    times: Times = Field(default_factory=Times)
