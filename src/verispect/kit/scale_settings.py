"""From a wanted lens axis to what is set on the scales of the kit, and what those marks really give."""

from __future__ import annotations

import math
from dataclasses import dataclass

from verispect.kit.equipment import Body
from verispect.kit.mounted_lens import Optic
from verispect.optics.movements import (
    Order,
    RotatingSetting,
    ViewCameraSetting,
    axis_from_rotating,
    geometry_of,
    rotating_from_axis,
    rounded,
    scale_digits,
    settings_for_direction,
    share_between_standards,
    standard_matrix,
)
from verispect.optics.types import Floats, Vector
from verispect.sentence import Sentence


@dataclass(frozen=True)
class Dial:
    """Settings of a mechanism.

    Attributes
    ----------
    axis : (float, float, float)
        The lens's axis against the sensor's normal that these settings give.
    words : Sentence
        The settings, as they are read on the scales.
    tilt_rad, swing_rad, back_tilt_rad, back_swing_rad : float
        Tilt positive leans a standard's top forward, swing positive faces it right. The one tilt of a rotating
        mount is `tilt_rad`, of the side that its top has been turned to.
    rotation_rad : float
        How far a rotating mount is turned, clockwise seen from behind the camera; within a quarter turn.
    """

    axis: Vector
    words: Sentence
    tilt_rad: float = 0.0
    swing_rad: float = 0.0
    back_tilt_rad: float = 0.0
    back_swing_rad: float = 0.0
    rotation_rad: float = 0.0


def dial(optic: Optic, body: Body, axis: Vector) -> Dial:
    """Settings for an axis, rounded to the marks of the scales (not where a scale has none).

    What the lens cannot tilt is left to the back: the camera is turned by as much and its back home again.
    """
    lean = math.degrees(math.asin(min(1.0, math.hypot(axis[0], axis[1]))))
    most = lean if optic.tilt_mount == "rotating" else _larger_part_deg(axis)
    if optic.back_in_place:
        return _back_in_place(optic, body, axis)
    if optic.back_tilt_deg > 0.0 and most > optic.lens_tilt_deg + 1e-9:
        return _both(optic, body, axis, optic.lens_tilt_deg / most)
    if optic.tilt_mount == "rotating":
        return _rotating(optic, axis)
    tilt, swing = settings_for_direction(axis, optic.lens.tilt_order)
    tilt, swing = (_on_scale(value, optic.lens.tilt_scale_deg, optic.lens_tilt_deg) for value in (tilt, swing))
    matrix = standard_matrix(tilt_rad=tilt, swing_rad=swing, order=optic.lens.tilt_order)
    unchanged = optic.lens.tilt_scale_deg == 0.0
    return Dial(
        axis if unchanged else _vector(matrix[2]),
        Sentence(
            "lens tilt {tilt}°, swing {swing}°, {order}",
            {
                "tilt": _signed(tilt, optic.lens.tilt_scale_deg),
                "swing": _signed(swing, optic.lens.tilt_scale_deg),
                "order": Sentence(_order(optic.lens.tilt_order)),
            },
        ),
        tilt_rad=tilt,
        swing_rad=swing,
    )


def on_scale_deg(true_deg: float, zero_deg: float) -> float:
    """What a tilt scale must read for a true tilt, whose own zero is a tilt of `zero_deg`."""
    return true_deg - zero_deg


def _signed(value_rad: float, step_deg: float) -> str:
    """An angle with its sign, in the digits of its scale."""
    return f"{math.degrees(value_rad):+.{scale_digits(step_deg)}f}"


def _larger_part_deg(axis: Vector) -> float:
    return math.degrees(max(abs(math.asin(axis[0])), abs(math.asin(axis[1]))))


def _order(order: str) -> str:
    return "the swing riding on the tilt" if order == "swing rides" else "the tilt riding on the swing"


def _on_scale(value_rad: float, step_deg: float, limit_deg: float) -> float:
    """The nearest mark that does not pass the limit."""
    if step_deg <= 0.0:
        return value_rad
    value = rounded(math.degrees(value_rad), step_deg)
    if abs(value) > limit_deg + 1e-9:
        value = math.copysign(math.floor(limit_deg / step_deg + 1e-9) * step_deg, value)
    return math.radians(value)


def _rotating(optic: Optic, axis: Vector) -> Dial:
    setting = rotating_from_axis(axis)
    lean = _on_scale(setting.lean_rad, optic.lens.tilt_scale_deg, optic.lens_tilt_deg)
    direction = setting.direction_rad
    if optic.lens.detents_deg is not None:
        direction = math.radians(rounded(math.degrees(direction), optic.lens.detents_deg))
    unchanged = optic.lens.tilt_scale_deg == 0.0 and optic.lens.detents_deg is None
    turned = math.degrees(direction) + 90.0
    # The top turned clockwise by R lies towards (sin R, cos R); leaning it forward tips the axis the other way.
    rotation = math.remainder(-0.5 * math.pi - direction, math.tau)
    signed = lean
    if abs(rotation) > 0.5 * math.pi + 1e-9:
        rotation, signed = math.remainder(rotation + math.pi, math.tau), -lean
    return Dial(
        axis if unchanged else axis_from_rotating(RotatingSetting(lean, direction)),
        Sentence(
            "tilt {lean}° with the mount turned {turned:.0f}° from plain forward tilt, counter-clockwise seen "
            "from behind",
            {"lean": f"{math.degrees(lean):.{scale_digits(optic.lens.tilt_scale_deg)}f}", "turned": turned % 360.0},
        ),
        tilt_rad=signed,
        rotation_rad=rotation if lean > 0.0 else 0.0,
    )


def _both(optic: Optic, body: Body, axis: Vector, lens_share: float) -> Dial:
    orders = {"lens_order": optic.lens.tilt_order, "back_order": body.back_order}
    exact = share_between_standards(axis, lens_share=lens_share, **orders)
    set_to = ViewCameraSetting(
        exact.bed_tilt_rad,
        exact.bed_swing_rad,
        _on_scale(exact.lens_tilt_rad, optic.lens.tilt_scale_deg, optic.lens_tilt_deg),
        _on_scale(exact.lens_swing_rad, optic.lens.tilt_scale_deg, optic.lens_tilt_deg),
        _on_scale(exact.back_tilt_rad, body.angle_scale_deg, optic.back_tilt_deg),
        _on_scale(exact.back_swing_rad, body.angle_scale_deg, optic.back_tilt_deg),
        exact.back_yaw_rad,
    )
    unchanged = optic.lens.tilt_scale_deg == 0.0 and body.angle_scale_deg == 0.0
    return Dial(
        axis if unchanged else geometry_of(set_to, **orders),
        Sentence(
            "point the camera {down:.2f}° down and {right:.2f}° right of the picture's own view; back tilt "
            "{back_tilt}°, swing {back_swing}°; lens tilt {tilt}°, swing {swing}°; roll the "
            "camera {yaw:+.2f}° to keep the horizon",
            {
                "down": math.degrees(set_to.bed_tilt_rad),
                "right": math.degrees(set_to.bed_swing_rad),
                "back_tilt": _signed(set_to.back_tilt_rad, body.angle_scale_deg),
                "back_swing": _signed(set_to.back_swing_rad, body.angle_scale_deg),
                "tilt": _signed(set_to.lens_tilt_rad, optic.lens.tilt_scale_deg),
                "swing": _signed(set_to.lens_swing_rad, optic.lens.tilt_scale_deg),
                "yaw": math.degrees(set_to.back_yaw_rad),
            },
        ),
        tilt_rad=set_to.lens_tilt_rad,
        swing_rad=set_to.lens_swing_rad,
        back_tilt_rad=set_to.back_tilt_rad,
        back_swing_rad=set_to.back_swing_rad,
    )


def _back_in_place(optic: Optic, body: Body, axis: Vector) -> Dial:
    """The back alone, on a camera that stays: the lens's axis lies along the bed, and the sensor turns under it."""
    # From the sensor the bed is seen the other way round, and the movement that rides is the other one.
    other: Order = "tilt rides" if body.back_order == "swing rides" else "swing rides"
    tilt, swing = (
        _on_scale(-angle, body.angle_scale_deg, optic.back_tilt_deg) for angle in settings_for_direction(axis, other)
    )
    unchanged = body.angle_scale_deg == 0.0
    return Dial(
        axis if unchanged else _vector(back_matrix(tilt, swing, body)[:, 2]),
        Sentence(
            "back tilt {tilt}°, swing {swing}°, {order}; the lens stays upright and the camera as it stands",
            {
                "tilt": _signed(tilt, body.angle_scale_deg),
                "swing": _signed(swing, body.angle_scale_deg),
                "order": Sentence(_order(body.back_order)),
            },
        ),
        back_tilt_rad=tilt,
        back_swing_rad=swing,
    )


def back_matrix(tilt_rad: float, swing_rad: float, body: Body) -> Floats:
    """Rows right, up and forward of a tilted back, in the frame of the camera's bed, (3, 3)."""
    return standard_matrix(tilt_rad=tilt_rad, swing_rad=swing_rad, order=body.back_order)


def _vector(values: object) -> Vector:
    x, y, z = (float(v) for v in values)  # type: ignore[attr-defined]
    return x, y, z
