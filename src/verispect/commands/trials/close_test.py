"""`verispect close-test`: what a lens frames at its closest, from one picture of a ruler."""

from __future__ import annotations

import argparse
import math
from collections.abc import Sequence
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


def _place(text: str) -> tuple[float, float]:
    try:
        row, column = (float(part) for part in text.split(","))
    except ValueError:
        raise argparse.ArgumentTypeError(f"write row,column in pixels, not {text!r}") from None
    if not (math.isfinite(row) and math.isfinite(column)):
        raise argparse.ArgumentTypeError(f"write row,column in pixels, not {text!r}")
    return row, column


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens and --out keep it in that lens."""
    options_of = parser("close-test", "What a lens frames at its closest, from a picture of a ruler.", pictures=True)
    options_of.add_argument("frame", type=Path, metavar="FRAME")
    options_of.add_argument(
        "--ends", type=_place, nargs=2, required=True, metavar="R,C", help="two places on the ruler"
    )
    options_of.add_argument("--apart", type=above_zero("--apart"), required=True, metavar="MM", help="between them")
    options_of.add_argument("--sensor", type=above_zero("--sensor"), metavar="MM", help="its longer side")
    offer_keeping(options_of)
    options = options_of.parse_args(given)
    from verispect.prove.trials.close_test import close_test, kept_in_lens

    plan, lens = plan_and_lens(options)
    longer = options.sensor or (None if plan is None else max(plan.kit.body.sensor_mm))
    if longer is None:
        raise FileError("give --sensor, its longer side in mm, or --plan")
    first, second = options.ends
    found = close_test(options.frame, ends=(first, second), apart_mm=options.apart, sensor_long_mm=longer)
    if options.out is not None and plan is not None and lens is not None:
        write_with_lens(plan, lens, kept_in_lens(found, lens), options.out, force=options.force)
    told = {
        "format": "verispect-close-test",
        "version": 1,
        "magnification": found.magnification,
        "plus_minus": found.plus_minus,
        "apart_px": found.apart_px,
    }
    wide = longer / found.magnification
    text = f"magnification {found.magnification:.3f} ± {found.plus_minus:.3f}: the longer side takes in {wide:.1f} mm"
    tell(told, text, as_json=options.json)
    return DONE
