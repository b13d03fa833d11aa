"""`verispect recycle-test`: how long a flash takes until it is full again."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import DONE, parser, progress, read_plan_of, tell
from verispect.commands.trials.step_test import above_zero
from verispect.errors import FileError


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan and --out keep it as the plan's time between flashes."""
    options_of = parser("recycle-test", "How long a flash takes until it is full again.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument(
        "--within", type=above_zero("--within"), default=0.1, metavar="STOPS", help="what is full"
    )
    options_of.add_argument("--fps", type=above_zero("--fps"), metavar="N", help="frames a second, where all alike")
    options_of.add_argument("--plan", type=Path, metavar="PLAN")
    options_of.add_argument("--out", type=Path, metavar="F", help="write the plan with the time kept in its kit")
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    options = options_of.parse_args(given)
    from verispect.prove.trials.recycle_test import recycle_test

    if options.out is not None and options.plan is None:
        raise FileError("--out needs --plan: in which plan is the result to be kept?")
    found = recycle_test(options.frames, within_stops=options.within, frames_per_s=options.fps,
                         progress=progress(options.quiet))  # fmt: skip
    if options.out is not None:
        from verispect.files.picture_out import not_over
        from verispect.files.plan_file import write_plan

        plan = read_plan_of(options.plan)
        not_over(options.out, force=options.force)
        times = plan.kit.times.model_copy(update={"flash_recycle_s": round(found.recycle_s, 2)})
        write_plan(plan.model_copy(update={"kit": plan.kit.model_copy(update={"times": times})}), options.out)
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
