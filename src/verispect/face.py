"""The stable face for Python: plans in, weighings, reports and pictures out; everything raises VerispectError."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from verispect.errors import FileError
from verispect.files.plan_file import read_plan
from verispect.plan.advise.confidence_search import sure_enough
from verispect.plan.advise.weigh import Weighing, advised_of
from verispect.plan.advise.weigh import weigh as _weigh
from verispect.plan.document import Plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import METHOD_KEYS
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene

if TYPE_CHECKING:
    from verispect.prove.join.grid import Joined
    from verispect.prove.merge.series import Merged
    from verispect.prove.report import Report
    from verispect.shoot.light import LightRow

Places = str | Path | Sequence[str | Path]


def load_plan(path: str | Path) -> Plan:
    """Read a `.verispect` file."""
    return read_plan(Path(path))


def weigh(plan: Plan) -> Weighing:
    """Weigh every method of a plan."""
    return _weigh(plan)


def light(plan: Plan, *, every_min: float = 5.0) -> list[LightRow]:
    """Sun, Moon and daylight over the plan's time."""
    from verispect.shoot.light import light_rows

    return light_rows(plan.site, every_min=every_min)


def check(frames: Places, *, plan: Plan | None = None, method: str | None = None) -> Report:
    """Check frames against one another, and against a method of a plan."""
    from verispect.prove.check import check as checked

    return checked(_paths(frames), candidate=None if plan is None else _worked(plan, method))


def merge(frames: Places, *, plan: Plan | None = None, method: str | None = None, proof: bool = False) -> Merged:
    """Merge a focus series."""
    from verispect.prove.merge.series import merge as merged
    from verispect.prove.merge.shots import shots_together

    candidate = None if plan is None else _worked(plan, method)
    with shots_together(_paths(frames), candidate, None, None) as together:
        found = merged(
            together.places,
            as_given=together.as_given,
            exposures=None if candidate is None else candidate.exposures,
            sensor_mm=None if plan is None else plan.sensor_mm,
            proof=proof,
        )
    together.name_shots(found)
    return found


def join(
    frames: Places, *, plan: Plan | None = None, method: str | None = None, projection: str | None = None
) -> Joined:
    """Join a grid by the plan's angles, or by what the frames have in common."""
    from verispect.prove.join.grid import join as joined
    from verispect.prove.join.written import those_there
    from verispect.prove.merge.series import merge as merged
    from verispect.prove.merge.shots import shots_together

    candidate = None if plan is None else _worked(plan, method)
    sensor = None if plan is None else plan.sensor_mm
    with shots_together(_paths(frames), candidate, None, None) as together:
        found = joined(
            together.places,
            as_given=together.as_given,
            **(
                {"exposures": None}
                if candidate is None
                else those_there(candidate.exposures, None, together.exposures)
            ),
            sensor_mm=sensor,
            basis=None if candidate is None else candidate.scene.pose.matrix,
            projection=projection,
            merge_cell=lambda cell, planned: merged(cell, exposures=planned, sensor_mm=sensor).pixels,
        )
    together.name_shots(found, *found.pairs, *found.ghosts)
    found.tell_missing(together.missing)
    return found


def _paths(frames: Places) -> list[Path]:
    return [Path(frames)] if isinstance(frames, str | Path) else [Path(frame) for frame in frames]


def _worked(plan: Plan, method: str | None) -> Candidate:
    key = method or plan.choice.method
    if key is None:
        advised = advised_of(plan)
        if advised is None:
            raise FileError("no method fits this plan's kit")
        return advised
    if key not in METHOD_KEYS:
        raise FileError("method {key!r} is not known; one of {keys}", key=key, keys=", ".join(METHOD_KEYS))
    candidate = sure_enough(worked(key, build_scene(plan)))
    if not candidate.fits:
        raise FileError("{method} does not fit: {why}", method=candidate.method.name, why=candidate.why_not[0])
    return candidate
