"""Everything that test frames of one lens tell: sharpness by stop, centring, colour fringes, how the focus bends."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from verispect.kit.lens import Lens
from verispect.optics.otf import Lights
from verispect.prove.intake import described
from verispect.prove.taken_in.folders import frames_in
from verispect.prove.trials.bend_test import Bend, bend_rows, bend_test
from verispect.prove.trials.corners import Corners, corners_of
from verispect.prove.trials.lens_test import LensTest, beside_others, lens_test, measured_frames, residual_rows


@dataclass(frozen=True)
class LensReport:
    """What was found; `corners` is of the widest stop, `bends` empty where no stop has a run of focus."""

    test: LensTest
    corners: Corners | None
    bends: tuple[Bend, ...]


def lens_report(
    places: Sequence[Path],
    *,
    lights: Lights,
    pitch_mm: float | None = None,
    focal_mm: float | None = None,
    separation_mm: float = 0.0,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> LensReport:
    """Measure.

    Raises
    ------
    FileError
        As `lens_test` and `bend_test` do.
    """
    found = lens_test(places, lights=lights, pitch_mm=pitch_mm, progress=lambda share, t: progress(0.6 * share, t))
    frames = [described(path) for path in frames_in(places)]
    bends: tuple[Bend, ...] = ()
    focal = focal_mm or frames[0].focal_mm
    if focal is not None:
        bends = bend_test(
            frames, focal_mm=focal, sensor_long_mm=found.pitch_mm * max(frames[0].pixels),
            separation_mm=separation_mm, progress=lambda share, text: progress(0.6 + 0.3 * share, text),
        )  # fmt: skip
    corners = corners_of(measured_frames(places)[0])
    progress(1.0, "measured")
    return LensReport(found, corners, bends)


def kept_in_lens(found: LensReport, lens: Lens, focal_mm: float | None = None) -> dict[str, object]:
    """What a lens keeps of it."""
    kept: dict[str, object] = {"residual": beside_others(lens, residual_rows(found.test, focal_mm))}
    rows: dict[str, list[dict[str, Any]]] = bend_rows(found.bends) if found.bends else {}
    return kept | {key: value for key, value in rows.items() if value}


def report_lines(found: LensReport) -> list[str]:
    """The rest beside the table of stops, in words."""
    lines = [f"best in the {zone}: f/{stop:g}" for zone, stop in found.test.best_stop.items()]
    corners = found.corners
    if corners is not None:
        lines.append(
            f"centring, by {corners.how}: the {corners.softest} corner lies {100.0 * corners.softer_by:.0f} ± "
            f"{100.0 * corners.plus_minus:.0f} % below the corners' mean"
        )
        if corners.red_px is not None and corners.blue_px is not None and corners.fringe_plus_minus_px is not None:
            lines.append(
                f"colour fringes in the corners: red {corners.red_px:+.2f}, blue {corners.blue_px:+.2f} ± "
                f"{corners.fringe_plus_minus_px:.2f} px farther out than green"
            )
    for bend in found.bends:
        lines.append(
            f"f/{bend.f_number:g}: best focus in the corner {bend.corner_um:+.0f} ± {bend.corner_plus_minus_um:.0f} "
            f"µm from the middle's, the middle's {bend.shift_um:+.0f} ± {bend.shift_plus_minus_um:.0f} µm from the "
            "widest stop's"
        )
    return lines
