"""`verispect lens-test`: what a lens resolves by stop, from test frames of one target."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import (
    DONE,
    offer_keeping,
    parser,
    plan_and_lens,
    progress,
    tell,
    write_with_lens,
)
from verispect.commands.trials.step_test import above_zero
from verispect.errors import FileError

# As the plan's lenses have it.
_LONGEST_MM = 5000.0


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens and --out keep the blur in that lens."""
    options_of = parser("lens-test", "Contrast and blur of a lens by stop: middle, half-way, corners.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    offer_keeping(options_of)
    options_of.add_argument("--focal", type=above_zero("--focal"), metavar="MM",
                            help="of a zoom: the focal length tested; what is known of others stays")  # fmt: skip
    options = options_of.parse_args(given)
    if options.focal is not None and options.focal > _LONGEST_MM:
        raise FileError("--focal {focal:g}: no more than {most:g} mm", focal=options.focal, most=_LONGEST_MM)
    from verispect.optics.otf import PEAK_NM
    from verispect.prove.trials.lens_test import beside_others, lens_test, residual_rows

    plan, lens = plan_and_lens(options)
    lights = ((PEAK_NM * 1e-6, 1.0),) if plan is None else plan.criterion(plan.whole_focal_mm).lights
    found = lens_test(options.frames, lights=lights, pitch_mm=None if plan is None else plan.kit.body.pixel_mm,
                      progress=progress(options.quiet))  # fmt: skip
    if options.out is not None and plan is not None and lens is not None:
        write_with_lens(
            plan,
            lens,
            {"residual": beside_others(lens, residual_rows(found, options.focal))},
            options.out,
            force=options.force,
        )
    told = {
        "format": "verispect-lens-test",
        "version": 1,
        "pixel_mm": found.pitch_mm,
        "stops": [
            {
                "f_number": row.f_number,
                "zone": row.zone.value,
                "mtf50_cycles_per_mm": row.mtf50,
                "plus_minus": row.plus_minus,
                "blur_um": row.blur_um,
                "blur_plus_minus_um": row.blur_plus_minus_um,
                "how": row.how,
                "looks": row.looks,
            }
            for row in found.stops
        ],
        "best_stop": found.best_stop,
    }
    lines = [
        f"f/{row.f_number:<5g} {row.zone.value:<7} {row.mtf50:6.1f} ± {row.plus_minus:.1f} cycles/mm   blur "
        f"{row.blur_um:5.1f} ± {row.blur_plus_minus_um:.1f} µm   by {row.looks} {row.how}"
        for row in found.stops
    ]
    lines += [f"best in the {zone}: f/{stop:g}" for zone, stop in found.best_stop.items()]
    tell(told, "\n".join(lines), as_json=options.json)
    return DONE
