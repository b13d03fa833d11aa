"""A part of the print about a mark, against the same part of the whole frame."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rehearse.camera import Options, Rehearsal
from verispect.rehearse.crop import crop_about, two_crops
from verispect.rehearse.sensor_noise import srgb_16


def test_it_is_what_the_whole_frame_shows_there() -> None:
    plan = make_plan([(-0.3, 1.2, 2.0), (0.6, 1.8, 4.0), (0.1, 1.5, 9.0)], lenses=[a_lens(pupil_magnification=1.4)])
    body = plan.kit.body.model_copy(update={"pixels": (720, 480)})
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"body": body})})
    candidate = worked("tilt", build_scene(plan))
    rehearsal = Rehearsal(candidate, Options(noise=False, falloff=False))
    taken = rehearsal.take(0)
    whole = srgb_16(taken.picture) >> 8
    place = rehearsal.marks(taken)[1]["pixel"]
    per_mm = candidate.exposures[0].state.pupil_scale_mm / body.pixel_mm / (plan.framing_mm * plan.enlargement())
    crop = crop_about(rehearsal.model, candidate, 1, print_mm=61.0 / per_mm, shown_px=61)
    assert crop is not None
    assert crop.pixels.shape == (61, 61, 3)
    assert crop.pixels_per_mm == pytest.approx(per_mm)
    assert crop.softness == candidate.rendering.softness[1]
    row, column = (round(part) for part in place)
    same = whole[row - 30 : row + 31, column - 30 : column + 31].astype(float)
    # Whole pixels against a mark in the middle, and noise: alike but not the same.
    found = max(
        np.corrcoef(same[2 + dy : 59 + dy, 2 + dx : 59 + dx].ravel(), crop.pixels[2:59, 2:59].ravel())[0, 1]
        for dy in (-1, 0, 1)
        for dx in (-1, 0, 1)
    )
    assert found > 0.95


def test_the_sharper_method_has_the_finer_detail_and_what_is_not_shown_is_none() -> None:
    plan = make_plan([(-0.3, 1.0, 1.6), (0.3, 1.4, 3.0), (0.1, 1.5, 12.0)], framing=35.0, lenses=[a_lens(35.0)])
    scene = build_scene(plan)
    one, series = worked("one-frame", scene), worked("series", scene)
    softest = int(np.argmax(one.rendering.softness[:3]))
    crops = two_crops((one, series), softest, 12.0, 120, progress=lambda _share: None, is_cancelled=lambda: False)
    # Between one pixel and two: below that lies the noise.
    greys = [crop.pixels[..., 1].astype(float) for crop in crops]
    detail = [float(np.std(gaussian_filter(grey, 1.0) - gaussian_filter(grey, 2.0))) for grey in greys]
    assert crops[0].softness > 1.5 * crops[1].softness
    assert detail[1] > 1.08 * detail[0]
    assert two_crops((one, series), 0, 12.0, 120, progress=lambda _share: None, is_cancelled=lambda: True) == []
    unfit = worked("rail-series", scene)
    crops = two_crops((one, unfit), 0, 12.0, 60, progress=lambda _share: None, is_cancelled=lambda: False)
    assert crops[1] is None
