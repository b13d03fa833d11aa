"""`verispect step-test`: what one unit of a body's focus-step number moves the focus by."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import (
    DONE,
    above_zero,
    offer_keeping,
    parser,
    plan_and_lens,
    tell,
    whole,
    write_with_lens,
)
from verispect.errors import FileError


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens and --out keep it in that lens."""
    options_of = parser("step-test", "What one unit of a body's focus-step number moves the focus by.")
    options_of.add_argument("pictures", type=Path, nargs="*", metavar="FRAME", help="of the run; or --from and --to")
    options_of.add_argument("--stop", type=above_zero("--stop"), required=True, metavar="N")
    options_of.add_argument("--step", type=above_zero("--step"), required=True, metavar="K", help="the step number")
    options_of.add_argument("--frames", type=whole("--frames", 2, 100_000), metavar="M")
    options_of.add_argument("--from", dest="from_m", type=above_zero("--from", infinite=True), metavar="D1",
                            help="first focus, m from the sensor; inf for infinity; beside frames one end "
                                 "will do")  # fmt: skip
    options_of.add_argument("--to", dest="to_m", type=above_zero("--to", infinite=True), metavar="D2")
    options_of.add_argument("--focal", type=above_zero("--focal"), required=True, metavar="F", help="mm")
    options_of.add_argument("--circle", type=above_zero("--circle"), metavar="MM", help="circle of confusion")
    offer_keeping(options_of)
    options = options_of.parse_args(given)
    from verispect.prove.trials.step_test import from_distances, from_frames

    plan, lens = plan_and_lens(options)
    circle = options.circle
    if circle is None and plan is None:
        raise FileError("give --circle, such as 0.03, or --plan, from whose print it follows")
    if circle is None:
        assert plan is not None
        circle = plan.criterion(plan.whole_focal_mm).disc_mm
    separation = 0.0 if lens is None else lens.principal_separation_mm
    if options.pictures:
        found = from_frames(
            options.pictures, stop=options.stop, step=options.step, focal_mm=options.focal, circle_mm=circle,
            lens=lens, frames=options.frames, ends_m=(options.from_m, options.to_m),
        )  # fmt: skip
    elif options.from_m is None or options.to_m is None or options.frames is None:
        raise FileError("give --from, --to and --frames, or the frames of the run")
    else:
        found = from_distances(
            options.from_m, options.to_m, stop=options.stop, step=options.step, frames=options.frames,
            focal_mm=options.focal, circle_mm=circle, separation_mm=separation,
        )  # fmt: skip
    if options.out is not None and plan is not None and lens is not None:
        kept = {"per_step_of_depth": found.per_step_of_depth, "plus_minus": found.plus_minus, "circle_mm": circle}
        write_with_lens(plan, lens, {"focus_step": kept}, options.out, force=options.force)
    told = {
        "format": "verispect-step-test",
        "version": 1,
        "per_step_of_depth": found.per_step_of_depth,
        "plus_minus": found.plus_minus,
        "focus_increment_mm_image_side": found.increment_mm,
        "focus_increment_plus_minus_mm": found.increment_plus_minus_mm,
        "circle_mm": circle,
        "how": found.how,
        "taken_no_nearer_m": found.no_nearer_m,
    }
    text = (
        f"one unit of the step number is {found.per_step_of_depth:.3f} ± {found.plus_minus:.3f} of the depth of "
        f"focus at f/{options.stop:g} ({1000.0 * found.increment_mm:.2f} µm at the sensor), by {found.how}"
    )
    if found.no_nearer_m is not None:
        text += (
            f"; as if nothing nearer than {found.no_nearer_m:.2f} m had been focused on: with --from or --to, one "
            "end's distance, it is surer"
        )
    tell(told, text, as_json=options.json)
    return DONE
