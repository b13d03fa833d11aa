"""`verispect pupil-test`: where a lens turns without parallax, and the field it really sees."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable, Sequence
from pathlib import Path

from verispect.commands.invocation import (
    DONE,
    above_zero,
    offer_keeping,
    parser,
    plan_and_lens,
    tell,
    write_with_lens,
)
from verispect.errors import FileError


def _patch(name: str) -> Callable[[str], tuple[float, float, float | None]]:
    """`row,column[,size]`, for argparse."""

    def read(text: str) -> tuple[float, float, float | None]:
        parts = text.split(",")
        try:
            values = [float(part) for part in parts]
        except ValueError:
            values = []
        if len(values) not in (2, 3) or not all(math.isfinite(value) and value >= 0.0 for value in values):
            raise argparse.ArgumentTypeError(f"{name} takes row,column or row,column,size in pixels, not {text!r}")
        return values[0], values[1], values[2] if len(values) == 3 else None

    return read


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens and --out keep it in that lens, or in the head."""
    options_of = parser(
        "pupil-test", "Where a lens turns without parallax, and its field, from two frames.", pictures=True
    )
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FRAME", help="two, the camera turned between")
    for name, what in (("near", "something near"), ("far", "something far")):
        options_of.add_argument(f"--{name}-at", type=_patch(f"--{name}-at"), required=True, metavar="R,C[,SIZE]",
                                help=f"{what} in the first frame")  # fmt: skip
    options_of.add_argument("--near", type=above_zero("--near"), required=True, metavar="M",
                            help="its distance from the axis the camera turns about")  # fmt: skip
    options_of.add_argument("--far", type=above_zero("--far", infinite=True), default=math.inf, metavar="M")
    options_of.add_argument("--turned", type=float, metavar="DEG",
                            help="by the head's scale, right positive: the focal length is measured too")  # fmt: skip
    options_of.add_argument("--focal", type=above_zero("--focal"), metavar="MM", help="where the frames do not tell")
    options_of.add_argument(
        "--slide", type=float, metavar="MM", help="what the slide reads, growing towards the subject"
    )
    options_of.add_argument("--axis-behind-front", type=float, metavar="MM",
                            help="from the lens's front back to the axis; keeps the pupil in the lens")  # fmt: skip
    offer_keeping(options_of)
    options = options_of.parse_args(given)
    from verispect.prove.trials.pupil_test import pupil_test

    for name in ("turned", "slide", "axis_behind_front"):
        value = getattr(options, name)
        if value is not None and not math.isfinite(value):
            raise FileError("--{name} takes a number", name=name.replace("_", "-"))
    if options.turned is not None and not 0.2 <= abs(options.turned) <= 90.0:
        raise FileError("--turned {deg:g}: between 0.2 and 90 degrees either way", deg=options.turned)
    plan, lens = plan_and_lens(options)
    found = pupil_test(
        options.frames, near=options.near_at, far=options.far_at, near_m=options.near, far_m=options.far,
        focal_mm=options.focal or (None if lens is None else lens.only_focal_mm),
        sensor_long_mm=None if plan is None else max(plan.kit.body.sensor_mm), turned_deg=options.turned,
        pupil_magnification=1.0 if lens is None else lens.pupil_magnification,
        separation_mm=0.0 if lens is None else lens.principal_separation_mm,
    )  # fmt: skip
    behind = None if options.axis_behind_front is None else options.axis_behind_front - found.ahead_mm
    slide = None if options.slide is None else options.slide - found.ahead_mm
    if options.out is not None and plan is not None and lens is not None:
        if behind is None:
            raise FileError("--out needs --axis-behind-front: from the front of the lens back to the axis, in mm")
        write_with_lens(plan, lens, {"pupil_behind_front_mm": round(behind, 1)}, options.out, force=options.force)
    told = {
        "format": "verispect-pupil-test",
        "version": 1,
        "pupil_ahead_mm": found.ahead_mm,
        "plus_minus_mm": found.plus_minus_mm,
        "turned_deg": found.turned_deg,
        "focal_mm": found.focal_mm,
        "focal_plus_minus_mm": found.focal_plus_minus_mm,
        "field_deg": found.field_deg,
        "parallax_px": found.parallax_px,
        "slide_mm": slide,
        "pupil_behind_front_mm": behind,
    }
    way = "back" if found.ahead_mm > 0.0 else "forward"
    lines = [
        f"the entrance pupil lies {abs(found.ahead_mm):.1f} ± {found.plus_minus_mm:.1f} mm "
        f"{'ahead of' if found.ahead_mm > 0.0 else 'behind'} the axis: move the camera {way} by as much"
        + ("" if slide is None else f", to {slide:.1f} mm on the slide"),
        f"turned {found.turned_deg:.2f}°, the field is {found.field_deg:.2f}° wide",
    ]
    if found.focal_mm is not None:
        lines.append(f"focal length {found.focal_mm:.2f} ± {found.focal_plus_minus_mm:.2f} mm")
    tell(told, "\n".join(lines), as_json=options.json)
    return DONE
