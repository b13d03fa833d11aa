"""Softness all over the picture, on content blurred by Hopkins's transfer function at a known place."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest

from verispect.optics.otf import defocused_otf
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.expected import view_of
from verispect.prove.report import report_dict
from verispect.prove.softness.block_map import BlockMap, BlockNet, map_dict
from verispect.prove.verdict import advice

SIZE, WAVE = (720, 480), 5.5e-4
pytestmark = pytest.mark.xdist_group("frames")


def mapped(series: Candidate, sharp_at: float, *, noise: float = 2e-4) -> tuple[BlockMap, float]:
    """What the net tells of grain that is sharp at one image distance, and the truth in allowed blurs."""
    pitch = series.scene.plan.sensor_mm[0] / SIZE[0]
    rng = np.random.default_rng(4)
    wide, high = SIZE
    fy, fx = np.meshgrid(np.fft.fftfreq(high), np.fft.rfftfreq(wide), indexing="ij")
    radius = np.hypot(fy, fx)
    plain = np.fft.rfft2(rng.standard_normal((high, wide))) / np.maximum(radius, 0.01)
    views = [view_of(exposure, SIZE, pitch) for exposure in series.exposures]
    allowed = series.exposures[0].allowed_blur_mm
    net, seen, blurs = BlockNet(SIZE, views[0], allowed / pitch), {}, []
    for index, exposure in enumerate(series.exposures):
        state = exposure.state
        exit_mm = state.focal_mm * (1.0 - state.pupil_magnification)
        rate = state.focal_mm / state.f_number * state.pupil_magnification / (state.image_distance_mm - exit_mm)
        blurs.append(abs(state.image_distance_mm - sharp_at) * rate)
        nu = radius / pitch
        otf = defocused_otf(reduced_frequency=nu * WAVE * state.working_f_number, beta=np.pi * nu * blurs[-1])
        made = 0.4 + 0.005 * np.fft.irfft2(plain * otf, (high, wide)) + rng.normal(0, noise, (high, wide))
        # Not drawn larger from frame to frame here: all are looked at in the same places.
        seen[index] = net.kept(made.astype(np.float32), views[0])
    return net.map(series, seen, pitch), min(blurs) / allowed


@pytest.mark.parametrize(("between", "share"), [(2, 0.0), (3, 0.5), (4, 0.3)])
def test_grain_at_a_known_place_comes_out_as_soft_as_it_is(series: Candidate, between: int, share: float) -> None:
    first, second = (series.exposures[between + k].state.image_distance_mm for k in (0, 1))
    found, truth = mapped(series, first + share * (second - first))
    assert found.told > 0.8 * found.softness.size
    error = np.abs(found.softness - truth)[np.isfinite(found.softness)]
    # What the issue asks: 0.1 in the middle, 0.2 for nine in ten.
    assert np.median(error) < 0.1
    assert np.quantile(error, 0.9) < 0.2
    assert np.mean(error < found.plus_minus[np.isfinite(found.softness)]) > 0.95
    assert not found.soft.any()
    assert set(np.unique(found.frame[found.frame >= 0])) <= {between, between + 1}


def test_what_no_frame_holds_is_soft_and_said(series: Candidate) -> None:
    nearest = max(exposure.state.image_distance_mm for exposure in series.exposures)
    state, allowed = series.exposures[0].state, series.exposures[0].allowed_blur_mm
    beyond = nearest + 1.5 * allowed * state.f_number
    found, truth = mapped(series, beyond)
    assert truth > 1.4
    # Most say nothing rather than something wrong; what is told is soft.
    assert found.soft.sum() == found.told > 10
    np.testing.assert_allclose(found.softness[found.soft], truth, atol=0.2)
    said = advice([], [], planned=True, plain=True, blocks=found)
    assert "came out softer than allowed in every frame" in said[0]


def test_a_plain_picture_tells_nothing_and_is_json(series: Candidate) -> None:
    pitch = series.scene.plan.sensor_mm[0] / SIZE[0]
    views = [view_of(exposure, SIZE, pitch) for exposure in series.exposures]
    net = BlockNet(SIZE, views[0], 3.0)
    rng = np.random.default_rng(1)
    seen = {
        k: net.kept((0.4 + rng.normal(0, 0.003, SIZE[::-1])).astype(np.float32), view) for k, view in enumerate(views)
    }
    found = net.map(series, seen, pitch)
    assert found.told == 0
    told = json.loads(json.dumps(map_dict(found), allow_nan=False))
    assert len(told["softness"]) == len(told["rows"])
    assert {value for row in told["softness"] for value in row} == {None}


def test_a_check_tells_it_of_a_series_and_not_without_a_plan(rehearsed, series: Candidate) -> None:
    told = report_dict(check([rehearsed()], candidate=series))["blocks"]
    assert [len(told[key]) for key in ("rows", "softness")] == [len(told["rows"])] * 2
    assert 0.0 < told["rows"][0] < told["rows"][-1] < 480
    assert all(value is None or math.isfinite(value) for row in told["softness"] for value in row)
    assert report_dict(check([rehearsed()]))["blocks"] is None
