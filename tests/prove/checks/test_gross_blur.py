"""Long motions and wide discs planted in what falls with the frequency as outdoor scenes do."""

from __future__ import annotations

import math
import shutil
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.prove.shake.test_shaken import disc, texture
from tests.prove.shake.test_shaken import series as series_of_five
from tests.prove.shake.test_swing import moved_as
from verispect.files.picture_out import write_picture
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.checks.gross_blur import Blur, agreed, blurred_by, detail, lacks_at_places, lacks_beside
from verispect.prove.intake import coded_of, described, linear_of, read_coded


def noisy(picture: np.ndarray) -> np.ndarray:
    """Other noise over every other picture, whichever test asks first."""
    rng = np.random.default_rng(int(1e7 * float(np.abs(picture).mean())))
    return (picture + rng.normal(0.0, 0.002, picture.shape)).astype(np.float32)


@pytest.mark.parametrize(("length", "direction"), [(14.0, 0.0), (20.0, 35.0), (33.0, 90.0), (50.0, 152.0)])
def test_a_long_motion_is_told_with_how_far_and_which_way(length: float, direction: float) -> None:
    wall = texture(3)
    soft, sharp = noisy(moved_as(wall, length, direction)), noisy(wall)
    assert detail(soft) < 0.25 * detail(sharp)
    # A few pixels aside, as frames lie that nothing can be laid over.
    found = blurred_by(soft[:-3, 4:], sharp[3:, :-4])
    assert found is not None
    assert found.direction_deg is not None
    assert found.size_px == pytest.approx(length, rel=0.08)
    assert abs(math.sin(math.radians(found.direction_deg - direction))) < math.sin(math.radians(4.0))


@pytest.mark.parametrize("diameter", [14.0, 25.0, 48.0])
def test_a_wide_disc_is_no_motion(diameter: float) -> None:
    wall = texture(4)
    found = blurred_by(noisy(disc(wall, diameter)), noisy(wall))
    assert found is not None
    assert found.direction_deg is None
    assert found.size_px == pytest.approx(diameter, rel=0.08)


def test_of_what_is_as_sharp_or_shows_something_else_nothing_is_told() -> None:
    assert blurred_by(noisy(texture(3)), noisy(texture(3))) is None
    assert blurred_by(noisy(texture(3)), noisy(disc(texture(3), 9.0))) is None
    assert blurred_by(noisy(np.full((512, 768), 0.4)), noisy(np.full((512, 768), 0.4))) is None
    assert blurred_by(noisy(texture(3))[:90], noisy(texture(3))[:90]) is None


def test_plain_sky_lacks_nothing_of_plain_sky() -> None:
    skies = [detail(noisy(np.full((512, 768), light, np.float32))) * light**2 for light in (0.2, 0.4, 0.6)]
    assert max(skies) < 2.0 * min(skies)
    assert detail(noisy(disc(texture(3), 30.0))) < 0.25 * detail(noisy(texture(3)))


def test_a_frame_of_a_series_lacks_only_what_all_beside_it_show() -> None:
    near, far = texture(5), texture(6)
    half = np.arange(768) < 384

    def frame(of_near: float, of_far: float) -> np.ndarray:
        return noisy(np.where(half, disc(near, of_near), disc(far, of_far)))

    before, own, after = frame(1.0, 7.0), frame(4.0, 4.0), frame(7.0, 1.0)

    def lacks(one: np.ndarray, *others: np.ndarray) -> bool:
        whole = lacks_beside(detail(one), [detail(other) for other in others])
        return whole and lacks_at_places(one, others)

    assert not lacks(own, before, after)
    assert not lacks(before, own, after)
    assert lacks(noisy(moved_as(own, 30.0, 20.0)), before, after)


blurs = st.builds(Blur, st.floats(10.0, 100.0), st.none() | st.floats(0.0, 179.9))


@given(st.lists(blurs, max_size=5), st.integers(1, 3))
def test_what_is_agreed_is_what_most_tell(told: list[Blur], least: int) -> None:
    found = agreed(told, least)
    if found is None:
        return
    same = [one for one in told if (one.direction_deg is None) == (found.direction_deg is None)]
    assert len(same) >= least
    assert 2 * len(same) > len(told)
    assert min(one.size_px for one in same) * 0.999 <= found.size_px <= max(one.size_px for one in same) * 1.001


def test_one_tells_of_itself_and_two_that_differ_of_nothing() -> None:
    assert agreed([Blur(20.0, 30.0)], 1) == Blur(pytest.approx(20.0), 30.0)
    assert agreed([Blur(20.0, 30.0), Blur(20.0, None)], 1) is None
    assert agreed([Blur(20.0, 179.0), Blur(22.0, 1.0)], 2) is not None
    assert agreed([Blur(20.0, 30.0), Blur(20.0, 120.0)], 2) is None


@pytest.mark.xdist_group("frames")
@pytest.mark.parametrize("k", [0, 4])
def test_a_frame_of_a_series_that_was_shaken_far_is_told_as_that_alone(
    rehearsed, series: Candidate, tmp_path: Path, k: int
) -> None:
    shutil.copytree(rehearsed(), tmp_path / "set")
    path = sorted((tmp_path / "set").glob("*.tif"))[k]
    light = linear_of(read_coded(described(path)))
    shaken = np.dstack([moved_as(np.ascontiguousarray(light[..., c]), 26.0, 40.0) for c in range(3)])
    write_picture(path, coded_of(np.clip(noisy(shaken), 0.0, 1.0)), force=True)
    report = check([tmp_path / "set"], candidate=series)
    assert [(n, fault.name) for n, frame in enumerate(report.frames) for fault in frame.faults] == [(k, "motion")]
    assert report.frames[k].motion_length == pytest.approx(26.0, rel=0.1)
    assert report.frames[k].motion_direction == pytest.approx(40.0, abs=5.0)


def test_without_a_plan_a_frame_far_out_of_focus_is_told_by_its_disc(tmp_path: Path) -> None:
    for k, frame in enumerate(series_of_five(posts=False)):
        light = disc(frame, 34.0) if k == 2 else frame
        write_picture(
            tmp_path / f"f{k}.tif", coded_of(np.repeat(np.clip(noisy(light), 0.0, 1.0)[..., None], 3, axis=2))
        )
    report = check([tmp_path])
    assert [(k, fault.name) for k, one in enumerate(report.frames) for fault in one.faults] == [(2, "missed-focus")]
    assert report.frames[2].faults[0].size == pytest.approx(34.0, rel=0.1)
