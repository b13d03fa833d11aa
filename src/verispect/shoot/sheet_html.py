"""The field sheet as one self-contained page for a phone: offline, ticks stay, text is text and never markup."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Sequence
from importlib.resources import files

from verispect.optics.exposure_time import shutter_words
from verispect.plan.explain.frame_table import FrameRow, Quantity, frame_rows, in_work_order, shown_columns
from verispect.plan.explain.work_order import cautions, steps
from verispect.plan.methods.candidate import Candidate
from verispect.plan.setting.report import settings_of
from verispect.plan.setting.words import in_words
from verispect.sentence import capital
from verispect.shoot.checks import checks
from verispect.shoot.light import light_at, lux_words


def sheet_html(candidate: Candidate, *, drawings: Sequence[str] = ()) -> str:
    """The page of one method; `drawings` are SVG made by this program."""
    from jinja2 import Environment

    text = files("verispect.shoot").joinpath("templates/sheet.html").read_text(encoding="utf-8")

    plan = candidate.scene.plan
    columns = shown_columns(candidate)
    rows = in_work_order(frame_rows(candidate))
    first = rows[0]
    frames = counted(candidate)
    title = plan.title or "Untitled plan"
    page = Environment(autoescape=True, trim_blocks=True).from_string(text)
    return page.render(
        title=title,
        key=hashlib.sha256(f"{title}{candidate.key}{rows}".encode()).hexdigest()[:16],
        method=candidate.method.name,
        count=frames,
        lens=f"{first.lens} at {first.focal_mm:.4g} mm, f/{first.stop}",
        minutes=f"{max(candidate.time_on_site_s / 60.0, 1.0):.0f}",
        light=_light_line(candidate),
        notes=[str(note) for note in candidate.notes],
        drawings=list(drawings),
        checks=[f"{line}." for line in map(str, checks(candidate))],
        hand=_in_hand(candidate),
        steps=[f"{line}." for line in map(str, steps(candidate))],
        heads=[str(column.title) for column in columns],
        rows=[[cell_text(row, column.key, column.quantity) for column in columns] for row in rows],
        kit=_kit_lines(candidate),
        cautions=[str(line) for line in cautions()],
    )


def counted(candidate: Candidate) -> str:
    """How many frames, and how often each is taken."""
    frames = "1 frame" if candidate.frame_count == 1 else f"{candidate.frame_count} frames"
    shots = candidate.shot_count
    return frames if shots == candidate.frame_count else f"{frames}, {shots} shots"


def _in_hand(candidate: Candidate) -> list[tuple[str, list[str]]]:
    """What is set by hand beside the table, part by part."""
    return [
        (str(title), [f"{capital(str(line))}." for line in lines])
        for title, lines in in_words(settings_of(candidate))
    ]


def _light_line(candidate: Candidate) -> str:
    site = candidate.scene.plan.site
    if site is None or site.from_ is None:
        return ""
    row = light_at(site, site.from_)
    return (
        f"{row.utc}: Sun {row.sun_altitude_deg:.1f}° high at {row.sun_azimuth_deg:.0f}°, {lux_words(row.lux)} lx, "
        f"light changes by {60 * row.drift_stops_per_min:+.1f} stops an hour"
    )


def _kit_lines(candidate: Candidate) -> list[str]:
    kit = candidate.scene.plan.kit
    found = [kit.body.name or "Body", *sorted({exposure.lens.name for exposure in candidate.exposures}), "Tripod"]
    if candidate.method.turns:
        found.append("Head that turns about the entrance pupil")
    if candidate.method.on_rail:
        found.append("Focusing rail")
    found += ["Cable or remote", "Cloth for the dark frame"]
    return found


def cell_text(row: FrameRow, key: str, quantity: Quantity) -> str:
    """One cell, metric."""
    value = getattr(row, key)
    if quantity is Quantity.ANGLE:
        digits = row.tilt_digits if key in ("tilt_deg", "swing_deg") else 1
        rounded = round(value, digits)
        return f"{rounded:+.{digits}f}°" if rounded else f"{0.0:.{digits}f}°"
    if quantity is Quantity.MOVEMENT:
        return f"{value:+.1f} mm" if round(value, 1) else "0.0 mm"
    if quantity is Quantity.TRAVEL:
        return f"{value:.3f} mm"
    if quantity is Quantity.DISTANCE and math.isnan(value):
        return "–"
    if quantity is Quantity.DISTANCE:
        return "∞" if value == float("inf") else f"{value * 1000:.0f} mm" if value < 0.5 else f"{value:.2f} m"
    if quantity is Quantity.STOP:
        return f"f/{value}"
    return shutter_words(value) if quantity is Quantity.TIME else str(value)
