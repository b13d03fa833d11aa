"""Edges that only look soft: what one distance cannot explain in all frames accuses nobody."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import j1

from tests.conftest import a_lens, make_plan
from verispect.plan.frames.between import blur_per_defocus, focused_from
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import method_of
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.softness.mark_softness import (
    BY_TWO,
    MarkSoftness,
    _better_cut_off,
    _of_one_distance,
    believed,
    measure,
)
from verispect.prove.softness.ranging import Ranged, ranged
from verispect.prove.verdict import advice


def blur_in(series: Candidate, index: int, sharp_at_mm: float) -> float:
    """Allowed blurs of what is sharp at an image distance."""
    exposure = series.exposures[index]
    away = abs(exposure.state.image_distance_mm - sharp_at_mm)
    return away * blur_per_defocus(exposure) / exposure.allowed_blur_mm


@given(at=st.floats(0.0, 1.0))
def test_an_edge_at_any_distance_is_of_one(series: Candidate, at: float) -> None:
    distances = [exposure.state.image_distance_mm for exposure in series.exposures]
    sharp_at = min(distances) + at * (max(distances) - min(distances))
    edges = [(index, blur_in(series, index, sharp_at), 0.1) for index in (1, 3, 4)]
    assert _of_one_distance(series, edges)


def test_a_stain_as_soft_in_frames_focused_elsewhere_is_not(series: Candidate) -> None:
    assert not _of_one_distance(series, [(2, 1.8, 0.25), (3, 1.9, 0.25)])
    assert _of_one_distance(series, [(2, 1.8, 0.25)])


def stain(width_px: float, seed: int) -> np.ndarray:
    """An edge 8° from the vertical that is soft by itself, in a block of linear light."""
    down, across = np.mgrid[-40:41, -40:41]
    away = across * math.cos(math.radians(8.0)) + down * math.sin(math.radians(8.0))
    light = 0.4 + 0.25 * np.tanh(away / width_px)
    return (light + np.random.default_rng(seed).normal(0.0, 0.002, light.shape)).astype(np.float32)


@pytest.mark.parametrize("frames", [(2, 3), (1, 2, 3)])
def test_so_a_soft_shadow_at_a_mark_is_not_told_as_missed_focus(series: Candidate, frames: tuple[int, ...]) -> None:
    assert series.criterion is not None
    rendering = render(series.scene, series.exposures, series.criterion)
    pitch = series.scene.plan.sensor_mm[0] / 720
    alone = measure(series, rendering, 1, {frames[0]: stain(1.2, 0)}, pitch)
    assert alone.how == "edge"
    assert alone.softness > 1.0
    together = measure(series, rendering, 1, {index: stain(1.2, index) for index in frames}, pitch)
    assert together.verdict == "cannot-say"


def leaf(blur_px: float, seed: int, *, passing: bool = False) -> np.ndarray:
    """Texture out of focus by a disc of so many pixels; before it, in one frame, the sharp edge of what passes by."""
    rng = np.random.default_rng(7)
    down, across = np.meshgrid(np.fft.fftfreq(81), np.fft.fftfreq(81), indexing="ij")
    reach = np.maximum(np.hypot(down, across), 1.0 / 81.0)
    spectrum = np.fft.fft2(rng.normal(0.0, 1.0, (81, 81))) / np.sqrt(reach)
    x = np.pi * reach * max(blur_px, 1e-3)
    made = np.fft.ifft2(spectrum * 2.0 * j1(x) / x).real
    light = 0.4 + 0.02 * made
    if passing:
        light = np.where(np.mgrid[-40:41, -40:41][1] + 0.1 * np.mgrid[-40:41, -40:41][0] > 0.0, 0.75, light)
    noise = np.random.default_rng(seed).normal(0.0, 0.002, light.shape)
    return (light + noise).astype(np.float32)


def test_an_edge_in_a_frame_focused_elsewhere_is_not_the_marks(series: Candidate) -> None:
    assert series.criterion is not None
    rendering = render(series.scene, series.exposures, series.criterion)
    pitch, mark = series.scene.plan.sensor_mm[0] / 720, 2
    best = int(rendering.exposure[mark])
    sharp_at = series.exposures[best].state.image_distance_mm
    blurs = {
        index: abs(series.exposures[index].state.image_distance_mm - sharp_at)
        * blur_per_defocus(series.exposures[index]) / pitch
        for index in (best - 1, best, best + 1)
    }  # fmt: skip
    blocks = {index: leaf(blur, index, passing=index == best - 1) for index, blur in blurs.items()}
    edged = measure(series, rendering, mark, {best - 1: blocks[best - 1]}, pitch)
    assert edged.how == "edge"
    assert edged.softness < 1.0
    told = measure(series, rendering, mark, blocks, pitch)
    assert told.how != "edge"


@pytest.mark.parametrize(("clear_px", "times", "is_told"), [(12, 9.0, False), (14, 9.0, True), (20, 20.0, True)])
def test_a_nearer_thing_that_reaches_into_the_block_is_not_told_in_the_marks_stead(
    series: Candidate, clear_px: int, times: float, is_told: bool
) -> None:
    """Of more contrast to either side, sharp in the frame before the mark's; discs of known size."""
    assert series.criterion is not None
    rendering = render(series.scene, series.exposures, series.criterion)
    pitch, mark = series.scene.plan.sensor_mm[0] / 1440, 2
    best = int(rendering.exposure[mark])
    # The mark is 3 m away.
    far_at = 85.0 * 3000.0 / (3000.0 - 85.0)
    near_at = series.exposures[best - 1].state.image_distance_mm

    def blurred(index: int, sharp_at: float) -> np.ndarray:
        exposure = series.exposures[index]
        away = abs(exposure.state.image_distance_mm - sharp_at)
        return leaf(away * blur_per_defocus(exposure) / pitch, index)

    frames = [index for index in (best - 2, best - 1, best, best + 1) if 0 <= index < len(series.exposures)]
    aside = np.abs(np.arange(-40, 41)) > clear_px
    blocks = {
        index: np.where(aside, 0.4 + times * (blurred(index, near_at) - 0.4), blurred(index, far_at)).astype(
            np.float32
        )
        for index in frames
    }
    told = measure(series, rendering, mark, blocks, pitch)
    if is_told:
        assert told.softness == pytest.approx(blur_in(series, told.frame, far_at), abs=0.2)
    else:
        assert told.softness is None
    # Where all of it is at the mark's place, it is told as surely as ever.
    whole = measure(series, rendering, mark, {index: blurred(index, far_at) for index in frames}, pitch)
    assert whole.softness == pytest.approx(blur_in(series, whole.frame, far_at), abs=0.2)


@pytest.mark.parametrize("method", ["series", "rail"])
def test_what_a_frame_that_cuts_it_off_would_hold_is_not_told_from_others(method: str, request) -> None:
    candidate: Candidate = request.getfixturevalue(method)
    seen_from, holds = candidate.exposures[1], candidate.exposures[2]
    focused, _ = focused_from(holds, seen_from)
    away = ranged(seen_from, candidate.scene.world_m[0], focused, 0.01)
    assert away is not None
    assert _better_cut_off(candidate, 1, away, {2})
    assert not _better_cut_off(candidate, 1, away, {0})
    assert not _better_cut_off(candidate, 1, away, ())
    assert not _better_cut_off(candidate, 1, None, {2})


@pytest.mark.parametrize(("missed", "is_told"), [(0.0, True), (1.0, False), (-1.5, False)])
def test_two_frames_tell_how_sharp_marks_are_where_both_were_focused_as_planned(missed: float, is_told: bool) -> None:
    """Texture blurred by known discs; `missed` is what the second frame is off, in allowed blurs."""
    lens = a_lens(50.0, f_numbers=[5.6, 5.6], tilt_deg=0, shift_mm=0)
    places = [(0.0, 1.5, 2.0), (0.2, 1.6, 2.2), (-0.3, 1.4, 2.6), (0.3, 1.4, 3.8)]
    plan = make_plan(places, framing=50.0, lenses=[lens], print_mm=(300, 200), viewing_mm=400, rule="disc")
    pair = worked("series", build_scene(plan))
    assert pair.frame_count == 2
    assert pair.rendering is not None
    pitch = 36.0 / 2160
    told = []
    for mark, place in enumerate(places):
        away_mm = 1000.0 * place[2]
        sharp_at = 50.0 * away_mm / (away_mm - 50.0)
        blocks = {}
        for index, exposure in enumerate(pair.exposures):
            off = exposure.state.image_distance_mm - sharp_at
            off += index * missed * exposure.allowed_blur_mm / blur_per_defocus(exposure)
            blocks[index] = leaf(abs(off) * blur_per_defocus(exposure) / pitch, 10 * mark + index)
        told.append(measure(pair, pair.rendering, mark, blocks, pitch))
        # Two places of a grid that show the same mark are no series.
        grid = replace(pair, method=method_of("turned-grid"))
        assert measure(grid, pair.rendering, mark, blocks, pitch).softness is None
    found = believed(pair, told)
    assert [mark.name for mark in found] == [f"m{k}" for k in range(4)]
    if is_told:
        assert sum(mark.softness is not None for mark in found) >= 3
        for mark, planned in zip(found, pair.rendering.softness.tolist(), strict=True):
            assert mark.softness is None or mark.softness == pytest.approx(planned, abs=0.2)
    else:
        assert all(mark.verdict == "cannot-say" for mark in found)
        said, *_ = advice([], found, planned=True, plain=False, blocks=None)
        assert said.startswith(f"{sum(mark.how == BY_TWO for mark in found)} of 4 marks show in two frames alone")


def test_two_frames_that_are_not_believed_accuse_nothing_of_hiding_a_mark(series: Candidate) -> None:
    pair = replace(series, exposures=series.exposures[:2])
    away = Ranged(2.0, 0.1, 9.0, 0.3, 0.05, (0.0, 1.5, 2.0))
    told = [
        MarkSoftness("Door", 0, None, None, 0.5, "what is seen there stands 2 m away", away),
        MarkSoftness("Sky", 1, 0.4, 0.1, 0.5, "spectra"),
        MarkSoftness("Sign", 0, 0.4, 0.1, 0.5, "edge", away),
        MarkSoftness("Wall", 0, None, None, 0.5, "no texture, several depths, or too few frames"),
    ]
    door, sky, sign, wall = believed(pair, told)
    assert (door.how, door.hidden, sky.how, sky.softness) == (BY_TWO, False, BY_TWO, None)
    assert (sign.softness, sign.ranged, wall) == (0.4, None, told[3])
    assert believed(series, told) == told
