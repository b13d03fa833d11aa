"""Camera raws of one set are developed alike: with one white balance, whatever the camera thought of each frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from verispect.errors import FileError
from verispect.prove.intake import RAWS, Frame


def developed_alike(frames: Sequence[Frame]) -> list[Frame]:
    """The frames with the white balance of the first raw that tells one; all else of developing is alike anyway."""
    raws = [frame for frame in frames if _is_raw(frame)]
    if len(raws) < 2:
        return list(frames)
    white = next((found for frame in raws if (found := _white_of(frame.path)) is not None), None)
    return [replace(frame, white=white) if _is_raw(frame) else frame for frame in frames]


def developed_dict(frames: Sequence[Frame]) -> dict[str, Any] | None:
    """As JSON: the factors of red, green, blue and the second green; None where no raw was developed with others."""
    white = next((frame.white for frame in frames if frame.white is not None), None)
    return None if white is None else {"white_balance": list(white)}


def _is_raw(frame: Frame) -> bool:
    return frame.path.suffix.lower() in RAWS


def _white_of(path: Path) -> tuple[float, ...] | None:
    """The factors that the camera noted, over green's."""
    import rawpy

    try:
        with rawpy.imread(str(path)) as raw:
            told = [float(factor) for factor in raw.camera_whitebalance]
    except rawpy.LibRawError:
        return None
    except OSError as error:
        raise FileError("{path}: cannot be read: {why}", path=path, why=error.strerror or error) from error
    if min(told[:3]) <= 0.0:
        return None
    red, green, blue, other = told
    return red / green, 1.0, blue / green, (other / green if other > 0.0 else 1.0)
