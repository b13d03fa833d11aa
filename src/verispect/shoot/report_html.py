"""One page of a job for a client: what was planned, shot and proved, self-contained; text is text, never markup."""

from __future__ import annotations

import base64
import math
from collections.abc import Mapping, Sequence
from importlib.resources import files
from typing import Any

from pydantic import ValidationError

from verispect.plan.document import Plan
from verispect.plan.explain.frame_table import frame_rows, in_work_order, shown_columns
from verispect.plan.methods.candidate import Candidate
from verispect.shoot.sheet_html import cell_text, counted

# The little scales go from none to twice what is allowed, over so many pixels.
_WIDE, _MOST = 120.0, 2.0


def report_html(
    check: Mapping[str, Any] | None,
    *,
    plan: Plan | None = None,
    candidate: Candidate | None = None,
    head: Sequence[str] = (),
    pictures: Sequence[tuple[str, bytes]] = (),
    drawings: Sequence[str] = (),
    notes: Sequence[str] = (),
) -> str:
    """The page.

    Parameters
    ----------
    check : mapping, optional
        What `verispect check --json` prints.
    plan, candidate : optional
        What was planned; the candidate's plan where only that is given.
    head, notes : sequence of str
        Lines under the title, and at the end.
    pictures : sequence of (str, bytes)
        Names and small JPEG pictures.
    drawings : sequence of str
        SVG made by this program.
    """
    from jinja2 import Environment

    told = dict(check or {})
    plan = plan if plan is not None or candidate is None else candidate.scene.plan
    columns = [] if candidate is None else shown_columns(candidate)
    text = files("verispect.shoot").joinpath("templates/report.html").read_text(encoding="utf-8")
    page = Environment(autoescape=True, trim_blocks=True).from_string(text)
    needs = {} if plan is None else {mark.name: str(mark.need) for mark in plan.marks}
    marks = [_mark(mark, _need(mark, needs)) for mark in (*_rows(told, "marks"), *_rows(told, "surfaces"))]
    return page.render(
        title=(plan.title if plan is not None else "") or "Untitled plan",
        head=[*([] if candidate is None else [_method_line(candidate)]), *head],
        verdict=verdict_of(told, needs),
        pictures=[(name, base64.b64encode(data).decode("ascii")) for name, data in pictures],
        marks=marks,
        drawings=list(drawings),
        heads=[str(column.title) for column in columns],
        rows=[] if candidate is None else [
            [cell_text(row, column.key, column.quantity) for column in columns]
            for row in in_work_order(frame_rows(candidate))
        ],
        frames=[_frame(frame) for frame in _rows(told, "frames")],
        redo=_lines(told, "redo"),
        notes=[*_lines(told, "advice"), *notes],
    )  # fmt: skip


def entry_html(
    plan: Mapping[str, Any] | None,
    check: Mapping[str, Any] | None,
    *,
    head: Sequence[str] = (),
    picture: bytes | None = None,
    note: str = "",
) -> str:
    """The page of a job in the logbook; a plan that can no longer be read is left out."""
    try:
        known = Plan.model_validate(dict(plan or {}))
    except ValidationError:
        known = None
    pictures = [("", picture)] if picture else []
    return report_html(check, plan=known, head=head, pictures=pictures, notes=[note] if note else [])


def verdict_of(check: Mapping[str, Any], needs: Mapping[str, str]) -> str:
    """How it came out, in one sentence."""
    if not check:
        return "Planned; nothing has been checked yet."
    musts = [
        mark.get("verdict")
        for mark in (*_rows(check, "marks"), *_rows(check, "surfaces"))
        if (_need(mark, needs) or "must") == "must"
    ]
    soft, sharp = musts.count("soft"), musts.count("sharp")
    untold = len(musts) - soft - sharp
    again = " Something is to be done again; see below." if check.get("redo") else ""
    if not musts:
        return f"{len(_rows(check, 'frames'))} frames were checked.{again}"
    rest = f"; of {untold} it cannot be told" if untold else ""
    if soft:
        return f"Of {len(musts)} things that must be sharp {soft} came out soft, {sharp} sharp{rest}.{again}"
    if not sharp:
        return f"Of {len(musts)} things that must be sharp it cannot be told how they came out.{again}"
    whole = (
        "Everything that must be sharp is" if not untold else f"{sharp} of {len(musts)} things that must be sharp are"
    )
    return f"{whole} sharp in the frames{rest}.{again}"


def _rows(told: Mapping[str, Any], key: str) -> list[dict[str, Any]]:
    found = told.get(key)
    return [row for row in found if isinstance(row, dict)] if isinstance(found, list) else []


def _lines(told: Mapping[str, Any], key: str) -> list[str]:
    found = told.get(key)
    return [str(line) for line in found] if isinstance(found, list) else []


def _method_line(candidate: Candidate) -> str:
    first = frame_rows(candidate)[0]
    frames = counted(candidate)
    return f"{candidate.method.name} · {frames} · {first.lens} at {first.focal_mm:.4g} mm, f/{first.stop}"


def _number(value: Any) -> float | None:
    return float(value) if isinstance(value, int | float) and math.isfinite(value) else None


def _need(row: Mapping[str, Any], needs: Mapping[str, str]) -> str:
    """Of a surface its row says it, of a mark the plan."""
    return str(row.get("need") or needs.get(str(row.get("name", "")), ""))


def _mark(mark: Mapping[str, Any], need: str) -> dict[str, Any]:
    softness, unsure, planned = (_number(mark.get(key)) for key in ("softness", "plus_minus", "planned_softness"))
    away, away_unsure = _number(mark.get("distance_m")), _number(mark.get("distance_plus_minus_m"))

    def place(value: float) -> float:
        return round(_WIDE * min(max(value / _MOST, 0.0), 1.0), 1)

    bar = None
    if softness is not None:
        low, high = place(softness - (unsure or 0.0)), place(softness + (unsure or 0.0))
        bar = (low, max(high, low + 2.0))
    return {
        "name": str(mark.get("name", "")),
        "need": need,
        "planned": "–" if planned is None else f"{planned:.2f}",
        "measured": "–" if softness is None else f"{softness:.2f} ± {unsure or 0.0:.2f}",
        "verdict": str(mark.get("verdict", "")).replace("-", " "),
        "away": "–" if away is None else f"{away:.3g} ± {away_unsure or 0.0:.2g} m",
        "bar": bar,
        "tick": None if planned is None else place(planned),
    }


def _frame(frame: Mapping[str, Any]) -> dict[str, str]:
    faults = _rows(frame, "faults")
    return {
        "file": str(frame.get("file") or "(missing)"),
        "verdict": str(frame.get("verdict", "")),
        "says": "; ".join(str(fault.get("says", "")) for fault in faults),
    }
