"""What lies under the lines of a drawing as a picture: the softness field, and the points of scans.

Laid out when something changes, never while painting.
"""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QColor, QImage

from verispect.optics.types import Bools, Floats
from verispect.ui.controls.theme import Theme
from verispect.ui.drawings.view import View

# The field is reckoned at places so many pixels apart.
_COARSE_PX = 6
# Above 1 the bands are told by stripes that lie closer the softer it is.
_BANDS = (1.0, 2.0, 4.0, 8.0)
_STRIPES_PX = (8, 6, 4, 3)

Counts = np.ndarray[tuple[int, int], np.dtype[np.int64]]
Rgba = np.ndarray[tuple[int, int, int], np.dtype[np.uint8]]


def field_places(view: View, apart_px: int = _COARSE_PX) -> Floats:
    """Drawing places (rows, columns, 2), rows from the top, at which a field is reckoned."""
    left, right, top, bottom = view.area
    columns = max(int((right - left) / apart_px), 2)
    rows = max(int((bottom - top) / apart_px), 2)
    x = view.box[0] + (np.arange(columns) + 0.5) / columns * (view.box[1] - view.box[0])
    y = view.box[3] - (np.arange(rows) + 0.5) / rows * (view.box[3] - view.box[2])
    return np.stack(np.meshgrid(x, y), axis=-1)


def blank(view: View) -> Rgba:
    """Nothing yet, in the pixels of a view's area."""
    left, right, top, bottom = view.area
    return np.zeros((max(int(bottom - top), 1), max(int(right - left), 1), 4), np.uint8)


def with_field(view: View, softness: Floats, theme: Theme) -> Rgba:
    """A picture of a view's area with a field on it, reckoned at every second pixel each way."""
    whole = blank(view)
    rows, columns = whole.shape[:2]
    half = np.zeros(((rows + 1) // 2, (columns + 1) // 2, 4), np.uint8)
    put_field(half, softness, theme)
    return half.repeat(2, axis=0).repeat(2, axis=1)[:rows, :columns].copy()


def put_field(picture: Rgba, softness: Floats, theme: Theme) -> None:
    """Paint a field: even where it is sharp enough, striped where not, with a line at 1.

    Parameters
    ----------
    softness : ndarray, shape (rows, columns)
        At `field_places`; NaN where nothing is seen.
    """
    rows, columns = picture.shape[:2]
    known = ~np.isnan(softness)
    logs = np.log2(np.clip(np.nan_to_num(softness, nan=1.0, posinf=99.0), 0.05, 99.0))
    # What is not seen must not tell on what lies beside it.
    share = _stretched(known.astype(float), rows, columns)
    fine = _stretched(np.where(known, logs, 0.0), rows, columns) / np.maximum(share, 1e-6)
    seen = share > 0.5
    sharp, ink = QColor(theme.sharp).getRgb()[:3], QColor(theme.ink).getRgb()[:3]
    # The sharper, the denser the one hue; nothing is told by hue alone.
    depth = np.clip(-fine / 4.0, 0.0, 1.0)
    _blend(picture, seen & (fine <= 0.0), sharp, (70 + 110 * depth).astype(np.uint8))
    row, column = np.indices((rows, columns))
    for low, high, apart in zip(_BANDS, (*_BANDS[1:], np.inf), _STRIPES_PX, strict=True):
        band = seen & (fine > np.log2(low)) & (fine <= np.log2(high))
        _blend(picture, band & ((row + column) % apart == 0), ink, 70)
    edge = np.zeros((rows, columns), bool)
    over = fine > 0.0
    edge[:, 1:] |= (over[:, 1:] != over[:, :-1]) & seen[:, 1:] & seen[:, :-1]
    edge[1:] |= (over[1:] != over[:-1]) & seen[1:] & seen[:-1]
    _blend(picture, edge, ink, 220)


def _stretched(values: Floats, rows: int, columns: int) -> Floats:
    """A coarse grid at every pixel, straight between its places."""
    y = np.clip((np.arange(rows) + 0.5) / rows * values.shape[0] - 0.5, 0, values.shape[0] - 1)
    x = np.clip((np.arange(columns) + 0.5) / columns * values.shape[1] - 0.5, 0, values.shape[1] - 1)
    y0, x0 = y.astype(int), x.astype(int)
    y1, x1 = np.minimum(y0 + 1, values.shape[0] - 1), np.minimum(x0 + 1, values.shape[1] - 1)
    ty, tx = (y - y0)[:, None], (x - x0)[None]
    upper = values[y0][:, x0] * (1 - tx) + values[y0][:, x1] * tx
    lower = values[y1][:, x0] * (1 - tx) + values[y1][:, x1] * tx
    found: Floats = upper * (1 - ty) + lower * ty
    return found


def _blend(picture: Rgba, where: Bools, hue: tuple[int, ...], alpha: Rgba | int) -> None:
    picture[where, :3] = hue
    picture[where, 3] = alpha[where] if isinstance(alpha, np.ndarray) else alpha


def heaped(view: View, places: Floats) -> Counts:
    """How many of some places (P, 2) of the drawing fall on each pixel of a view's area."""
    rows, columns = blank(view).shape[:2]
    px = view.to_px(places)
    column, row = (px[:, 0] - view.area[0]).astype(int), (px[:, 1] - view.area[2]).astype(int)
    inside = (column >= 0) & (column < columns) & (row >= 0) & (row < rows)
    counted = np.bincount(row[inside] * columns + column[inside], minlength=rows * columns)
    return counted.reshape(rows, columns)


def put_dots(picture: Rgba, heap: Counts, theme: Theme) -> None:
    """A dot on each pixel on which something fell; the more, the darker."""
    hue = QColor(theme.ink).getRgb()[:3]
    _blend(picture, heap > 0, hue, np.clip(60 + 25 * heap, 0, 200).astype(np.uint8))


def put_spots(picture: Rgba, view: View, places: Floats, softness: Floats, theme: Theme) -> None:
    """Samples of areas: small squares, filled where sharp enough, hollow where not."""
    rows, columns = picture.shape[:2]
    px = view.to_px(places)
    sharp, ink = QColor(theme.sharp).getRgb()[:3], QColor(theme.ink).getRgb()[:3]
    for (x, y), soft in zip(px.tolist(), softness.tolist(), strict=True):
        column, row = int(x - view.area[0]), int(y - view.area[2])
        if not (2 <= column < columns - 3 and 2 <= row < rows - 3):
            continue
        square = picture[row - 1 : row + 2, column - 1 : column + 2]
        if soft <= 1.0:
            square[..., :3], square[..., 3] = sharp, 150
        else:
            square[..., :3], square[..., 3] = ink, 150
            picture[row, column, 3] = 0


def as_image(picture: Rgba) -> QImage:
    """The picture for Qt; it keeps its own copy."""
    rows, columns = picture.shape[:2]
    content = np.ascontiguousarray(picture).tobytes()
    return QImage(content, columns, rows, 4 * columns, QImage.Format.Format_RGBA8888).copy()
