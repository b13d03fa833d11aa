"""The aperture series of ISO 517: exact stops are powers of √2, thirds powers of 2^(1/6)."""

from __future__ import annotations

import math

import numpy as np

from verispect.optics.types import Floats

_MARKED = {
    0: "1", 1: "1.1", 2: "1.2", 3: "1.4", 4: "1.6", 5: "1.8", 6: "2", 7: "2.2", 8: "2.5", 9: "2.8",
    10: "3.2", 11: "3.5", 12: "4", 13: "4.5", 14: "5", 15: "5.6", 16: "6.3", 17: "7.1", 18: "8", 19: "9",
    20: "10", 21: "11", 22: "13", 23: "14", 24: "16", 25: "18", 26: "20", 27: "22", 28: "25", 29: "29",
    30: "32", 31: "36", 32: "40", 33: "45", 34: "51", 35: "57", 36: "64", 37: "72", 38: "80", 39: "90",
}  # fmt: skip


def third_stop_index(f_number: float) -> int:
    """Number of the third-stop nearest to a marked or exact f-number; 0 is f/1, 18 is f/8."""
    return round(6.0 * math.log2(f_number))


def exact_stop(index: int) -> float:
    """Exact f-number of a third-stop: 2^(index/6).

    Examples
    --------
    >>> round(exact_stop(21), 3)
    11.314
    """
    return float(2.0 ** (index / 6.0))


def stops_between(widest: float, smallest: float) -> Floats:
    """Exact third-stops of a lens whose range is marked `widest` to `smallest`, both included.

    Examples
    --------
    >>> stops_between(3.5, 5.6).round(3).tolist()
    [3.564, 4.0, 4.49, 5.04, 5.657]
    """
    first, last = third_stop_index(widest), third_stop_index(smallest)
    return np.array([exact_stop(k) for k in range(first, last + 1)])


def marked(f_number: float) -> str:
    """The number engraved for an exact stop: 11.314 is marked 11."""
    index = third_stop_index(f_number)
    return _MARKED.get(index, f"{exact_stop(index):.2g}")
