"""`verispect lens-test`: what a lens resolves by stop, from test frames of one target."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.commands.invocation import (
    DONE,
    offer_keeping,
    parser,
    plan_and_lens,
    progress,
    tell,
    write_with_lens,
)

if TYPE_CHECKING:
    from verispect.kit.lens import Lens
    from verispect.prove.trials.lens_test import LensTest


def run(given: Sequence[str]) -> int:
    """Measure, print, and with --plan, --lens and --out keep the blur in that lens."""
    options_of = parser("lens-test", "Contrast and blur of a lens by stop: middle, half-way, corners.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    offer_keeping(options_of)
    options_of.add_argument("--focal", type=float, metavar="MM",
                            help="of a zoom: the focal length tested; what is known of others stays")  # fmt: skip
    options = options_of.parse_args(given)
    from verispect.optics.otf import PEAK_NM
    from verispect.prove.trials.lens_test import lens_test

    plan, lens = plan_and_lens(options)
    lights = ((PEAK_NM * 1e-6, 1.0),) if plan is None else plan.criterion(plan.whole_focal_mm).lights
    found = lens_test(options.frames, lights=lights, pitch_mm=None if plan is None else plan.kit.body.pixel_mm,
                      progress=progress(options.quiet))  # fmt: skip
    if options.out is not None and plan is not None and lens is not None:
        write_with_lens(
            plan,
            lens,
            {"residual": _beside_others(lens, residual_rows(found, options.focal))},
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


def _beside_others(lens: Lens, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """New rows, and those the lens has for other focal lengths of a zoom."""
    focal = rows[0].get("focal_mm") if rows else None
    if focal is None:
        return rows
    others = [row.model_dump(mode="json") for row in lens.residual if row.focal_mm not in (focal, None)]
    return [*others, *rows]


def residual_rows(found: LensTest, focal_mm: float | None = None) -> list[dict[str, Any]]:
    """The lens's own blur as the plan keeps it: by stop, in the middle and in the corner; what was not told as the
    zone nearest to it.
    """
    rows = []
    for stop in sorted({row.f_number for row in found.stops}):
        by_zone = {row.zone.value: row.blur_um for row in found.stops if row.f_number == stop}
        centre = by_zone.get("middle", by_zone.get("half", by_zone.get("corner", 0.0)))
        corner = by_zone.get("corner", by_zone.get("half", centre))
        row = {"f_number": stop, "centre_um": round(centre, 2), "corner_um": round(corner, 2)}
        rows.append(row if focal_mm is None else row | {"focal_mm": focal_mm})
    return rows
