"""What a lens frames at its closest: from one picture of a ruler, by two places on it that are so far apart."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

from verispect.errors import FileError
from verispect.kit.lens import Lens
from verispect.prove.intake import described

Place = tuple[float, float]

# A click is sure to so many pixels of the picture as it is shown, about 1000 across; a ruler to so much of itself.
_CLICK_SHARE, _RULER_SHARE = 0.001, 0.002
_LEAST_SHARE = 0.1


@dataclass(frozen=True)
class CloseTest:
    """The magnification, almost surely within its ± (95 %), and how far the two places are apart in the frame."""

    magnification: float
    plus_minus: float
    apart_px: float


def close_test(path: Path, *, ends: tuple[Place, Place], apart_mm: float, sensor_long_mm: float) -> CloseTest:
    """Measure.

    Parameters
    ----------
    ends : two of (row, column)
        In pixels of the frame.
    apart_mm : float
        Between them on the ruler, which lies square to the view.

    Raises
    ------
    FileError
        For what is no picture, and places too near one another to tell.
    """
    frame = described(path)
    longer = max(frame.pixels)
    apart_px = math.dist(*ends)
    if apart_px < _LEAST_SHARE * longer:
        raise FileError(
            "{path}: the places lie {px:.0f} px apart; at least {least:.0f} are needed", path=path, px=apart_px,
            least=_LEAST_SHARE * longer,
        )  # fmt: skip
    found = apart_px * sensor_long_mm / longer / apart_mm
    sure = math.hypot(math.sqrt(2.0) * _CLICK_SHARE * longer / apart_px, _RULER_SHARE)
    return CloseTest(found, found * sure, apart_px)


def kept_in_lens(found: CloseTest, lens: Lens) -> dict[str, object]:
    """What a lens keeps: the magnification, and where it moves out as a whole the distance that belongs to it."""
    kept: dict[str, object] = {"closest_magnification": round(found.magnification, 4)}
    sure = {**lens.plus_minus, "closest_magnification": round(found.plus_minus, 4)}
    if lens.focusing == "extension" and lens.focal_mm[0] == lens.focal_mm[1] and lens.closest_from == "sensor":
        # From the sensor: f (1 + m) behind the lens, f (1 + 1/m) before it, and what its principal points lie apart.
        m, focal = found.magnification, lens.focal_mm[0]
        away = focal * (2.0 + m + 1.0 / m) + lens.principal_separation_mm
        kept["closest_m"] = round(away / 1000.0, 4)
        sure["closest_m"] = round(focal * abs(1.0 - 1.0 / m**2) * found.plus_minus / 1000.0, 4)
    return kept | {"plus_minus": sure}
