"""A lens from what is printed on it: `24-70 mm 1:4`, `90 mm f/2.8 macro`; all else is what such lenses usually are.

The guesses are from memory and wide; `Lens.typical` names them, until somebody types or measures the figure.
"""

from __future__ import annotations

import math
import re
from itertools import pairwise
from typing import Any

from verispect.errors import VerispectError
from verispect.kit.lens import Lens

_NUMBER = r"(\d+(?:[.,]\d+)?)"
_SPAN = rf"{_NUMBER}(?:\s*[-–—]\s*{_NUMBER})?"
# A second figure of a stop from here on is the smallest stop, below it the widest at the long end.
_SMALLEST_FROM = 10.0
# Most lenses that tilt shift as well.
_TILTS, _SHIFTS = re.compile("tilt|swing"), re.compile("shift|tilt")
# Ratio of the pupils by focal length, mm, on a camera that needs room behind the lens.
_PUPILS = ((15.0, 2.3), (24.0, 1.8), (35.0, 1.3), (50.0, 1.05), (85.0, 0.85), (135.0, 0.65), (300.0, 0.5))
_PUPIL_SHARE, _FOCAL_PERCENT, _STOP_STOPS = 0.3, 3.0, 0.15
_TILT_DEG, _SHIFT_MM, _HALF_LONG_MM, _HALF_SHORT_MM = 8.0, 11.0, 18.0, 12.0
# How far off such a guess may well be, as a share of itself; of the tilt in degrees.
_SURE_SHARE = {"image_circle_mm": 0.1, "shift_mm": 0.25, "closest_m": 0.4, "closest_magnification": 0.3}
_TILT_SURE_DEG = 2.0
# Of a lens for sheet film: what its standard allows, and the angle that it covers, from corner to corner.
_SHEET_TILT_DEG, _SHEET_SHIFT_MM, _SHEET_COVERS_DEG = 15.0, 40.0, 72.0


class PrintedError(VerispectError):
    """No lens can be made out."""


def lens_from_print(text: str) -> Lens:
    """The lens of what is printed on it.

    Raises
    ------
    PrintedError
        With what would be right.

    Examples
    --------
    >>> lens = lens_from_print("24–70 mm 1:4")
    >>> lens.focal_mm, lens.f_numbers, "closest_m" in lens.typical
    ((24.0, 70.0), (4.0, 22.0), True)
    """
    words = " ".join(text.split())
    stop, rest = _stop_of(words)
    focal = _focal_of(rest)
    if focal is None or stop is None:
        raise PrintedError(
            "{text!r}: write the focal length and the widest stop as they stand on the lens, such as 24-70 mm f/4",
            text=text.strip(),
        )
    known, typical = _guessed(focal, stop, rest.lower())
    sure = {key: usual for key in typical if (usual := usual_plus_minus(key, known.get(key))) > 0.0}
    try:
        return Lens.model_validate({"name": words[:200], **known, "typical": typical, "plus_minus": sure})
    except ValueError as error:
        raise PrintedError(
            "{text!r}: no lens is like that; write it as it stands on the lens, such as 24-70 mm f/4",
            text=text.strip(),
        ) from error


def usual_plus_minus(key: str, value: float | None) -> float:
    """How far off a guess of a figure may well be; 0 for figures that have a ± of their own."""
    if key == "tilt_deg":
        return _TILT_SURE_DEG
    return round(_SURE_SHARE.get(key, 0.0) * (value or 0.0), 3)


def _value(text: str) -> float:
    return float(text.replace(",", "."))


def _stop_of(text: str) -> tuple[tuple[float, float | None] | None, str]:
    """The widest stop, and what it says of another; and the text without them."""
    for pattern in (rf"(?<![a-zA-Z])[fF]\s*/?\s*{_SPAN}", rf"\b1\s*:\s*{_SPAN}", rf"(?<=\d)\s*/\s*{_SPAN}"):
        found = re.search(pattern, text)
        if found is not None:
            stop = (_value(found[1]), _value(found[2]) if found[2] else None)
            return stop, text[: found.start()] + " " + text[found.end() :]
    return None, text


def _focal_of(text: str) -> tuple[float, float] | None:
    found = re.search(rf"{_SPAN}\s*mm\b", text) or re.search(rf"(?<![±\d.,]){_SPAN}(?!\s*(?:°|deg|m\b))", text)
    if found is None:
        return None
    short = _value(found[1])
    return short, _value(found[2]) if found[2] else short


def _guessed(
    focal: tuple[float, float], stop: tuple[float, float | None], words: str
) -> tuple[dict[str, Any], list[str]]:
    """Everything that is known or guessed of the lens, and which of it is guessed."""
    close = any(word in words for word in ("macro", "close-up", "close up"))
    sheet = any(word in words for word in ("large format", "sheet film", "view camera"))
    widest, other = stop
    smallest = other if other is not None and other >= _SMALLEST_FROM else None
    known: dict[str, Any] = {
        "focal_mm": focal,
        "f_numbers": (widest, smallest or (64.0 if sheet else 32.0 if close else 22.0)),
        "pupil_magnification": 1.0 if sheet else round(_pupil(math.sqrt(focal[0] * focal[1])), 2),
        "focal_plus_minus_percent": _FOCAL_PERCENT,
        "stop_plus_minus_stops": _STOP_STOPS,
    }
    typical = ["pupil_magnification", "focal_plus_minus_percent", "stop_plus_minus_stops", "pupil_plus_minus"]
    known["pupil_plus_minus"] = round(_PUPIL_SHARE * known["pupil_magnification"], 2)
    if other is not None and smallest is None:
        ends = zip(focal, (widest, other), strict=True)
        known["by_focal"] = [{"focal_mm": f, "f_numbers": (n, known["f_numbers"][1])} for f, n in ends]
    nearest = re.search(rf"{_NUMBER}\s*m\b", words)
    known["closest_m"] = _value(nearest[1]) if nearest else _closest_m(focal, close=close)
    if nearest is None:
        typical.append("closest_m")
    if close:
        known["closest_magnification"] = 1.0
        typical.append("closest_magnification")
    _guess_movements(known, typical, words, focal[0], sheet=sheet)
    return known, typical


def _guess_movements(known: dict[str, Any], typical: list[str], words: str, focal: float, *, sheet: bool) -> None:
    tilt = re.search(rf"{_NUMBER}\s*(?:°|deg)", words)
    shift = re.search(rf"(?:±\s*{_NUMBER}\s*mm|shift\s*{_NUMBER}\s*mm|{_NUMBER}\s*mm\s*shift)", words)
    if sheet or tilt or _TILTS.search(words):
        known["tilt_deg"] = _value(tilt[1]) if tilt else (_SHEET_TILT_DEG if sheet else _TILT_DEG)
        typical += [] if tilt else ["tilt_deg"]
    if sheet or shift or _SHIFTS.search(words):
        told = next((part for part in shift.groups() if part), None) if shift else None
        known["shift_mm"] = _value(told) if told else (_SHEET_SHIFT_MM if sheet else _SHIFT_MM)
        typical += [] if told else ["shift_mm"]
    if sheet:
        known["image_circle_mm"] = round(2.0 * focal * math.tan(math.radians(0.5 * _SHEET_COVERS_DEG)))
    elif "shift_mm" in known:
        known["image_circle_mm"] = round(2.0 * math.hypot(_HALF_LONG_MM + known["shift_mm"], _HALF_SHORT_MM))
    if "image_circle_mm" in known:
        typical.append("image_circle_mm")


def _closest_m(focal: tuple[float, float], *, close: bool) -> float:
    if close:
        # At life size object and image lie 2 f from the principal points.
        return round(0.004 * focal[1], 3)
    if focal[1] > 1.02 * focal[0]:
        return 0.4 if focal[1] <= 80.0 else 1.2
    return round(max(0.2, 0.01 * focal[0]), 2)


def _pupil(focal: float) -> float:
    if focal <= _PUPILS[0][0]:
        return _PUPILS[0][1]
    for (a, p), (b, q) in pairwise(_PUPILS):
        if focal <= b:
            return p + (q - p) * math.log(focal / a) / math.log(b / a)
    return _PUPILS[-1][1]
