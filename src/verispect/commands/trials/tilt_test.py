"""`verispect tilt-test`: how far a lens really tilts, from a run of focus over a wall."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import (
    DONE,
    above_zero,
    offer_keeping,
    parser,
    plan_and_lens,
    progress,
    tell,
    write_with_lens,
)
from verispect.errors import FileError


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens, --scale and --out keep what the scale is off by in that lens."""
    options_of = parser("tilt-test", "How far a lens really tilts, from a run of focus over a wall.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument("--scale", type=float, metavar="DEG", help="what the tilt scale reads, forward positive")
    options_of.add_argument("--focal", type=above_zero("--focal"), metavar="MM", help="where no lens tells it")
    options_of.add_argument("--sensor", type=above_zero("--sensor"), metavar="MM",
                            help="its longer side, where no plan tells it")  # fmt: skip
    options_of.add_argument("--from", dest="from_m", type=above_zero("--from", infinite=True), metavar="D1",
                            help="first focus, m from the sensor, where the frames do not tell")  # fmt: skip
    options_of.add_argument("--to", dest="to_m", type=above_zero("--to", infinite=True), metavar="D2")
    offer_keeping(options_of)
    options = options_of.parse_args(given)
    from verispect.prove.trials.tilt_test import kept_in_lens, sensor_of, tilt_test

    if options.scale is not None and not -45.0 < options.scale < 45.0:
        raise FileError("--scale {deg:g}: within 45 degrees either way", deg=options.scale)
    if (options.from_m is None) != (options.to_m is None):
        raise FileError("give both --from and --to, or neither")
    plan, lens = plan_and_lens(options)
    if options.out is not None and options.scale is None:
        raise FileError("--out needs --scale: what did the tilt scale read?")
    focal = options.focal or (None if lens is None else lens.only_focal_mm)
    longer = options.sensor or (None if plan is None else max(plan.kit.body.sensor_mm))
    if longer is None:
        raise FileError("give --sensor, its longer side in mm, or --plan")
    found = tilt_test(
        options.frames, focal_mm=focal, sensor_mm=sensor_of(options.frames, longer),
        ends_m=None if options.from_m is None else (options.from_m, options.to_m),
        separation_mm=0.0 if lens is None else lens.principal_separation_mm, progress=progress(options.quiet),
    )  # fmt: skip
    off = None if options.scale is None else found.tilt_deg - options.scale
    if options.out is not None and plan is not None and lens is not None:
        write_with_lens(plan, lens, kept_in_lens(found, options.scale), options.out, force=options.force)
    told = {
        "format": "verispect-tilt-test",
        "version": 1,
        "tilt_deg": found.tilt_deg,
        "swing_deg": found.swing_deg,
        "plus_minus_deg": found.plus_minus_deg,
        "scale_zero_deg": off,
        "corner_um": found.corner_um,
        "places": found.blocks,
    }
    lines = [
        f"the lens leans {found.tilt_deg:+.2f}° forward and {found.swing_deg:+.2f}° to the right, ± "
        f"{found.plus_minus_deg:.2f}°, by {found.blocks} places of the wall"
    ]
    if off is not None:
        lines.append(f"where its scale reads 0 it tilts by {off:+.2f}°")
    if not math.isclose(found.corner_um, 0.0, abs_tol=5.0):
        lines.append(f"in the corner the best focus lies {found.corner_um:+.0f} µm from the middle's")
    tell(told, "\n".join(lines), as_json=options.json)
    return DONE
