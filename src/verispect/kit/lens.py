"""A lens as data: its movements and limits, what changes with focal length, what is fitted to it."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from verispect.kit.origins import WithOrigins
from verispect.optics.movements import Order

_Length = Annotated[float, Field(gt=0.0, le=5000.0)]
_Stop = Annotated[float, Field(ge=0.5, le=512.0)]

__all__ = ["AtFocal", "FieldCurvature", "Fitted", "FocusShift", "FocusStep", "Lens", "Order", "Residual"]


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)


class AtFocal(_Model):
    """What a zoom is like at one focal length; what is left out is as the lens says."""

    focal_mm: _Length
    f_numbers: tuple[_Stop, _Stop] | None = None
    closest_m: float | None = Field(default=None, gt=0.0, le=1000.0)
    pupil_magnification: float | None = Field(default=None, ge=0.1, le=10.0)
    principal_separation_mm: float | None = Field(default=None, ge=-1000.0, le=1000.0)
    pupil_behind_front_mm: float | None = Field(default=None, ge=-1000.0, le=1000.0)
    image_circle_mm: float | None = Field(default=None, gt=0.0, le=5000.0)
    tilt_deg: float | None = Field(default=None, ge=0.0, lt=45.0)
    shift_mm: float | None = Field(default=None, ge=0.0, le=500.0)


class Residual(_Model):
    """The blur that the lens itself leaves at a stop in best focus, as the diameter of an even disc."""

    f_number: _Stop
    centre_um: float = Field(ge=0.0, le=1000.0)
    corner_um: float = Field(ge=0.0, le=1000.0, description="In the sensor's corner.")
    plus_minus_um: float = Field(default=0.0, ge=0.0, le=1000.0, description="How surely, of the larger of both.")
    focal_mm: _Length | None = Field(default=None, description="Of a zoom: the focal length it is for; none: all.")


class FieldCurvature(_Model):
    """Where the best focus lies at a stop, off the axis against on it; at the sensor, positive away from the lens."""

    f_number: _Stop
    half_um: float = Field(ge=-5000.0, le=5000.0, description="At half the image height of the sensor's corner.")
    corner_um: float = Field(ge=-5000.0, le=5000.0, description="In the sensor's corner.")
    plus_minus_um: float = Field(default=0.0, ge=0.0, le=5000.0, description="How surely, in the corner.")


class FocusShift(_Model):
    """Where the best focus on the axis lies at a stop, against the widest; at the sensor, away from the lens."""

    f_number: _Stop
    um: float = Field(ge=-5000.0, le=5000.0)
    plus_minus_um: float = Field(default=0.0, ge=0.0, le=5000.0, description="How surely.")


class FocusStep(_Model):
    """What one unit of a body's focus-step number moves this lens's focus by, as a step test measured it."""

    per_step_of_depth: float = Field(gt=0.0, le=1000.0, description="In units of the depth of focus, 2 N c.")
    plus_minus: float = Field(default=0.0, ge=0.0, le=1000.0, description="Almost surely within (95 %).")
    circle_mm: float | None = Field(
        default=None, gt=0.0, le=10.0, description="The c of the test; none: the plan's own circle of confusion."
    )


class Fitted(_Model):
    """What is put on the lens or between it and the body."""

    tube_mm: float = Field(default=0.0, ge=0.0, le=1000.0, description="Extension tubes.")
    close_up_dioptres: float = Field(default=0.0, ge=0.0, le=50.0, description="Close-up lens, 1/m; 0: none.")
    converter_times: float = Field(default=1.0, ge=1.0, le=4.0, description="Teleconverter; 1: none.")
    converter_from_image_mm: float = Field(
        default=35.0, gt=0.0, le=500.0, description="Its lens before the image that the main lens forms alone."
    )


class Lens(WithOrigins):
    """A lens with its movements and limits."""

    name: str = Field(max_length=200)
    focal_mm: tuple[_Length, _Length]
    f_numbers: tuple[_Stop, _Stop]
    closest_m: float = Field(gt=0.0, le=1000.0)
    closest_from: Literal["sensor", "front", "principal"] = "sensor"
    front_ahead_mm: float = Field(
        default=0.0, ge=-1000.0, le=1000.0, description="Front of the lens ahead of its principal point."
    )
    pupil_behind_front_mm: float | None = Field(
        default=None,
        ge=-1000.0,
        le=1000.0,
        description="Entrance pupil behind the front of the lens; front_ahead_mm then follows from it.",
    )
    tilt_deg: float = Field(default=0.0, ge=0.0, lt=45.0)
    tilt_mount: Literal["free", "rotating"] = Field(
        default="free",
        description="free: tilt and swing each to the limit; rotating: one tilt whose direction is turned.",
    )
    tilt_order: Order = Field(default="swing rides", description="Of a free mount: which axis rides on the other.")
    detents_deg: float | None = Field(
        default=None, ge=1.0, le=180.0, description="Of a rotating mount: the step between the directions it holds."
    )
    tilt_scale_deg: float = Field(default=0.0, ge=0.0, le=10.0, description="Marks of the tilt scale; 0: none.")
    tilt_zero_deg: float = Field(
        default=0.0, ge=-10.0, le=10.0, description="What the lens truly tilts by where its scale reads 0."
    )
    tilt_base_mm: float = Field(
        default=0.0,
        ge=0.0,
        le=1000.0,
        description="Pivot of a base tilt under the lens's centre; 0: at it.",
    )
    tilt_pivot_mm: float = Field(
        default=0.0, ge=-1000.0, le=1000.0, description="Pivot of the tilt ahead of the rear principal point."
    )
    shift_mm: float = Field(default=0.0, ge=0.0, le=500.0)
    shift_scale_mm: float = Field(default=0.0, ge=0.0, le=100.0, description="Marks of the shift scale; 0: none.")
    focus_scale_mm: float = Field(
        default=0.0,
        ge=0.0,
        le=100.0,
        description="Finest setting of the focus as a change of image distance; 0: none.",
    )
    image_circle_mm: float | None = Field(default=None, gt=0.0, le=5000.0)
    falloff_stops: float = Field(
        default=0.0, ge=0.0, le=20.0, description="Light lost at the edge of the image circle, in stops."
    )
    pupil_magnification: float = Field(default=1.0, ge=0.1, le=10.0)
    principal_separation_mm: float = Field(default=0.0, ge=-1000.0, le=1000.0)
    focusing: Literal["extension", "internal"] = Field(
        default="extension", description="internal: the focal length changes on the way to closest focus."
    )
    closest_magnification: float | None = Field(
        default=None, gt=0.0, le=20.0, description="Measured at closest focus; tells the focal length there."
    )
    reversed: bool = Field(default=False, description="Fitted front to body: its pupils change places.")
    by_focal: tuple[AtFocal, ...] = Field(default=(), max_length=50)
    residual: tuple[Residual, ...] = Field(default=(), max_length=50)
    field_curvature: tuple[FieldCurvature, ...] = Field(default=(), max_length=50)
    focus_shift: tuple[FocusShift, ...] = Field(default=(), max_length=50)
    focus_step: FocusStep | None = None
    fitted: Fitted = Field(default_factory=Fitted)
    tilt_plus_minus_deg: float = Field(default=0.0, ge=0.0, le=10.0, description="How surely a tilt can be set.")
    focus_plus_minus_mm: float = Field(
        default=0.0, ge=0.0, le=50.0, description="How surely a focus can be set, as image distance."
    )
    focal_plus_minus_percent: float = Field(
        default=0.0, ge=0.0, le=20.0, description="How surely the focal length is known."
    )
    stop_plus_minus_stops: float = Field(default=0.0, ge=0.0, le=3.0, description="How surely a stop can be set.")
    pupil_plus_minus: float = Field(
        default=0.0, ge=0.0, le=2.0, description="How surely the pupil magnification is known."
    )

    @property
    def only_focal_mm(self) -> float | None:
        """Of a lens that does not zoom; None for a zoom, of which the frames tell."""
        return self.focal_mm[0] if self.focal_mm[0] == self.focal_mm[1] else None

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.focal_mm[0] > self.focal_mm[1]:
            raise ValueError("focal_mm must be [shortest, longest]")
        if self.f_numbers[0] > self.f_numbers[1]:
            raise ValueError("f_numbers must be [widest, smallest], such as [3.5, 22]")
        for row in self.by_focal:
            if row.f_numbers is not None and row.f_numbers[0] > row.f_numbers[1]:
                raise ValueError(f"by_focal at {row.focal_mm:g} mm: f_numbers must be [widest, smallest]")
        if self.focusing == "internal" and self.closest_magnification is None:
            raise ValueError("a lens that focuses internally needs its closest_magnification, such as 0.2")
        return self
