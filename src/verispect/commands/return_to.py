"""`verispect return`: how the camera stands against where it stood, and what brings it back."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.invocation import DONE, FAILED, parser, read_plan_of, tell, whole, worked_method
from verispect.errors import FileError

_MOVED, _TURNED = ("right", "up", "forward"), ("right", "up", "clockwise")


def run(given: Sequence[str]) -> int:
    """Measure and print; 1 where it does not stand as it stood."""
    options_of = parser("return", "How the camera stands against where it stood.", pictures=True)
    options_of.add_argument("then", type=Path, metavar="THEN", help="a frame of before")
    options_of.add_argument("now", type=Path, metavar="NOW", help="the same frame taken again")
    options_of.add_argument("--plan", type=Path, required=True, metavar="PLAN", help="whose surfaces tell the depth")
    options_of.add_argument("--method", metavar="KEY")
    options_of.add_argument("--frame", type=whole("--frame", 1, 100_000), default=1, metavar="N",
                            help="which of the method's frames both are")  # fmt: skip
    options_of.add_argument("--depth", type=Path, metavar="F.ply", help="points as merge --ply wrote them")
    options = options_of.parse_args(given)
    from verispect.prove.returning import return_pose

    candidate = worked_method(options.plan, read_plan_of(options.plan), options.method)
    if options.frame > candidate.frame_count:
        raise FileError("--frame {number}: {method} has {count} frames", number=options.frame,
                        method=candidate.method.name, count=candidate.frame_count)  # fmt: skip
    points = None
    if options.depth is not None:
        from verispect.files.scans.placement import Placing
        from verispect.files.scans.scan_file import read_scan
        from verispect.subject.scan import unpacked

        cloud = read_scan(options.depth, Placing()).cloud
        points = unpacked(cloud.points, cloud.count)
    found = return_pose(options.then, options.now, candidate.scene, candidate.exposures[options.frame - 1],
                        points_m=points)  # fmt: skip
    told = {
        "format": "verispect-return",
        "version": 1,
        "moved_mm": dict(zip(_MOVED, found.moved_mm.tolist(), strict=True)),
        "moved_plus_minus_mm": dict(zip(_MOVED, found.moved_plus_minus_mm.tolist(), strict=True)),
        "turned_deg": dict(zip(_TURNED, found.turned_deg.tolist(), strict=True)),
        "turned_plus_minus_deg": dict(zip(_TURNED, found.turned_plus_minus_deg.tolist(), strict=True)),
        "features": found.features,
        "residual_px": found.residual_px,
        "says": [str(line) for line in found.says],
    }
    lines = [f"{line}" for line in found.says]
    lines.append(f"by {found.features} things, {found.residual_px:.2f} px of the looked-at size left")
    tell(told, "\n".join(lines), as_json=options.json)
    return DONE if found.is_back else FAILED
