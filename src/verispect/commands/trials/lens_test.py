"""`verispect lens-test`: what a lens resolves by stop, from test frames of one target."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from dataclasses import asdict
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

# As the plan's lenses have it.
_LONGEST_MM = 5000.0


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens and --out keep the blur in that lens."""
    options_of = parser("lens-test", "Contrast and blur of a lens by stop: middle, half-way, corners.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="*", metavar="FOLDER|FRAME")
    options_of.add_argument("--chart", type=Path, metavar="F.pdf", help="write a chart to print, and measure nothing")
    options_of.add_argument("--paper", choices=("a4", "a3", "a2", "a1", "a0"), default="a4")
    offer_keeping(options_of)
    options_of.add_argument("--focal", type=above_zero("--focal"), metavar="MM",
                            help="of a zoom: the focal length tested; what is known of others stays")  # fmt: skip
    options = options_of.parse_args(given)
    if options.focal is not None and options.focal > _LONGEST_MM:
        raise FileError("--focal {focal:g}: no more than {most:g} mm", focal=options.focal, most=_LONGEST_MM)
    if options.chart is not None:
        return _chart(options)
    if not options.frames:
        raise FileError("name the test frames or their folder, or --chart for a chart to photograph")
    from verispect.optics.otf import PEAK_NM
    from verispect.prove.trials.lens_report import kept_in_lens, lens_report, report_lines

    plan, lens = plan_and_lens(options)
    lights = ((PEAK_NM * 1e-6, 1.0),) if plan is None else plan.criterion(plan.whole_focal_mm).lights
    report = lens_report(
        options.frames, lights=lights, pitch_mm=None if plan is None else plan.kit.body.pixel_mm,
        focal_mm=options.focal or (None if lens is None else lens.only_focal_mm),
        separation_mm=0.0 if lens is None else lens.principal_separation_mm, progress=progress(options.quiet),
    )  # fmt: skip
    found, corners = report.test, report.corners
    if options.out is not None and plan is not None and lens is not None:
        kept = kept_in_lens(report, lens, options.focal)
        write_with_lens(plan, lens, kept, options.out, force=options.force)
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
        "centring": None
        if corners is None
        else {
            "of_mean": corners.sharpness,
            "softest": corners.softest,
            "softer_by": corners.softer_by,
            "plus_minus": corners.plus_minus,
            "how": corners.how,
        },
        "fringes_px": None
        if corners is None or corners.red_px is None
        else {
            "red": corners.red_px,
            "blue": corners.blue_px,
            "plus_minus": corners.fringe_plus_minus_px,
        },
        "bends": [asdict(bend) for bend in report.bends],
    }
    lines = [
        f"f/{row.f_number:<5g} {row.zone.value:<7} {row.mtf50:6.1f} ± {row.plus_minus:.1f} cycles/mm   blur "
        f"{row.blur_um:5.1f} ± {row.blur_plus_minus_um:.1f} µm   by {row.looks} {row.how}"
        for row in found.stops
    ]
    lines += report_lines(report)
    tell(told, "\n".join(lines), as_json=options.json)
    return DONE


def _chart(options: argparse.Namespace) -> int:
    from verispect.files.picture_out import not_over
    from verispect.ui.paper.without_window import write_chart

    not_over(options.chart, force=options.force)
    write_chart(options.chart, options.paper)
    tell({"format": "verispect-lens-test", "version": 1, "chart": str(options.chart)},
         f"{options.chart} written; print it at its own size", as_json=options.json)  # fmt: skip
    return DONE
