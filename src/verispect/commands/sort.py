"""`verispect sort`: frames copied into a folder a set, each with a sidecar; the originals stay as they are."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.commands.check import given_sets, offer_sets, planned, tell_left_aside
from verispect.commands.invocation import parser, progress, tell


def run(given: Sequence[str]) -> int:
    """Check, part into sets, copy."""
    options_of = parser("sort", "Copy frames into a folder a set, named and with a sidecar each.", pictures=True)
    options_of.add_argument("frames", type=Path, nargs="+", metavar="FOLDER|FRAME")
    options_of.add_argument("--into", type=Path, required=True, metavar="FOLDER")
    options_of.add_argument("--name", metavar="PATTERN", help="such as {job}/{set}-{frame:03d}")
    options_of.add_argument("--job", default="", metavar="TEXT", help="the job's name; else the plan's title")
    options_of.add_argument("--plan", type=Path, metavar="PLAN", help="a .verispect plan, or a run.json")
    options_of.add_argument("--method", metavar="KEY")
    options_of.add_argument("--force", action="store_true", help="write over copies that are there")
    offer_sets(options_of)
    options = options_of.parse_args(given)
    from verispect.prove.check import check
    from verispect.prove.intake import described, in_order
    from verispect.prove.resources.threads import allow
    from verispect.prove.sorting import PATTERN, sort_frames
    from verispect.prove.taken_in.folders import frames_in

    allow(options.jobs, options.memory_mb)

    candidate, happened = planned(options.plan, options.method)
    say = progress(options.quiet)
    together = given_sets(options.sets)
    report = check(options.frames, candidate=candidate, run=happened, together=together, progress=say)
    candidate = None if report.without_plan else candidate
    aside = {path for path, _ in report.left_aside}
    taken = [path for path in frames_in(options.frames) if path not in aside]
    sources = [frame.path for frame in in_order([described(path) for path in taken])]
    job = options.job or ("" if candidate is None else candidate.scene.plan.title or "")
    found = sort_frames(sources, report, options.into, pattern=options.name or PATTERN, job=job, candidate=candidate,
                        force=options.force, progress=say)  # fmt: skip
    shots = report.checked
    told = {
        "format": "verispect-sorted",
        "version": 1,
        "sets": [{"frames": [report.paths[k] for k in group.frames], "why_together": list(group.why)}
                 for group in report.sets],
        "copies": [{"from": str(one.source), "to": str(one.copy), "sidecar": str(one.sidecar), "set": frame.set,
                    "place": frame.place, "verdict": frame.verdict}
                   for one, frame in zip(found, shots, strict=True)],
    }  # fmt: skip
    lines = [f"set {number + 1}: {len(group.frames)} frames, {'; '.join(group.why)}"
             for number, group in enumerate(report.sets)]  # fmt: skip
    lines += [f"{one.source.name} → {one.copy}" for one in found]
    tell(told, "\n".join(lines), as_json=options.json)
    return tell_left_aside(report)
