"""What is set on the lens's mount and on a view camera's standards, in numbers and in words."""

from __future__ import annotations

import math
from dataclasses import dataclass

from verispect.kit.scale_settings import dial, on_scale_deg
from verispect.optics.movements import rotation_and_shift, scale_digits
from verispect.optics.pose import Pose
from verispect.plan.assess.perspective import converging
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

_STILL_DEG, _STILL_MM = 0.005, 0.05


@dataclass(frozen=True)
class Mount:
    """Settings of the mechanism.

    Attributes
    ----------
    rotation_deg : float
        Of a rotating mount, clockwise from up, seen from behind the camera; within a quarter turn.
    tilt_deg, swing_deg, back_tilt_deg, back_swing_deg : float
        Tilt positive leans the top forward, swing positive faces right; of a rotating mount the one tilt of the
        side that its top was turned to.
    shift_mm, rise_mm, cross_mm : float
        Of the lens against the sensor's middle: in all, up, and to the right.
    says : tuple of Sentence
    """

    rotation_deg: float
    tilt_deg: float
    swing_deg: float
    shift_mm: float
    rise_mm: float
    cross_mm: float
    back_tilt_deg: float
    back_swing_deg: float
    says: tuple[Sentence, ...]


def mount_of(candidate: Candidate, index: int = 0) -> Mount:
    """The mount of one exposure."""
    exposure = candidate.exposures[index]
    body = candidate.scene.plan.kit.body
    found = dial(exposure.lens, body, exposure.state.axis)
    tilt, swing, back_tilt, back_swing, rotation = (
        math.degrees(angle)
        for angle in (found.tilt_rad, found.swing_rad, found.back_tilt_rad, found.back_swing_rad, found.rotation_rad)
    )
    cross, rise = exposure.cross_and_rise_mm
    # With nothing leant a mount that is turned is turned for its one shift.
    turned_shift = exposure.lens.tilt_mount == "rotating" and abs(tilt) < _STILL_DEG
    turn, along = rotation_and_shift(cross, rise) if turned_shift else (0.0, 0.0)
    if abs(along) >= _STILL_MM:
        rotation = turn
    digits = scale_digits(exposure.lens.lens.tilt_scale_deg)
    # Of a camera hung upside down the scales keep their signs; words tell what is seen from behind it.
    seen = -1.0 if exposure.pose.up[1] < 0.0 else 1.0
    plain = exposure.lens.tilt_mount != "rotating" or abs(rotation) < 0.5
    return Mount(
        rotation_deg=rotation,
        tilt_deg=tilt,
        swing_deg=swing,
        shift_mm=math.hypot(cross, rise),
        rise_mm=rise,
        cross_mm=cross,
        back_tilt_deg=back_tilt,
        back_swing_deg=back_swing,
        says=(
            *_hung(seen),
            *_rotating(rotation, tilt, digits, turns=exposure.lens.tilt_mount == "rotating"),
            *_leans("lens", seen * tilt, seen * swing, digits, plain=plain),
            *_on_scale(tilt, exposure.lens.lens.tilt_zero_deg, digits),
            *(
                _in_place(candidate.scene.plan, exposure.pose)
                if exposure.lens.back_in_place and math.hypot(back_tilt, back_swing) >= _STILL_DEG
                else []
            ),
            *_leans("back", seen * back_tilt, seen * back_swing, scale_digits(body.angle_scale_deg), plain=True),
            *(
                _shifted_along(turn, along, exposure.lens.lens.detents_deg)
                if abs(along) >= _STILL_MM
                else _shifted(seen * rise, seen * cross)
            ),
        ),
    )


def _hung(seen: float) -> list[Sentence]:
    if seen > 0.0:
        return []
    return [Sentence("the camera hangs upside down: up and right on its scales are down and left as you see it")]


def _in_place(plan: Plan, sensor: Pose) -> list[Sentence]:
    """That the picture's plane leans with the back, and what that does to upright lines."""
    said = [
        Sentence("the lens stays upright and the camera as it stands: the picture's perspective leans with the back")
    ]
    pitch = math.degrees(math.asin(min(max(float(sensor.forward[1]), -1.0), 1.0)))
    before = converging(plan)
    after = converging(plan.model_copy(update={"camera": plan.camera.model_copy(update={"pitch_deg": pitch})}))
    if abs(after.pixels - before.pixels) >= 1.0:
        said.append(
            Sentence(
                "between the picture's top and bottom upright lines come {pixels:.0f} pixels nearer to one another "
                "at the {end}, {before:.0f} before",
                {
                    "pixels": abs(after.pixels),
                    "before": math.copysign(1.0, after.pixels) * before.pixels,
                    "end": Sentence("top") if after.pixels > 0.0 else Sentence("bottom"),
                },
            )
        )
    return said


def _rotating(rotation: float, tilt: float, digits: int, *, turns: bool) -> list[Sentence]:
    if not turns or abs(tilt) < _STILL_DEG or abs(rotation) < 0.5:
        return []
    way = Sentence("clockwise") if rotation > 0.0 else Sentence("counter-clockwise")
    return [
        Sentence(
            "turn the mount {angle:.0f}° {way}, seen from behind the camera; there is only this one tilt to set",
            {"angle": abs(rotation), "way": way},
        ),
        Sentence(
            "the side of the lens that was its top leans {tilt}° {where}",
            {
                "tilt": f"{abs(tilt):.{digits}f}",
                "where": Sentence("forward, towards the subject") if tilt > 0.0 else Sentence("back, towards you"),
            },
        ),
    ]


def _leans(standard: str, tilt: float, swing: float, digits: int, *, plain: bool) -> list[Sentence]:
    """Tilt and swing of one standard; a mount turned aside is told by its rotation."""
    if not plain:
        return []
    said = []
    if abs(tilt) >= _STILL_DEG:
        ways = {
            ("lens", True): "the top of the lens leans {angle}° forward: the lens looks towards the ground",
            ("lens", False): "the top of the lens leans {angle}° back: the lens looks towards the sky",
            ("back", True): "the top of the back leans {angle}° forward",
            ("back", False): "the top of the back leans {angle}° back",
        }
        said.append(Sentence(ways[standard, tilt > 0.0], {"angle": f"{abs(tilt):.{digits}f}"}))
    if abs(swing) >= _STILL_DEG:
        ways = {
            ("lens", True): "the lens faces {angle}° to the right",
            ("lens", False): "the lens faces {angle}° to the left",
            ("back", True): "the back faces {angle}° to the right",
            ("back", False): "the back faces {angle}° to the left",
        }
        said.append(Sentence(ways[standard, swing > 0.0], {"angle": f"{abs(swing):.{digits}f}"}))
    return said


def _on_scale(tilt: float, zero: float, digits: int) -> list[Sentence]:
    """What the scale must read, where a test has found its zero to be off."""
    if abs(zero) < _STILL_DEG:
        return []
    reads: dict[str, object] = {"reads": f"{on_scale_deg(tilt, zero):+.{max(digits, 1)}f}", "zero": f"{zero:+.2f}"}
    return [
        Sentence("set the tilt scale to {reads}°: where it reads 0 this lens tilts by {zero}°, as measured", reads)
    ]


def _shifted_along(turn: float, along: float, detents: float | None) -> list[Sentence]:
    """One shift along the side that was the top of a mount that is turned."""
    said = []
    if abs(turn) >= 0.5:
        way = Sentence("clockwise") if turn > 0.0 else Sentence("counter-clockwise")
        said.append(
            Sentence(
                "turn the mount {angle:.0f}° {way}, seen from behind the camera", {"angle": abs(turn), "way": way}
            )
        )
    words = (
        "shift the lens {mm:.1f} mm towards what was its top"
        if along > 0.0
        else "shift the lens {mm:.1f} mm away from what was its top"
    )
    said.append(Sentence(words, {"mm": abs(along)}))
    if detents is not None and abs(turn / detents - round(turn / detents)) * detents > 1.0:
        said.append(
            Sentence("the mount holds a direction every {step:g}°: between two of them hold it yourself",
                     {"step": detents})
        )  # fmt: skip
    return said


def _shifted(rise: float, cross: float) -> list[Sentence]:
    said = []
    if abs(rise) >= _STILL_MM:
        way = "the lens stands {mm:.1f} mm higher" if rise > 0.0 else "the lens stands {mm:.1f} mm lower"
        said.append(Sentence(way, {"mm": abs(rise)}))
    if abs(cross) >= _STILL_MM:
        way = "the lens stands {mm:.1f} mm to the right" if cross > 0.0 else "the lens stands {mm:.1f} mm to the left"
        said.append(Sentence(way, {"mm": abs(cross)}))
    return said
