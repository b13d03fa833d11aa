"""The best stop by the least contrast alone, against all contrasts of all marks at all stops."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from verispect.optics.criterion import Criterion, Rule
from verispect.plan.solve.stop_choice import _least_contrast, choose_stop

STOPS = 2.0 ** (np.arange(2, 10, 1 / 3) / 2)[:, None]


@given(
    st.floats(5.0, 150.0),
    st.floats(0.001, 0.01),
    st.sampled_from([None, 450.0, 550.0, 650.0]),
    st.lists(st.floats(-9.0, -0.5), min_size=1, max_size=8),
)
def test_the_stop_is_that_of_all_contrasts_also_among_ripples(frequency, pixel, wavelength, blurs) -> None:
    criterion = Criterion(
        rule=Rule.WAVE, frequency=frequency, contrast_floor=0.2, pixel_mm=pixel, wavelength_nm=wavelength
    )
    blur = 4.0 * np.exp(np.array(blurs)) / STOPS
    full = np.asarray(criterion.contrast(blur, STOPS))
    softness = criterion.softness(blur, STOPS)
    least = _least_contrast(criterion, blur, STOPS, 0.0, 0.0)
    by_all, by_least = choose_stop(criterion, softness, full), choose_stop(criterion, softness, least)
    assert full[by_least].min() >= full[by_all].min() - 1e-12
    # Where it is more than ripples it is the least contrast itself.
    told = least[:, 0] > 0.13 * criterion.pixel_contrast
    assert np.allclose(least[told, 0], full[told].min(axis=1), atol=1e-9)
