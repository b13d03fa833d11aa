"""One picture's frames are read alike wherever they are read: cell by cell, by another process, when retouched."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import tifffile

from tests.prove.conftest import QUICK
from tests.prove.join.spheres import painted_sphere, seen, turn
from tests.raw_file import write_raw
from verispect.errors import FileError
from verispect.files.orientation import laid_back
from verispect.files.picture_out import write_picture
from verispect.plan.document import ShotsEach
from verispect.plan.methods.candidate import Candidate
from verispect.prove.intake import described, grey_linear, read_coded
from verispect.prove.join import large
from verispect.prove.join.grid import Joined, Room, join
from verispect.prove.merge.retouch import Retouch, Stroke, sources_of
from verispect.prove.merge.series import merge
from verispect.prove.merge.shots import shots_together
from verispect.prove.taken_in.read_alike import how_read, read_alike
from verispect.rehearse.camera import Options
from verispect.rig.rehearsed_run import Writing, rehearse_to

# What looks neutral to the camera: daylight, then a lamp, then shade.
NEUTRALS = ((0.5, 1.0, 0.7), (0.8, 1.0, 0.4), (0.45, 1.0, 0.8))


def raws(folder: Path, lights: list[np.ndarray], neutrals: list[tuple[float, float, float]]) -> list[Path]:
    """Raws of greys (rows, columns), each with what its camera thought of the light."""
    folder.mkdir()
    paths = [folder / f"frame-{k + 1:03d}.dng" for k in range(len(lights))]
    for path, light, neutral in zip(paths, lights, neutrals, strict=True):
        write_raw(path, np.round(np.clip(light, 0.0, 1.0) * 30000.0).astype(np.uint16), neutral=neutral)
    return paths


def colour(joined: Joined) -> np.ndarray:
    """Red over blue where frames are (places,), a smooth picture of it."""
    picture = joined.pixels[::7, ::7].astype(float)
    there = picture.min(axis=2) > 1000.0
    return np.asarray(picture[there][:, 0] / picture[there][:, 2])


def test_parts_painted_from_the_disk_have_the_colours_of_the_first_raw(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr(large, "PART_PX", 200)
    sphere = painted_sphere()
    lights = [seen(sphere, turn(bearing, 0.0)).mean(axis=2) for bearing in (-20.0, 0.0, 20.0)]
    paths = raws(tmp_path / "raws", lights, list(NEUTRALS))
    (room := tmp_path / "room").mkdir()
    held = join(paths, exposures=None, sensor_mm=None)
    laid = join(paths, exposures=None, sensor_mm=None, room=Room(room, on_disk=True))
    assert laid.on_disk
    assert float(np.mean(np.abs(held.pixels.astype(float) - laid.pixels))) < 60.0
    # A grey scene under one white balance has one colour; by their own, frames differ by a stop.
    assert float(np.std(colour(laid))) < 0.02


def test_cells_of_several_raws_have_the_colours_of_the_grids_first(small_grid: Candidate, tmp_path: Path) -> None:
    rehearse_to(small_grid, Options(pixels=(360, 240), quality=QUICK), Writing(tmp_path / "set"))
    lights = [grey_linear(read_coded(described(path)), 1) for path in sorted((tmp_path / "set").glob("*.tif"))]
    cells = len(lights)
    twice = [light for light in lights for _ in range(2)]
    neutrals = [NEUTRALS[k % 3] for k in range(cells) for _ in range(2)]
    paths = raws(tmp_path / "raws", twice, neutrals)
    joined = join(
        paths,
        exposures=[exposure for exposure in small_grid.exposures for _ in range(2)],
        sensor_mm=(36.0, 24.0),
        merge_cell=lambda cell, exposures: merge(cell, exposures=exposures, proof=True).pixels,
    )
    assert joined.developed is not None
    # Mosaics of detail leave false colours here and there.
    assert float(np.std(colour(joined))) < 0.04


def test_shots_of_a_frame_are_developed_alike_before_they_are_put_together(
    small_grid: Candidate, tmp_path: Path
) -> None:
    plan = small_grid.scene.plan
    changed = plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": ShotsEach(each=2)})})
    grid = replace(small_grid, scene=replace(small_grid.scene, plan=changed))
    rehearse_to(small_grid, Options(pixels=(360, 240), quality=QUICK), Writing(tmp_path / "set"))
    lights = [grey_linear(read_coded(described(path)), 1) for path in sorted((tmp_path / "set").glob("*.tif"))]
    paths = raws(tmp_path / "raws", [one for one in lights for _ in range(2)],
                 [NEUTRALS[k % 3] for k in range(2 * len(lights))])  # fmt: skip
    with shots_together(paths, grid, None, tmp_path / "out.tif") as together:
        assert together.developed is not None
        colours = [
            float(np.divide(*read_coded(described(path)).astype(float).mean(axis=(0, 1))[[0, 2]]))
            for path in together.places
        ]
        found = merge(together.places[:1])
        together.name_shots(found)
    assert max(colours) - min(colours) < 0.03
    assert found.developed == together.developed
    assert found.frames[0]["file"] == "frame-001.dng"


@pytest.fixture
def held_otherwise(tmp_path: Path) -> list[Path]:
    """Three frames of one view, of which the camera thought the second to be held upside down."""
    view = np.round(seen(painted_sphere(), turn(0.0, 0.0)) * 60000.0).astype(np.uint16)
    paths = [tmp_path / f"frame-{k}.tif" for k in range(3)]
    for path, tag in zip(paths, (1, 3, 1), strict=True):
        tifffile.imwrite(path, view, photometric="rgb", extratags=[(274, "H", 1, tag, True)])
    return paths


def test_a_stroke_comes_from_the_frame_as_it_was_merged(held_otherwise: list[Path], tmp_path: Path) -> None:
    merged = merge(held_otherwise)
    report = merged.report(None)
    assert [frame["orientation"] for frame in report["frames"]] == [1, 1, 1]
    sources = sources_of(report, tmp_path, name="report.json")
    view = read_coded(sources[0].frame)
    np.testing.assert_array_equal(read_coded(sources[1].frame), view)
    work = Retouch(np.zeros_like(view), sources)
    assert work.paint(Stroke(1, ((160.0, 240.0),), 20.0)) is not None
    near = (slice(155, 165), slice(235, 245))
    assert np.abs(work.pixels[near].astype(int) - view[near]).max() < 600
    # By a report of before, which tells nothing of it, by its own tag.
    old = {**report, "frames": [{k: v for k, v in one.items() if k != "orientation"} for one in report["frames"]]}
    older = sources_of(old, tmp_path, name="report.json")
    np.testing.assert_array_equal(read_coded(older[1].frame), laid_back(view, 3))
    with pytest.raises(FileError, match="no report of a merge"):
        sources_of({**report, "frames": [{**report["frames"][0], "orientation": 9}]}, tmp_path, name="report.json")


def test_frames_that_are_given_are_not_read_otherwise(tmp_path: Path) -> None:
    paths = raws(tmp_path / "raws", [np.full((240, 320), 0.4)] * 3, list(NEUTRALS))
    whole = read_alike(paths)
    assert len({how_read(frame).white for frame in whole}) == 1
    # Alone, the last two would be developed as the second was meant.
    assert read_alike(whole[1:]) == whole[1:]
    assert read_alike(paths[1:])[0].white != whole[1].white
    told = how_read(whole[2])
    assert told.of(described(paths[2])) == whole[2]
    write_picture(tmp_path / "p.tif", np.zeros((20, 30, 3), np.uint16))
    plain = described(tmp_path / "p.tif")
    assert how_read(plain).of(plain) == plain
