"""Where a real lens is sharpest against an ideal one: curvature of field, and focus that shifts with the stop."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from verispect.optics.types import Floats


@dataclass(frozen=True)
class FocusBend:
    """Best focus against that on the axis at the widest stop, in mm at the sensor, positive away from the lens.

    Attributes
    ----------
    corner_mm : float
        Image height that counts as full: half the sensor's diagonal.
    curvature : tuple of (f_number, half_mm, full_mm)
        By stop, at half and at full image height against the axis at that stop.
    shift : tuple of (f_number, axis_mm)
        By stop, on the axis against the widest stop.
    """

    corner_mm: float
    curvature: tuple[tuple[float, float, float], ...] = ()
    shift: tuple[tuple[float, float], ...] = ()

    def away_mm(self, height_mm: Floats | float, f_number: float) -> Floats:
        """How much farther from the lens the best focus lies at image heights and a stop.

        Parameters
        ----------
        height_mm : ndarray, shape (...)
            Distance of the image from the lens's axis.
        f_number : float

        Returns
        -------
        ndarray, shape (...)
            mm; straight between the rows in the logarithm of the stop and level beyond them, across the picture
            a h² + b h⁴ through the two measured heights (third and fifth order: Welford, Aberrations of Optical
            Systems, 1986, from memory); beyond the corner as at the corner.

        Examples
        --------
        >>> bend = FocusBend(20.0, curvature=((4.0, -0.01, -0.04),))
        >>> bend.away_mm(np.array([10.0, 20.0]), 5.6).round(3).tolist()
        [-0.01, -0.04]
        """
        share = np.minimum(np.asarray(height_mm, dtype=float) / self.corner_mm, 1.0) ** 2
        found: Floats = np.zeros(share.shape)
        stop = np.log2(f_number)
        if self.curvature:
            rows = sorted(self.curvature)
            at = np.log2([row[0] for row in rows])
            half, full = (float(np.interp(stop, at, [row[k] for row in rows])) for k in (1, 2))
            second = (16.0 * half - full) / 3.0
            found = share * (second + share * (full - second))
        if self.shift:
            by_stop = sorted(self.shift)
            found = found + np.interp(stop, np.log2([row[0] for row in by_stop]), [row[1] for row in by_stop])
        return found
