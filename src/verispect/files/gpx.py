"""Waypoints of GPX 1.1 as marks, and marks as waypoints."""

from __future__ import annotations

import math
import xml.etree.ElementTree as ET

from pydantic import ValidationError

from verispect.errors import FileError
from verispect.files.marks_csv import MOST_BYTES, TableRead, complaint
from verispect.plan.document import Plan
from verispect.plan.entry.measured_mark import MapPlace
from verispect.sentence import Sentence
from verispect.subject.mark import Mark
from verispect.subject.measuring import to_map

_SPACE = "http://www.topografix.com/GPX/1/1"


def marks_from_gpx(content: bytes, plan: Plan, *, name: str) -> TableRead:
    """Every waypoint as a mark seen from the plan's site; one without an elevation lies on the camera's ground.

    Raises
    ------
    FileError
        If the file is no GPX.
    PlanError
        If the plan has no site.
    """
    if len(content) > MOST_BYTES:
        raise FileError(
            "{name}: {size} bytes; at most {MOST_BYTES} are read", name=name, size=len(content), MOST_BYTES=MOST_BYTES
        )
    if b"<!ENTITY" in content or b"<!DOCTYPE" in content:
        raise FileError("{name}: a GPX file has no document type of its own; export it anew", name=name)
    try:
        root = ET.fromstring(content)
    except ET.ParseError as error:
        raise FileError("{name}: this is no whole GPX file: {error}", name=name, error=error) from None
    if not root.tag.endswith("gpx"):
        raise FileError(
            "{name}: found <{tag}>; a GPX file begins with <gpx>", name=name, tag=root.tag.rsplit("}", 1)[-1]
        )
    ground = plan.site.elevation_m if plan.site is not None else 0.0
    marks: list[Mark] = []
    complaints: list[Sentence] = []
    for number, point in enumerate((p for p in root.iter() if p.tag.rsplit("}", 1)[-1] == "wpt"), start=1):
        said = {child.tag.rsplit("}", 1)[-1]: (child.text or "").strip() for child in point}
        try:
            way = MapPlace.model_validate(
                {
                    "name": said.get("name", "")[:200],
                    "latitude_deg": point.get("lat"),
                    "longitude_deg": point.get("lon"),
                    "elevation_m": said.get("ele") or ground,
                }
            )
            marks.append(way.mark(plan))
        except ValidationError as error:
            complaints.append(complaint("waypoint {number}, {key}: found {found!r}; {right}", number, error))
    return TableRead(tuple(marks), tuple(complaints))


def marks_to_gpx(plan: Plan) -> bytes:
    """Marks as waypoints of GPX 1.1.

    Raises
    ------
    FileError
        If the plan has no site.
    """
    site = plan.site
    if site is None:
        raise FileError("the plan has no site; say where the camera stands before marks can be put on a map")
    ET.register_namespace("", _SPACE)
    root = ET.Element(f"{{{_SPACE}}}gpx", version="1.1", creator="Verispect")
    for mark in plan.marks:
        latitude, longitude, elevation = to_map(
            (mark.x_m, mark.y_m, mark.z_m),  # type: ignore[arg-type]
            camera_latitude_deg=site.latitude_deg,
            camera_longitude_deg=site.longitude_deg,
            ground_m=site.elevation_m,
            away_azimuth_rad=math.radians(site.away_azimuth_deg),
        )
        point = ET.SubElement(root, f"{{{_SPACE}}}wpt", lat=f"{latitude:.8f}", lon=f"{longitude:.8f}")
        ET.SubElement(point, f"{{{_SPACE}}}ele").text = f"{elevation:.3f}"
        ET.SubElement(point, f"{{{_SPACE}}}name").text = mark.name
    content: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return content
