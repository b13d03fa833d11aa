"""What a window lets leak from frequency to frequency, against noise of a known spectrum and blurs of known discs."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.special import j1

from verispect.prove.softness.rings import RingNet

SIDE = 65


def test_every_ring_is_made_of_what_lies_about_it() -> None:
    net = RingNet(SIDE, 2.0)
    assert net.mixing[net.counted].sum(axis=1) == pytest.approx(1.0)
    assert np.all(net.mixing >= 0.0)
    come_from = net.mixing[net.counted] @ net.fine
    assert np.abs(come_from - net.frequencies[net.counted]).max() < 0.5 / SIDE


@pytest.mark.parametrize("blur_px", [3.0, 5.0])
def test_a_blurred_ring_holds_what_the_mixing_says(blur_px: float) -> None:
    """Noise whose power falls with the square of frequency, two hundred blocks of it, sharp and behind a disc."""
    big = 1024
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(big), np.fft.fftfreq(big)))
    frequency[0, 0] = 1.0
    spectrum = np.fft.fft2(np.random.default_rng(4).normal(size=(big, big))) / frequency
    pixel = np.sinc(np.fft.fftfreq(big))[:, None] * np.sinc(np.fft.fftfreq(big))
    # What a lens has of its own blur besides, so that nothing of the finest detail passes for noise.
    lens = np.exp(-((frequency / 0.35) ** 2))
    x = np.pi * frequency * blur_px
    blocks = []
    for response in (np.ones_like(x), 2.0 * j1(x) / x):
        picture = np.fft.ifft2(spectrum * pixel * lens * response).real
        cut = picture[: big // SIDE * SIDE, : big // SIDE * SIDE]
        blocks.append(cut.reshape(big // SIDE, SIDE, -1, SIDE).swapaxes(1, 2).reshape(-1, SIDE, SIDE))
    net = RingNet(SIDE, 2.0)
    sharp, soft = (net.seen(part.astype(np.float32)).powers.mean(axis=0)[net.counted] for part in blocks)
    left = np.log(soft / sharp)
    fine, own = (np.pi * at * blur_px for at in (net.fine, net.frequencies[net.counted]))
    mixed = np.log(net.mixing[net.counted] @ (2.0 * j1(fine) / fine) ** 2)
    unmixed = np.log((2.0 * j1(own) / own) ** 2)
    # As far as the model is trusted: two nepers.
    known = mixed > -2.0
    assert known.sum() >= 5
    assert np.abs(left - mixed)[known].max() < 0.08
    assert np.abs(left - mixed)[known].mean() < 0.5 * np.abs(left - unmixed)[known].mean()
