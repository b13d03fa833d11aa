"""Shots of one frame put together, against the picture that they were all drawn from."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.files.picture_out import write_picture
from verispect.files.run_file import read_run
from verispect.plan.document import ShotsEach
from verispect.plan.methods.candidate import Candidate
from verispect.prove.intake import Frame, coded_of, described, linear_of, read_coded
from verispect.prove.merge.shots import one_of, shots_together
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import QUICK
from verispect.rig.rehearsed_run import Writing, rehearse_to

Light = NDArray[np.float64]
_SIZE = (240, 360)


def scene(brightest: float = 0.7) -> Light:
    """Smooth light with detail of a few pixels, from near black to `brightest`."""
    random = np.random.default_rng(5)
    coarse = cv2.resize(random.random((6, 9)), _SIZE[::-1], interpolation=cv2.INTER_CUBIC)
    fine = cv2.GaussianBlur(random.standard_normal(_SIZE), (0, 0), 1.5)
    light = np.clip(coarse, 0.02, 1.0) * (1.0 + 0.5 * fine / fine.std() * 0.3)
    return np.repeat(np.clip(light, 0.01, None)[..., None], 3, axis=2) * brightest / light.max()


def taken(folder: Path, lights: list[Light], *, noise: float = 0.01, seed: int = 1) -> list[Frame]:
    """Frames with noise as photons make it."""
    random, found = np.random.default_rng(seed), []
    for k, light in enumerate(lights):
        seen = light + noise * np.sqrt(np.maximum(light, 1e-3)) * random.standard_normal(light.shape)
        path = folder / f"shot-{k}.tif"
        write_picture(path, coded_of(np.clip(seen, 0.0, 1.0)))
        found.append(described(path))
    return found


def off(coded: NDArray[np.uint16], truth: Light) -> Light:
    return (linear_of(coded) - truth) / np.sqrt(np.maximum(truth, 1e-3))


def test_noise_falls_as_the_root_of_how_many_there_are(tmp_path: Path) -> None:
    truth = scene()
    frames = taken(tmp_path, [truth] * 6)
    alone, together = (off(picture, truth) for picture in (read_coded(frames[0]), one_of(frames, (0.0,) * 6)))
    assert alone.std() == pytest.approx(0.01, rel=0.05)
    assert together.std() == pytest.approx(0.01 / np.sqrt(6.0), rel=0.1)


@pytest.mark.parametrize("which", [0, 1, 2])
def test_what_walks_through_one_of_three_is_left_out(tmp_path: Path, which: int) -> None:
    truth = scene()
    lights = [truth.copy() for _ in range(3)]
    # Somebody as bright as half of what is behind, with a soft outline.
    person = cv2.GaussianBlur(
        cv2.ellipse(np.zeros(_SIZE), (180, 120), (20, 60), 0, 0, 360, 1.0, -1), (0, 0), 2.0
    )[..., None]  # fmt: skip
    lights[which] = truth * (1.0 - 0.5 * person)
    together = off(one_of(taken(tmp_path, lights), (0.0,) * 3), truth)
    inside = person[..., 0] > 0.05
    # No more than noise: nobody is left there as a shadow.
    assert abs(together[inside].mean()) < 0.001
    assert np.abs(cv2.blur(together.mean(axis=2), (9, 9)))[inside].max() < 0.006


def test_a_camera_that_moved_between_shots_is_laid_back(tmp_path: Path) -> None:
    truth = scene()
    move = np.array([[1.0, 0.0, 2.4], [0.0, 1.0, -1.3]])
    moved = cv2.warpAffine(truth, move, _SIZE[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    together = off(one_of(taken(tmp_path, [truth, moved, truth], noise=0.004), (0.0,) * 3), truth)
    assert np.abs(together[10:-10, 10:-10]).mean() < 0.006


def test_steps_of_exposure_hold_what_no_one_shot_holds(tmp_path: Path) -> None:
    truth = scene(brightest=3.2)
    steps = (0.0, -2.0, 2.0)
    frames = taken(tmp_path, [truth * 2.0**stops for stops in steps])
    together = linear_of(one_of(frames, steps)) * 4.0
    bright, dark = (truth > 1.1)[..., 0], (truth < 0.2)[..., 0]
    assert bright.mean() > 0.05
    share = (together - truth) / truth
    assert np.abs(share[bright].mean(axis=1)).mean() < 0.02
    # In the dark the longest shot tells most: five times the light of the first alone.
    first = (linear_of(read_coded(frames[0])) - truth) / truth
    assert share[dark].std() < 0.55 * first[dark].std()


def test_bands_give_the_same_as_the_whole(tmp_path: Path) -> None:
    truth = scene()
    frames = taken(tmp_path, [truth] * 3)
    whole = one_of(frames, (0.0,) * 3)
    banded = one_of(frames, (0.0,) * 3, memory_mb=1)
    assert np.mean(np.abs(whole.astype(int) - banded.astype(int)) > 60) < 0.01


def test_a_grid_of_shots_is_joined_from_one_picture_for_each_place(small_grid: Candidate, tmp_path: Path) -> None:
    plan = small_grid.scene.plan
    changed = plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": ShotsEach(each=3)})})
    grid = replace(small_grid, scene=replace(small_grid.scene, plan=changed))
    folder = tmp_path / "set"
    fault = parse_fault("moved@1:25", frames=grid.frame_count)
    rehearse_to(grid, Options(pixels=(360, 240), quality=QUICK), Writing(folder), faults=[fault])
    rehearse_to(small_grid, Options(pixels=(360, 240), quality=QUICK), Writing(tmp_path / "once"))
    run = read_run(folder / "run.json")
    # One shot that was lost leaves the others of its frame.
    (folder / "frame-008.tif").unlink()
    with shots_together([folder], grid, run, tmp_path / "out.tif") as together:
        places = together.places
        assert len(places) == grid.frame_count
        kept = [read_coded(described(path)) for path in places]
        with shots_together(places, grid, None, tmp_path / "out.tif") as again:
            assert list(again.places) == list(places), "what was put together is not put together again"
    found = SimpleNamespace(
        frames=[{"file": places[1].name, "evened_stops": [0.0]}],
        developed=None,
        doubtful=[{"says": f"{places[1].name} lies beside {places[2].name}"}],
        black=[places[0].name],
    )
    pair, ghost = {"a": places[0].name, "b": places[2].name}, {"moved_in": places[1].name}
    together.name_shots(found, pair, ghost)
    assert found.frames == [{"file": "frame-004.tif", "evened_stops": [0.0]}]
    assert found.doubtful == [{"says": "frame-004.tif lies beside frame-007.tif"}]
    assert found.black == ["frame-001.tif"]
    assert (pair, ghost) == ({"a": "frame-001.tif", "b": "frame-007.tif"}, {"moved_in": "frame-004.tif"})
    assert not places[0].exists(), "nothing is left beside the result"
    for number, pixels in enumerate(kept):
        alone = read_coded(described(tmp_path / "once" / f"frame-{number + 1:03d}.tif"))
        # The thing that had moved in the first shot of the second frame stands where it stood in the others.
        apart = np.abs(cv2.blur(linear_of(pixels) - linear_of(alone), (7, 7)))
        assert float(apart.max()) < 0.03
    moved = read_coded(described(folder / "frame-004.tif"))
    alone = read_coded(described(tmp_path / "once" / "frame-002.tif"))
    assert float(np.abs(cv2.blur(linear_of(moved) - linear_of(alone), (7, 7))).max()) > 0.06
    (tmp_path / "more").mkdir()
    for k in range(grid.shot_count + 1):
        shutil.copy(tmp_path / "once" / "frame-001.tif", tmp_path / "more" / f"frame-{k + 1:03d}.tif")
    with (
        pytest.raises(FileError, match="give those of one run"),
        shots_together([tmp_path / "more"], grid, None, tmp_path / "out.tif"),
    ):
        pass
    with shots_together([folder], small_grid, None, tmp_path / "out.tif") as once:
        assert list(once.places) == [folder], "taken once there is nothing to put together"


def test_in_wind_the_stillest_shot_is_taken_and_the_rest_helps_where_it_agrees(tmp_path: Path) -> None:
    truth = scene()
    leaves = (slice(60, 160), slice(100, 260))
    lights = []
    for k in range(4):
        light = truth.copy()
        # Leaves swing to and fro, and blur but in the third shot.
        moved = np.roll(truth[leaves], (3 * k, -4 * k), axis=(0, 1))
        light[leaves] = moved if k == 2 else cv2.blur(moved, (1, 9))
        lights.append(light)
    frames = taken(tmp_path, lights, noise=0.006)
    together = off(one_of(frames, (0.0,) * 4, stillest=True), lights[2])
    inner = (slice(66, 154), slice(108, 252))
    assert np.abs(together[inner]).mean() < 0.006, "leaves are those of one moment"
    assert together[170:, :].std() < 0.6 * 0.006, "what stood still has the noise of four"
