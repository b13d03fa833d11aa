"""Something that moved between two frames of a painted sphere comes out once and whole; a still one tells of none."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from verispect.files.picture_out import Shot, write_picture
from verispect.prove.intake import linear_of
from verispect.prove.join.grid import join
from verispect.prove.join.written import bend_words, ghost_words

BASES = [turn(b, 0.0) for b in (-15, 15)]
MIDDLE = ((SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2)


def figure() -> np.ndarray:
    """Somebody, 26 by 70 pixels, brighter and darker than anything there."""
    rng = np.random.default_rng(8)
    return cv2.resize(
        rng.choice([0.03, 0.97], (10, 4, 3)).astype(np.float32), (26, 70), interpolation=cv2.INTER_CUBIC
    )


def written(folder: Path, frames: list[np.ndarray]) -> list[Path]:
    rng = np.random.default_rng(1)
    paths = []
    for k, frame in enumerate(frames):
        path = folder / f"frame-{k + 1:03d}.tif"
        noisy = np.clip(frame + rng.normal(0.0, 0.004, frame.shape), 0, 1)
        write_picture(
            path, np.round(noisy * 65535).astype(np.uint16), shot=Shot(focal_mm=FOCAL_PX * 0.075, pixel_mm=0.075)
        )
        paths.append(path)
    return paths


def standing(frame: np.ndarray, azimuth_deg: float, basis_deg: float) -> np.ndarray:
    """The figure put where it stands at a bearing."""
    column = MIDDLE[0] + FOCAL_PX * np.tan(np.radians(azimuth_deg - basis_deg))
    left, top = round(column) - 13, round(MIDDLE[1]) - 35
    found = frame.copy()
    found[top : top + 70, left : left + 26] = figure()
    return found


@pytest.mark.parametrize("moved_to", [4.5, None])
def test_who_moved_comes_out_once_and_whole(tmp_path: Path, moved_to: float | None) -> None:
    """At −3.5° in the first frame, and in the second elsewhere in the overlap, or gone."""
    sphere = painted_sphere()
    still = [seen(sphere, basis) for basis in BASES]
    frames = [standing(still[0], -3.5, -15), still[1] if moved_to is None else standing(still[1], moved_to, 15)]
    found = join(written(tmp_path, frames), as_given=True, exposures=None, sensor_mm=None)
    assert len({ghost["file"] for ghost in found.ghosts}) == len(found.ghosts) == 1
    assert "is taken from" in str(ghost_words(found.ghosts[0]))
    by = int(found.ghosts[0]["file"][6:9]) - 1
    # About where it stood, and where it stands, the joined picture is that frame's and nobody else's.
    top, left, bottom, right = found.ghosts[0]["box"]
    light = linear_of(found.pixels)
    to_canvas = np.array(found.frames[by]["matrix"])
    alone = cv2.warpPerspective(linear_of(_coded(frames[by])), to_canvas, light.shape[1::-1], flags=cv2.INTER_CUBIC)
    inner = (slice(top + 12, bottom - 12), slice(left + 12, right - 12))
    assert np.abs(light[inner] - alone[inner]).mean() < 0.02
    other = 1 - by
    theirs = cv2.warpPerspective(
        linear_of(_coded(frames[other])), np.array(found.frames[other]["matrix"]), light.shape[1::-1]
    )
    assert np.abs(light[inner] - theirs[inner]).mean() > 0.05


def test_where_nothing_moved_nothing_is_told_and_a_straight_lens_is_left_alone(tmp_path: Path) -> None:
    frames = [seen(painted_sphere(), turn(b, p)) for p in (-8, 8) for b in (-20, 0, 20)]
    # One of them much out of focus: what is blurred has not moved.
    frames[1] = cv2.GaussianBlur(frames[1], (0, 0), 2.0)
    found = join(written(tmp_path, frames), as_given=True, exposures=None, sensor_mm=None)
    assert found.ghosts == []
    assert found.corners_share == 0.0
    assert bend_words(found) is None


def _coded(frame: np.ndarray) -> np.ndarray:
    return np.round(np.clip(frame, 0, 1) * 65535).astype(np.uint16)


WIDE = [turn(b, 0.0) for b in (-20, -10, 0, 10, 20)]
# Who stands at which bearing while a frame is taken.
STANDS = {0: -9.0, 1: 3.0, 2: -14.0, 3: -4.0, 4: 31.0}


def test_whoever_walks_through_a_grid_is_there_whole_or_not_at_all(tmp_path: Path) -> None:
    """Five frames that overlap by half and more, in each somebody elsewhere; the last where one frame alone looks."""
    sphere = painted_sphere()
    still = [seen(sphere, basis) for basis in WIDE]
    walked = [standing(frame, STANDS[k], -20.0 + 10.0 * k) for k, frame in enumerate(still)]
    waiting = []
    for k, frame in enumerate(still):
        for bearing in STANDS.values():
            if abs(bearing + 20.0 - 10.0 * k) < 26.0:
                frame = standing(frame, bearing, -20.0 + 10.0 * k)
        waiting.append(frame)
    joined = {}
    for name, frames in (("still", still), ("walked", walked), ("waiting", waiting)):
        (tmp_path / name).mkdir()
        joined[name] = join(written(tmp_path / name, frames), as_given=True, exposures=None, sensor_mm=None,
                            projection="sphere")  # fmt: skip
    assert joined["still"].ghosts == []
    told = [str(ghost_words(ghost)) for ghost in joined["walked"].ghosts]
    assert any("passed in frame-00" in says and "is left out of it" in says for says in told)
    light = {name: cv2.GaussianBlur(linear_of(one.pixels), (0, 0), 5.0) for name, one in joined.items()}

    def about(name: str, bearing: float) -> np.ndarray:
        column, row = np.round(joined[name].canvas.places_of(turn(bearing, 0.0)[2][None])[0]).astype(int)
        return light[name][row - 28 : row + 28, column - 9 : column + 9]

    for bearing in STANDS.values():
        off = [np.abs(about("walked", bearing) - about(name, bearing)).mean() for name in ("still", "waiting")]
        # Half of somebody is as far from the one as from the other.
        assert max(off) > 0.05
        assert min(off) < 0.35 * max(off), (bearing, off)
        if bearing == STANDS[4]:
            assert off[1] < off[0], "whom no other frame sees past is there"
