"""Names for the array types that the optics take and give."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Bools = npt.NDArray[np.bool_]
Indices = npt.NDArray[np.int64]
Vector = tuple[float, float, float]
