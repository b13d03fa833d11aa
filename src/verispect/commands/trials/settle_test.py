"""`verispect settle-test`: how long a tripod rings after a touch, from a burst."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import (
    DONE,
    above_zero,
    keep_in_kit,
    may_keep_in_kit,
    offer_keeping_in_kit,
    parser,
    progress,
    read_plan_of,
    tell,
)
from verispect.errors import FileError


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan and --out keep it in the plan's kit."""
    options_of = parser("settle-test", "How long a tripod rings after a touch, from a burst.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument("--within", type=above_zero("--within"), default=0.5, metavar="PX", help="what is still")
    options_of.add_argument("--fps", type=above_zero("--fps"), metavar="N", help="frames a second of the burst")
    options_of.add_argument("--touch-at", type=float, default=0.0, metavar="S", help="after the first frame")
    options_of.add_argument("--focal", type=above_zero("--focal"), metavar="MM", help="where the frames do not tell")
    offer_keeping_in_kit(options_of)
    options = options_of.parse_args(given)
    from verispect.prove.trials.settle_test import kept_in_kit, settle_test

    may_keep_in_kit(options)
    long_mm = None if options.plan is None else max(read_plan_of(options.plan).kit.body.sensor_mm)
    if not math.isfinite(options.touch_at) or options.touch_at < 0.0:
        raise FileError("--touch-at takes seconds after the first frame, from 0")
    found = settle_test(options.frames, within_px=options.within, frames_per_s=options.fps,
                        touch_s=options.touch_at, focal_mm=options.focal, sensor_long_mm=long_mm,
                        progress=progress(options.quiet))  # fmt: skip
    keep_in_kit(options, lambda kit: kept_in_kit(found, kit, options.focal))
    told = {
        "format": "verispect-settle-test",
        "version": 1,
        "settle_s": found.settle_s,
        "plus_minus_s": found.plus_minus_s,
        "within_px": found.within_px,
        "decay_s": found.decay_s if math.isfinite(found.decay_s) else None,
        "swing_hz": found.swing_hz,
        "first_px": found.first_px,
        "frames": [
            {"file": name, "at_s": float(at), "off_px": [float(part) for part in off]}
            for name, at, off in zip(found.files, found.times_s, found.off_px, strict=True)
        ],
    }
    if math.isinf(found.decay_s):
        text = f"nothing swings by more than {found.within_px:g} px: {found.first_px:.2f} px at the most"
    else:
        text = (
            f"still within {found.within_px:g} px after {found.settle_s:.2f} ± {found.plus_minus_s:.2f} s; it swings "
            f"{found.first_px:.1f} px at first, {found.swing_hz:.1f} times a second, and falls to a third in "
            f"{found.decay_s:.2f} s"
        )
    tell(told, text, as_json=options.json)
    return DONE
