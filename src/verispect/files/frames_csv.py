"""The frame list as CSV: UTF-8, a header with units, one line a frame."""

from __future__ import annotations

import csv
import io
import math

from verispect.files.csv_text import as_text
from verispect.plan.explain.frame_table import COLUMNS, FrameRow, frame_rows, in_work_order
from verispect.plan.methods.candidate import Candidate


def frames_to_csv(candidate: Candidate) -> str:
    """The frames of a method; an infinite distance is written `inf`."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([column.csv_title for column in COLUMNS])
    for row in in_work_order(frame_rows(candidate)):
        writer.writerow([_cell(row, column.key) for column in COLUMNS])
    return out.getvalue()


def _cell(row: FrameRow, key: str) -> str:
    value = getattr(row, key)
    if not isinstance(value, float):
        return as_text(str(value))
    if math.isnan(value):
        return ""
    # Zero has no sign in a table: −0.0 + 0.0 is 0.0.
    return "inf" if math.isinf(value) else f"{value + 0.0:.6g}"
