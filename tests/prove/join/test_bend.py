"""A lens that bends lines: frames of a painted sphere, bent as OpenCV's camera model has it, come out straight."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.prove.join.spheres import FOCAL_PX, SIZE, apart_deg, taken, turn
from verispect.prove.expected import View
from verispect.prove.intake import described
from verispect.prove.join import bend as bend_module
from verispect.prove.join.bend import corner_tangent, straightened
from verispect.prove.join.canvas import frame_maps
from verispect.prove.join.grid import Room, join
from verispect.prove.join.pointing import Pair
from verispect.prove.join.written import bend_words

BASES = [turn(b, p) for p in (-9, 9) for b in (-26, 0, 26)]
CORNER = 0.5 * math.hypot(*SIZE) / FOCAL_PX


@given(st.floats(-0.25, 0.4), st.floats(0.0, SIZE[0] - 1.0), st.floats(0.0, SIZE[1] - 1.0))
def test_drawn_and_back_as_opencv_has_it(bend: float, column: float, row: float) -> None:
    """`cv2.projectPoints` for the way there; the way back by its own inverse."""
    view = View(np.eye(3), FOCAL_PX, (200.0, 150.0), bend)
    matrix = np.array([[FOCAL_PX, 0, 200.0], [0, FOCAL_PX, 150.0], [0, 0, 1.0]])
    ray = np.array([[(column - 200.0) / FOCAL_PX, (row - 150.0) / FOCAL_PX, 1.0]])
    told = cv2.projectPoints(ray, np.zeros(3), np.zeros(3), matrix, np.array([bend, 0, 0, 0.0]))[0][0, 0]
    drawn = view.drawn(np.array([column]), np.array([row]))
    np.testing.assert_allclose(np.concatenate(drawn), told, atol=1e-6)
    np.testing.assert_allclose(np.concatenate(view.undrawn(*drawn)), [column, row], atol=1e-4)
    # What the joined picture asks of the frame is the same place; rows go down where up is up.
    at = frame_maps(view, (ray * (1.0, -1.0, 1.0))[None])
    np.testing.assert_allclose([at[0][0, 0], at[1][0, 0]], told, atol=1e-3)


def test_what_lies_far_beyond_the_frame_is_not_drawn_into_it() -> None:
    """A barrel's cubic comes back upon itself far outside: there nothing is seen."""
    view = View(np.eye(3), FOCAL_PX, (240.0, 160.0), -0.2)
    slants = np.linspace(1.3, 30.0, 200)
    columns, _ = frame_maps(view, np.stack([slants, np.zeros(200), np.ones(200)], axis=1)[None])
    assert columns.max() < 0.0


@pytest.mark.parametrize(("share", "planned"), [(-0.03, True), (0.012, False)])
def test_bent_frames_are_joined_straight(tmp_path: Path, share: float, planned: bool) -> None:
    """Corners 3 % farther in, or 1.2 % farther out: found within 0.3 % of the corners' way, turns within a pixel."""
    k1 = share / CORNER**2
    paths = taken(tmp_path, BASES, k1=k1)
    found = join(paths, as_given=True, exposures=None, sensor_mm=None) if not planned else _planned(paths)
    assert found.corners_share == pytest.approx(share, abs=0.003)
    turns = [np.array(frame["rotation"]) for frame in found.frames]
    worst = max(
        apart_deg(BASES[a] @ BASES[b].T, turns[a] @ turns[b].T) for a in range(6) for b in range(a)
    )  # fmt: skip
    assert math.radians(worst) * FOCAL_PX < 1.0
    assert np.median([pair["residual_px"] for pair in found.pairs]) < 0.5
    assert found.doubtful == []
    assert ("farther in" if share < 0 else "farther out") in str(bend_words(found))


def _planned(paths: list[Path]):
    """Joined from where the frames were meant to look, each a few hundredths of a degree off."""
    from verispect.prove.join import grid

    rng = np.random.default_rng(5)
    views = []
    for basis in BASES:
        off = cv2.Rodrigues(np.radians(rng.uniform(-0.04, 0.04, 3)))[0]
        views.append(View(off @ basis, FOCAL_PX, ((SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2)))
    placed = grid.Placed([[k] for k in range(len(views))], views)
    room = Room(paths[0].parent / "room")
    room.folder.mkdir()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(grid, "_planned_places", lambda *_args: placed)
        patch.setattr(grid, "discs_between", lambda *_args: lambda _a, _b: 0.0)
        return join(paths, as_given=True, exposures=[None] * 6, sensor_mm=(36.0, 24.0), room=room)


@given(st.floats(0.02, 0.2), st.integers(0, 4), st.booleans())
def test_what_one_pair_alone_tells_is_no_lens(bend: float, odd: int, all_of_them: bool) -> None:
    """Pairs of which each tells a k of its own: with the same all of them do, or one shows what drifted."""
    rng = np.random.default_rng(odd)
    by_bend = [rng.normal(0.0, 30.0, 40) for _ in range(5)]
    told = {
        k: bend_module._Seen(one, (bend if all_of_them or k == odd else 0.0) * one + rng.normal(0.0, 0.02, 40))
        for k, one in enumerate(by_bend)
    }
    pairs = [Pair(k, k + 1, 0.3, 0.9, np.zeros(3), 0.1) for k in range(5)]
    views = [View(basis, FOCAL_PX, (239.5, 159.5)) for basis in BASES]
    straight = [np.zeros((SIZE[1] // 2, SIZE[0] // 2), np.float32)] * 6
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(bend_module, "_seen", lambda _views, _bands, pair, _divide: told[pair.a])
        found = bend_module.more_bend(views, straight, pairs, SIZE)
        assert found == (pytest.approx(bend, rel=0.02) if all_of_them else None)
        # One of several pairs that tells anything is not enough; the only one there is has nobody to ask.
        only = pairs[odd : odd + 1]
        assert bend_module.more_bend(views, straight, only, SIZE) == pytest.approx(bend, rel=0.02)
        lost = [pair if pair in only else replace(pair, correlation=0.1) for pair in pairs]
        assert bend_module.more_bend(views, straight, lost, SIZE) is None


def test_straightening_takes_out_what_opencv_put_in(tmp_path: Path) -> None:
    """Against the same frame by a lens that bends nothing."""
    bent, straight = (taken(_made(tmp_path / str(k1)), BASES[:1], k1=k1)[0] for k1 in (-0.1, 0.0))
    from verispect.prove.intake import grey_linear, read_coded

    view = View(np.eye(3), FOCAL_PX, ((SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2), -0.1)
    greys = [grey_linear(read_coded(described(path)), 2) for path in (bent, straight)]
    off = np.abs(greys[0] - greys[1])[4:-4, 4:-4]
    left = np.abs(straightened(greys[0], view, SIZE) - greys[1])[4:-4, 4:-4]
    assert corner_tangent(view, SIZE) == pytest.approx(CORNER)
    assert left.mean() < 0.3 * off.mean()


def _made(folder: Path) -> Path:
    folder.mkdir()
    return folder
