"""Which standard of a camera does the tilting: the lens's, the back's, or both."""

from __future__ import annotations

from enum import StrEnum


class Standards(StrEnum):
    """Who tilts.

    The back alone keeps the picture's perspective where the camera is turned by as much and its back home again;
    where the camera stays as it stands, the back tilts the picture's plane and with it its perspective.
    """

    LENS_FIRST = "lens first"
    LENS = "lens"
    BACK = "back"
    BACK_IN_PLACE = "back in place"
