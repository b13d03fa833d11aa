"""Marks: points that must, should, may or must not be sharp."""

from __future__ import annotations

from enum import StrEnum

from pydantic import BaseModel, ConfigDict, Field


class Need(StrEnum):
    """How much a thing matters: it decides, counts after that, is only told, or is wanted out of focus."""

    MUST = "must"
    SHOULD = "should"
    MAY = "may"
    SOFT = "soft"


_FAR_M = 1.0e7


class Mark(BaseModel):
    """A point of the subject, in world metres: x right, y up, z away from under the entrance pupil."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)

    name: str = Field(max_length=200)
    x_m: float = Field(ge=-_FAR_M, le=_FAR_M)
    y_m: float = Field(ge=-_FAR_M, le=_FAR_M)
    z_m: float = Field(ge=-_FAR_M, le=_FAR_M)
    need: Need = Need.MUST
    weight: float = Field(default=1.0, gt=0.0, le=1000.0)
    speed_mm_s: float = Field(default=0.0, ge=0.0, le=1.0e6, description="Movement across the view.")
    plus_minus_m: float = Field(
        default=0.0, ge=0.0, le=_FAR_M, description="How surely its distance is known; almost surely within (95 %)."
    )
    plus_minus_side_m: float = Field(
        default=0.0, ge=0.0, le=_FAR_M, description="How surely its place across and up is known."
    )
    speed_plus_minus_mm_s: float = Field(default=0.0, ge=0.0, le=1.0e6, description="How surely its speed is known.")
    soft_times: float = Field(default=3.0, gt=1.0, le=1000.0, description="Wanted soft: so many times the allowed.")
    reading_ev100: float | None = Field(
        default=None, ge=-12.0, le=27.0, description="Spot reading, EV at ISO 100: what exposes it as mid-grey."
    )
    detail_mm: float | None = Field(default=None, gt=0.0, description="Smallest detail to be rendered.")
