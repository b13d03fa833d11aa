"""Writes the tables anew that come with the program."""

from __future__ import annotations

import numpy as np

from verispect.optics.allowed_blur import KEPT_TABLES, coefficients_of
from verispect.optics.otf import PEAK_NM, WHITE_LIGHT

if __name__ == "__main__":
    one_colour = ((PEAK_NM * 1e-6, 1.0),)
    np.savez(KEPT_TABLES, one_colour=coefficients_of(one_colour), white_light=coefficients_of(WHITE_LIGHT))
