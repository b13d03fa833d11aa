"""From an edge's measured contrast to the disc that would blur as much, pixel and diffraction taken off."""

from __future__ import annotations

import math

import numpy as np

from verispect.optics.otf import Lights, disc_mtf, polychromatic_otf
from verispect.prove.softness.edges import Edge

HALF = 0.5
_HALVINGS = 60


def mtf50_cycles_per_mm(edge: Edge, pitch_mm: float) -> float | None:
    """The frequency on the sensor at which the whole system, its pixel with it, leaves half the contrast."""
    found = edge.frequency_of(HALF)
    return None if found is None else found / pitch_mm


def own_contrast(
    frequency: float, *, pitch_mm: float, working_f_number: float, lights: Lights, angle_deg: float
) -> float:
    """What diffraction and the pixel alone leave at a frequency, cycles/mm, across an edge at an angle."""
    lean = math.radians(angle_deg)
    pixel = np.sinc(frequency * pitch_mm * math.cos(lean)) * np.sinc(frequency * pitch_mm * math.sin(lean))
    optical = polychromatic_otf(np.array([frequency * working_f_number]), np.zeros(1), lights)[0]
    return float(optical * pixel)


def disc_of_mtf50(
    frequency: float, *, pitch_mm: float, working_f_number: float, lights: Lights, angle_deg: float = 5.0
) -> float:
    """Diameter, mm, of the disc with which the whole system leaves half the contrast at a frequency, cycles/mm.

    0 where diffraction and the pixel leave no more than half of it by themselves.
    """
    own = own_contrast(
        frequency, pitch_mm=pitch_mm, working_f_number=working_f_number, lights=lights, angle_deg=angle_deg
    )
    if own <= HALF:
        return 0.0
    wanted = HALF / own
    low, high = 0.0, 3.8317  # first zero of 2 J1(x)/x
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        if float(disc_mtf(np.array([middle]))[0]) > wanted:
            low = middle
        else:
            high = middle
    return low / (math.pi * frequency)


def disc_of_edge(edge: Edge, *, pitch_mm: float, working_f_number: float, lights: Lights) -> float | None:
    """The disc of an edge, mm; None where its contrast does not sink to half below one cycle a pixel."""
    frequency = mtf50_cycles_per_mm(edge, pitch_mm)
    if frequency is None:
        return None
    return disc_of_mtf50(
        frequency, pitch_mm=pitch_mm, working_f_number=working_f_number, lights=lights, angle_deg=edge.angle_deg
    )
