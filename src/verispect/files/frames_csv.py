"""The frame list as CSV: UTF-8, a header with units, one line a frame."""

from __future__ import annotations

import csv
import io
import math

from verispect.plan.candidate import Candidate
from verispect.plan.frame_list import FrameRow, frame_rows

_COLUMNS = {
    "frame": "number",
    "lens": "lens",
    "focal length [mm]": "focal_mm",
    "stop marked": "stop",
    "f-number": "f_number",
    "exposure time [s]": "shutter_s",
    "focus from sensor [m]": "focus_m",
    "image distance on axis [mm]": "extension_mm",
    "tilt [deg]": "tilt_deg",
    "swing [deg]": "swing_deg",
    "bearing [deg]": "bearing_deg",
    "pitch [deg]": "pitch_deg",
    "cross [mm]": "cross_mm",
    "rise [mm]": "rise_mm",
    "rail [mm]": "rail_mm",
    "allowed blur [mm]": "allowed_blur_mm",
}


def frames_to_csv(candidate: Candidate) -> str:
    """The frames of a method; an infinite distance is written `inf`."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(_COLUMNS)
    for row in frame_rows(candidate):
        writer.writerow([_cell(row, key) for key in _COLUMNS.values()])
    return out.getvalue()


def _cell(row: FrameRow, key: str) -> str:
    value = getattr(row, key)
    if not isinstance(value, float):
        return str(value)
    if math.isnan(value):
        return ""
    return "inf" if math.isinf(value) else f"{value:.6g}"
