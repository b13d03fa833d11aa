"""Frames of a camera held upright lie on their side in their files; and cameras that guess how they are held."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import tifffile

from tests.conftest import a_lens, make_plan
from tests.prove.conftest import QUICK
from verispect.files.orientation import laid_back
from verispect.files.picture_out import write_picture
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.intake import described, read_coded, read_kept
from verispect.prove.join.grid import join
from verispect.prove.merge.series import merge
from verispect.prove.taken_in.held import held_alike
from verispect.rehearse.camera import Options
from verispect.rig.rehearsed_run import Writing, rehearse_to

pytestmark = pytest.mark.xdist_group("held")
WIDE, UPRIGHT = (36.0, 24.0), (24.0, 36.0)


def on_its_side(path: Path, pixels: np.ndarray, orientation: int) -> Path:
    """A file as cameras write it: pixels as the sensor has them, and a tag."""
    stored = laid_back(pixels, orientation)
    tifffile.imwrite(path, stored, photometric="rgb", extratags=[(274, "H", 1, orientation, True)])
    return path


@pytest.fixture(scope="module")
def standing() -> Candidate:
    """Two frames side by side by a camera held upright."""
    lens = a_lens(85.0, f_numbers=[8, 8], tilt_deg=0)
    places = [(-1.0, 1.3, 7.0), (0.1, 1.8, 7.2), (1.0, 1.5, 7.0), (0.0, 0.9, 7.0)]
    plan = make_plan(places, framing=60.0, lenses=[lens], camera={"upright": True})
    return worked("turned-grid", build_scene(plan))


@pytest.fixture(scope="module")
def frames(standing: Candidate, tmp_path_factory) -> tuple[Path, Path]:
    """As they are looked at, and as a camera stores them."""
    stand, lie = (tmp_path_factory.mktemp("held") / name for name in ("stand", "lie"))
    # Whichever way its pixels are told, the body is held upright.
    rehearse_to(standing, Options(pixels=(480, 320), quality=QUICK), Writing(stand))
    (stand / "run.json").unlink()
    lie.mkdir()
    for path in sorted(stand.glob("*.tif")):
        on_its_side(lie / path.name, read_coded(described(path)), 8)
    return stand, lie


def test_frames_on_their_side_are_read_as_they_are_looked_at(frames: tuple[Path, Path]) -> None:
    for path in sorted(frames[0].glob("*.tif")):
        stands, lies = described(path), described(frames[1] / path.name)
        assert tifffile.imread(lies.path).shape == (320, 480, 3)
        assert stands.pixels == lies.pixels == (320, 480)
        assert np.array_equal(read_coded(stands), read_coded(lies))


def test_a_plan_of_an_upright_camera_holds_for_them(frames: tuple[Path, Path], standing: Candidate) -> None:
    """Joined as they lay in their files, the plan's angles led nowhere."""
    told = [check([folder], candidate=standing) for folder in frames]
    assert [frame.faults for frame in told[1].frames] == [frame.faults for frame in told[0].frames]
    for one, other in zip(told[0].frames, told[1].frames, strict=True):
        assert other.shift_px == pytest.approx(one.shift_px, abs=1e-6)
    plan = standing.scene.plan
    joined = [
        join([folder], exposures=standing.exposures, sensor_mm=plan.sensor_mm, basis=standing.scene.pose.matrix)
        for folder in frames
    ]
    assert np.array_equal(joined[0].pixels, joined[1].pixels)
    assert not joined[1].doubtful


def test_frames_held_otherwise_than_the_plan_has_it_are_checked_without_it(
    frames: tuple[Path, Path], standing: Candidate
) -> None:
    wide = standing.scene.plan.model_copy(
        update={"camera": standing.scene.plan.camera.model_copy(update={"upright": False})}
    )
    report = check([frames[0]], candidate=worked("turned-grid", build_scene(wide)))
    assert report.marks == []
    assert any("held as the plan has the camera" in said for said in report.advice)


def test_of_one_size_the_tag_that_most_have_counts(tmp_path: Path) -> None:
    """Pointed straight down, a camera on its tripod writes one frame of three as held upright."""
    pixels = np.random.default_rng(2).integers(0, 60000, (40, 60, 3)).astype(np.uint16)
    paths = [tmp_path / f"{k}.tif" for k in range(3)]
    for path, orientation in zip(paths, (1, 6, 1), strict=True):
        tifffile.imwrite(path, pixels, photometric="rgb", extratags=[(274, "H", 1, orientation, True)])
    assert described(paths[1]).pixels == (40, 60)
    alike = held_alike([described(path) for path in paths])
    assert [frame.pixels for frame in alike] == [(60, 40)] * 3
    assert all(np.array_equal(read_kept(frame), pixels) for frame in alike)
    # All of them as if upright, though the plan has the camera wide.
    every = [described(paths[1])] * 3
    assert [frame.pixels for frame in held_alike(every, WIDE)] == [(60, 40)] * 3
    assert [frame.pixels for frame in held_alike(every, UPRIGHT)] == [(40, 60)] * 3
    report = check(paths)
    assert report.left_aside == []


def test_a_merge_of_frames_on_their_side_is_what_it_is_of_those_that_stand(tmp_path: Path) -> None:
    grain = np.random.default_rng(3).integers(0, 60000, (120, 90, 3)).astype(np.uint16)
    for folder in ("stand", "lie"):
        (tmp_path / folder).mkdir()
        for k in range(2):
            path = tmp_path / folder / f"{k}.tif"
            if folder == "lie":
                on_its_side(path, grain, 6)
            else:
                write_picture(path, grain)
    stand, lie = (merge([tmp_path / folder], sensor_mm=UPRIGHT) for folder in ("stand", "lie"))
    assert np.array_equal(stand.pixels, lie.pixels)
    assert lie.first is not None
    assert lie.first.orientation == 6
