"""`verispect recycle-test`: how long a flash takes until it is full again."""

from __future__ import annotations

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
    tell,
)


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan and --out keep it as the plan's time between flashes."""
    options_of = parser("recycle-test", "How long a flash takes until it is full again.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument(
        "--within", type=above_zero("--within"), default=0.1, metavar="STOPS", help="what is full"
    )
    options_of.add_argument("--fps", type=above_zero("--fps"), metavar="N", help="frames a second, where all alike")
    offer_keeping_in_kit(options_of)
    options = options_of.parse_args(given)
    from verispect.prove.trials.recycle_test import kept_in_kit, recycle_test

    may_keep_in_kit(options)
    found = recycle_test(options.frames, within_stops=options.within, frames_per_s=options.fps,
                         progress=progress(options.quiet))  # fmt: skip
    keep_in_kit(options, lambda kit: kept_in_kit(found, kit))
    told = {
        "format": "verispect-recycle-test",
        "version": 1,
        "recycle_s": found.recycle_s,
        "plus_minus_s": found.plus_minus_s,
        "within_stops": found.within_stops,
        "always_full": found.always_full,
        "frames": [
            {"file": name, "at_s": float(at), "stops": float(stops), "full": bool(full)}
            for name, at, stops, full in zip(found.files, found.times_s, found.stops, found.full, strict=True)
        ],
    }
    if found.always_full:
        text = f"full after every wait; the shortest was {found.recycle_s:.2f} s: fire faster to find the least"
    else:
        text = f"full again within {found.within_stops:g} stop after {found.recycle_s:.2f} s, at the most "
        text += f"{found.plus_minus_s:.2f} s sooner"
    tell(told, text, as_json=options.json)
    return DONE
