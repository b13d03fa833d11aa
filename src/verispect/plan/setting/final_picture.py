"""What comes out: pixels, files, print sizes, what a pixel is on each mark, and how a flat picture stretches."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.plan.assess.finest_detail import finest_detail_mm, pixels_per_mm
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence
from verispect.subject.camera import Around

# Pixels to an inch of a print looked at closely and of one on a wall (common practice).
_CLOSELY, _ON_A_WALL = 300.0, 180.0
_INCH_MM = 25.4
# Three channels of 16 bits.
_BYTES = 6.0
_SHOWS = 1.05
_ROLLED_OUT = {
    Around.CIRCLE: Sentence("the whole turn rolled out as a cylinder: level lines bow, upright ones stay straight"),
    Around.SPHERE: Sentence(
        "every direction rolled out by bearing and height, twice as wide as high: above and below it is stretched "
        "across; the frame straight down shows the tripod: hold that one in the hand over its place, or leave it"
    ),
}


@dataclass(frozen=True)
class OnMark:
    """Final pixels to a mm on a mark and the smallest detail rendered there, mm; inf where none is."""

    name: str
    pixels_per_mm: float
    detail_mm: float


@dataclass(frozen=True)
class FinalPicture:
    """The picture that the method gives.

    Attributes
    ----------
    pixels : (int, int)
    frames : int
    raw_mb, tiff_mb : float
        Of all frames as they are taken, and of the picture at 16 bits.
    print_cm : tuple of (pixels per inch, width, height)
    corner_deg : float
        From the middle of the picture to its farthest corner.
    stretch : float
        How much longer than wide a ball is drawn there in a flat picture: 1/cos.
    one_lens_mm : float
        The focal length that sees as much in one frame.
    marks : tuple of OnMark
    around : Around
        How far round it goes; then it is rolled out flat, and corner, stretch and one lens say nothing of it.
    """

    pixels: tuple[int, int]
    frames: int
    raw_mb: float
    tiff_mb: float
    print_cm: tuple[tuple[float, float, float], ...]
    corner_deg: float
    stretch: float
    one_lens_mm: float
    marks: tuple[OnMark, ...]
    around: Around = Around.PICTURE

    @property
    def says(self) -> list[Sentence]:
        """The same in sentences."""
        (_, wide, high), (_, wall, tall) = self.print_cm
        width, height = self.pixels
        said = [
            Sentence(
                "{width} × {height} pixels: {wide:.0f} × {high:.0f} cm at 300 to the inch, {wall:.0f} × {tall:.0f} "
                "cm at 180; {tiff:.0f} MB at 16 bits, {raw:.0f} MB of raw files",
                {"width": width, "height": height, "wide": wide, "high": high, "wall": wall, "tall": tall,
                 "tiff": self.tiff_mb, "raw": self.raw_mb},
            )
        ]  # fmt: skip
        rendered = [one for one in self.marks if math.isfinite(one.detail_mm)]
        if rendered:
            coarse = max(rendered, key=lambda one: one.detail_mm)
            fine = min(rendered, key=lambda one: one.detail_mm)
            told = [fine] if fine.name == coarse.name else [fine, coarse]
            said += [
                Sentence(
                    "on {mark} {px:.2f} pixels to the mm; the smallest detail is {mm:.2f} mm",
                    {"mark": one.name, "px": one.pixels_per_mm, "mm": one.detail_mm},
                )
                for one in told
            ]
        if self.around != Around.PICTURE:
            said.append(_ROLLED_OUT[self.around])
        elif self.stretch >= _SHOWS:
            said.append(
                Sentence(
                    "one lens of {focal:.0f} mm sees as much: {angle:.0f}° off the middle a ball is drawn "
                    "{times:.2f} times as long as wide, whatever takes the flat picture",
                    {"focal": self.one_lens_mm, "angle": self.corner_deg, "times": self.stretch},
                )
            )
        return said


def final_picture(candidate: Candidate) -> FinalPicture | None:
    """None where the method has no exposures."""
    if not candidate.exposures:
        return None
    scene, body = candidate.scene, candidate.scene.plan.kit.body
    width, height = candidate.kept_pixels
    half, centre = scene.half_picture(), scene.picture_centre()
    corner = math.atan(float(np.hypot(*(np.abs(centre) + half))))
    count = scene.mark_count
    each = zip(scene.names[:count], pixels_per_mm(candidate), finest_detail_mm(candidate), strict=True)
    return FinalPicture(
        pixels=(width, height),
        frames=candidate.frame_count,
        raw_mb=body.raw_mb * candidate.shot_count,
        tiff_mb=width * height * _BYTES / 1e6,
        print_cm=tuple((ppi, 0.1 * _INCH_MM * width / ppi, 0.1 * _INCH_MM * height / ppi)
                       for ppi in (_CLOSELY, _ON_A_WALL)),
        corner_deg=math.degrees(corner),
        stretch=1.0 / math.cos(corner),
        one_lens_mm=scene.plan.whole_focal_mm,
        marks=tuple(OnMark(name, float(px), float(mm)) for name, px, mm in each),
        around=scene.plan.camera.around,
    )  # fmt: skip
