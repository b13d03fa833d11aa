"""How a picture lies in its file against how it is looked at: the orientation that Exif tells (CIPA DC-008)."""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

_Pixels = TypeVar("_Pixels", bound=np.generic)

# Orientations that lay the picture on its side.
ON_ITS_SIDE = (5, 6, 7, 8)
# What undoes each: a quarter turn the other way, and all else itself.
_BACK = {6: 8, 8: 6}


def upright(pixels: NDArray[_Pixels], orientation: int) -> NDArray[_Pixels]:
    """Pixels (rows, columns, …) as a file has them, as the picture is looked at."""
    if orientation not in range(2, 9):
        return pixels
    import cv2

    kinds = {3: cv2.ROTATE_180, 6: cv2.ROTATE_90_CLOCKWISE, 8: cv2.ROTATE_90_COUNTERCLOCKWISE}
    stored: Any = np.asarray(pixels)
    if orientation in kinds:
        found = cv2.rotate(stored, kinds[orientation])
    elif orientation in (2, 4):
        found = cv2.flip(stored, 1 if orientation == 2 else 0)
    else:
        found = cv2.transpose(stored if orientation == 5 else cv2.rotate(stored, cv2.ROTATE_180))
    return np.asarray(found, pixels.dtype)


def laid_back(pixels: NDArray[_Pixels], orientation: int) -> NDArray[_Pixels]:
    """The same the other way: as a file of that orientation has them."""
    return upright(pixels, _BACK.get(orientation, orientation))


def size_upright(size: tuple[int, int], orientation: int) -> tuple[int, int]:
    """Width and height of a picture as it is looked at."""
    return (size[1], size[0]) if orientation in ON_ITS_SIDE else size
