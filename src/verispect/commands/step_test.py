"""`verispect step-test`: what one unit of a body's focus-step number moves the focus by."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from verispect.commands.invocation import DONE, parser, read_plan_of, tell, whole
from verispect.errors import FileError

if TYPE_CHECKING:
    from verispect.kit.lens import Lens
    from verispect.plan.document import Plan


def _above_zero(name: str, *, infinite: bool = False) -> Callable[[str], float]:
    def read(text: str) -> float:
        try:
            value = float(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"{name} takes a number, not {text!r}") from None
        if not value > 0.0 or (math.isinf(value) and not infinite):
            raise argparse.ArgumentTypeError(f"{name} must be above 0, not {text!r}")
        return value

    return read


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens and --out keep it in that lens."""
    options_of = parser("step-test", "What one unit of a body's focus-step number moves the focus by.")
    options_of.add_argument("pictures", type=Path, nargs="*", metavar="FRAME", help="of the run; or --from and --to")
    options_of.add_argument("--stop", type=_above_zero("--stop"), required=True, metavar="N")
    options_of.add_argument("--step", type=_above_zero("--step"), required=True, metavar="K", help="the step number")
    options_of.add_argument("--frames", type=whole("--frames", 2, 100_000), metavar="M")
    options_of.add_argument("--from", dest="from_m", type=_above_zero("--from", infinite=True), metavar="D1",
                            help="first focus, m from the sensor; inf for infinity")  # fmt: skip
    options_of.add_argument("--to", dest="to_m", type=_above_zero("--to", infinite=True), metavar="D2")
    options_of.add_argument("--focal", type=_above_zero("--focal"), required=True, metavar="F", help="mm")
    options_of.add_argument("--circle", type=_above_zero("--circle"), metavar="MM", help="circle of confusion")
    options_of.add_argument("--plan", type=Path, metavar="PLAN")
    options_of.add_argument("--lens", metavar="NAME")
    options_of.add_argument("--out", type=Path, metavar="F", help="the plan with the step kept in the lens")
    options_of.add_argument("--force", action="store_true", help="write over what is there")
    options = options_of.parse_args(given)
    from verispect.prove.trials.step_test import from_distances, from_frames

    plan = None if options.plan is None else read_plan_of(options.plan)
    lens = None if plan is None or options.lens is None else lens_named(plan, options.lens, options.plan)
    if options.out is not None and lens is None:
        raise FileError("--out needs --plan and --lens: in which lens is the step to be kept?")
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
            pupil_magnification=1.0 if lens is None else lens.pupil_magnification, separation_mm=separation,
            frames=options.frames,
        )  # fmt: skip
    elif options.from_m is None or options.to_m is None or options.frames is None:
        raise FileError("give --from, --to and --frames, or the frames of the run")
    elif options.from_m == options.to_m:
        raise FileError("--from and --to are the same: the focus did not move; give the two ends of the run")
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
    }
    text = (
        f"one unit of the step number is {found.per_step_of_depth:.3f} ± {found.plus_minus:.3f} of the depth of "
        f"focus at f/{options.stop:g} ({1000.0 * found.increment_mm:.2f} µm at the sensor), by {found.how}"
    )
    tell(told, text, as_json=options.json)
    return DONE


def lens_named(plan: Plan, name: str, path: Path) -> Lens:
    """The lens of a plan's kit by its name."""
    for lens in plan.kit.lenses:
        if lens.name == name:
            return lens
    have = ", ".join(lens.name for lens in plan.kit.lenses) or "none"
    raise FileError("{path}: no lens is called {name!r}; the kit has {have}", path=path, name=name, have=have)


def write_with_lens(plan: Plan, lens: Lens, changed: dict[str, object], out: Path, *, force: bool) -> None:
    """Write a plan in which a lens has something new."""
    from verispect.files.picture_out import not_over
    from verispect.files.plan_file import write_plan
    from verispect.kit.lens import Lens as LensModel

    not_over(out, force=force)
    new = LensModel.model_validate(lens.model_dump(mode="json") | changed)
    lenses = tuple(new if own is lens else own for own in plan.kit.lenses)
    write_plan(plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": lenses})}), out)
