"""The unit of a georeferenced LAS or LAZ file, from the record of its coordinate system.

GeoTIFF keys: OGC 19-008r4, ProjLinearUnitsGeoKey 3076; well-known text: OGC 18-010r7, the last UNIT of the
projected system. Codes of units from memory of the EPSG register: 9001 metre, 9002 foot, 9003 US survey foot.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

_PROJECTED_UNIT = 3076
_OF_CODE = {9001: "m", 9002: "ft", 9003: "ft"}
# The US survey foot is 2 parts in a million longer; no mark lies so far off that it would matter.
_FEET = (0.3048, 0.30480061)


def las_unit(path: Path) -> str | None:
    """`m` or `ft`; None where the file does not say, or says degrees or another unit."""
    import laspy

    with laspy.open(path) as reader:
        records = [*reader.header.vlrs, *(reader.evlrs or [])]
    for record in records:
        text = getattr(record, "string", "")
        if text:
            return _from_text(text)
    for record in records:
        for key in getattr(record, "geo_keys", []):
            if key.id == _PROJECTED_UNIT:
                return _OF_CODE.get(_value(key))
    return None


def _value(key: Any) -> int:
    return int(key.value_offset)


def _from_text(text: str) -> str | None:
    """Of `PROJCS[... UNIT["US survey foot", 0.3048...]]` the last unit that is a length of the plane system."""
    at = text.upper().find("PROJ")
    if at < 0:
        return None
    plane = text[at : at + len(text)]
    vertical = plane.upper().find("VERT_CS")
    found = re.findall(r'(?:LENGTH)?UNIT\["[^"]*",\s*([0-9.eE+-]+)', plane[:vertical] if vertical > 0 else plane)
    factors = [float(factor) for factor in found if not 0.0174 < float(factor) < 0.0175]
    if not factors:
        return None
    if abs(factors[-1] - 1.0) < 1e-9:
        return "m"
    return "ft" if min(abs(factors[-1] - foot) for foot in _FEET) < 1e-6 else None
