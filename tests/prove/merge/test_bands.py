"""A merge in bands: every row once, within the memory, and as good as in one piece."""

from __future__ import annotations

import io
import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.prove.merge.posts import FOCUSING, posts_before_a_wall
from verispect.errors import Cancelled
from verispect.prove.merge import final
from verispect.prove.merge.bands import _BEYOND, Band, bands_of, merged_in_bands
from verispect.prove.merge.final import DepthMap

SIZE = (360, 640)


def focused() -> list[np.ndarray]:
    """Three frames of one noise picture (rows, columns, 3), each sharp in another third of the width."""
    import cv2

    rng = np.random.default_rng(5)
    sharp = np.clip(rng.normal(12_000, 5_000, (SIZE[1], SIZE[0], 3)), 0, 32_767).astype(np.float32)
    sharp = cv2.GaussianBlur(sharp, (0, 0), 1.0)
    soft = cv2.GaussianBlur(sharp, (0, 0), 4.0)
    frames = []
    for k in range(3):
        weight = np.zeros((1, SIZE[0], 1), np.float32)
        weight[:, 120 * k : 120 * (k + 1)] = 1.0
        frames.append((sharp * weight + soft * (1 - weight)).astype(np.int16))
    return frames


def merged(frames, bands, passes: int, **more):
    return merged_in_bands(
        bands, SIZE, 3, lambda k, top, bottom: (frames[k][top:bottom], None), passes, 0.5, more.get("focusing"),
        lambda _share, _text: None, more.get("stop", lambda: False),
    )  # fmt: skip


@pytest.mark.parametrize("passes", [1, 2])
def test_three_bands_are_as_good_as_one_piece(passes: int) -> None:
    frames = focused()
    in_one = merged(frames, [Band(0, 640, 0, 640)], passes)
    bands = [Band(0, 192, 0, 384), Band(192, 448, 0, 640), Band(448, 640, 256, 640)]
    in_parts = merged(frames, bands, passes)
    off = np.abs(in_one.pixels.astype(float) - in_parts.pixels)
    # Of a contrast of some 10,000: nothing to be seen, nor where one band passes into the next.
    assert float(off.mean()) < 12.0
    for row in (192, 448):
        assert float(off[row - 4 : row + 4].mean()) < 40.0
    assert in_parts.shares == pytest.approx(in_one.shares, abs=0.02)
    if passes == 2:
        assert in_parts.depth.shape == in_one.depth.shape == (320, 180)
        assert float(np.median(np.abs(in_one.depth - in_parts.depth))) < 0.01


def test_veils_are_taken_off_in_bands_as_in_one_piece() -> None:
    frames, _ = posts_before_a_wall((640, 480), seed=3)
    size, focusing = (480, 640), FOCUSING
    whole, parts = (
        merged_in_bands(
            bands, size, 6, lambda k, top, bottom: (frames[k][top:bottom], None), 2, 0.5, focusing,
            lambda _share, _text: None, lambda: False,
        )
        for bands in ([Band(0, 640, 0, 640)], [Band(0, 320, 0, 512), Band(320, 640, 128, 640)])
    )  # fmt: skip
    assert whole.unveiled > 0.02
    assert parts.unveiled == pytest.approx(whole.unveiled, rel=0.1)
    assert float(np.abs(whole.pixels.astype(float) - parts.pixels).mean()) < 40.0


@given(st.integers(20, 12_000), st.integers(20, 12_000), st.sampled_from([1, 2]), st.integers(300, 20_000))
def test_every_row_is_kept_once_and_bands_know_what_lies_beyond(wide, high, passes, memory) -> None:
    bands = bands_of((wide, high), passes, memory)
    assert [row for band in bands for row in (band.top, band.bottom)] == sorted(
        row for band in bands for row in (band.top, band.bottom)
    )
    assert bands[0].top == 0
    assert bands[-1].bottom == high
    assert all(a.bottom == b.top for a, b in itertools.pairwise(bands))
    for band in bands:
        assert band.first == max(0, band.top - _BEYOND)
        assert band.last == min(high, band.bottom + _BEYOND)
        assert band.first % 2 == 0
    assert len(bands_of((wide, high), passes, 2 * memory)) <= len(bands)


def test_a_small_picture_is_one_band_and_sixty_megapixels_are_a_few() -> None:
    assert len(bands_of((6000, 4000), 2, 2500)) == 1
    assert len(bands_of((9504, 6336), 1, 2500)) == 2
    assert 2 <= len(bands_of((9504, 6336), 2, 2500)) <= 4
    assert len(bands_of((9504, 6336), 2, 2500, unveiling=True)) >= len(bands_of((9504, 6336), 2, 2500))


def test_the_map_of_depth_is_the_same_in_strips(monkeypatch) -> None:
    frames = focused()
    found = []
    for strip in (10**9, 3000):
        monkeypatch.setattr(final, "_STRIP", strip)
        depth = DepthMap(io.BytesIO())
        for frame in frames:
            depth.add(frame, None)
        found.append(depth.settled(0.5))
    assert np.array_equal(found[0], found[1])
    # Sharp in the first third in the first frame, and so on.
    thirds = [float(np.median(found[0][:, a + 15 : a + 45])) for a in (0, 60, 120)]
    assert thirds == pytest.approx([0.0, 1.0, 2.0], abs=0.1)


def test_it_can_be_stopped() -> None:
    with pytest.raises(Cancelled):
        merged(focused(), [Band(0, 640, 0, 640)], 2, stop=lambda: True)


@pytest.mark.parametrize("at", ["between the passes", "at the veils"])
def test_it_can_be_stopped_while_veils_are_looked_for_and_taken_off(monkeypatch, at: str) -> None:
    frames, _ = posts_before_a_wall((300, 300), seed=3)
    stopped, told = [False], []

    def say(_share: float, text: str) -> None:
        told.append(text)
        stopped[0] = stopped[0] or (at == "at the veils" and text.startswith("taking off"))

    really = DepthMap.settled

    def settled(self, smooth):
        stopped[0] = at == "between the passes"
        return really(self, smooth)

    monkeypatch.setattr(DepthMap, "settled", settled)
    with pytest.raises(Cancelled):
        merged_in_bands(
            [Band(0, 300, 0, 300)], (300, 300), 6, lambda k, top, bottom: (frames[k][top:bottom], None), 2, 0.5,
            FOCUSING, say, lambda: stopped[0],
        )  # fmt: skip
    # The second pass was not begun; or all but the rest of the veils was done.
    assert sum("merging frame" in text for text in told) == (6 if at == "between the passes" else 12)
