"""Motion between frames, planted by a warp of SciPy in made content."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from scipy.ndimage import affine_transform

from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from verispect.prove.align.motion import Bands, at_level, at_middle, covered, enlarged, halvings, motion_between

ROWS, COLUMNS = 240, 360
MIDDLE = ((COLUMNS - 1) / 2, (ROWS - 1) / 2)
FOCAL = 900.0


def content(seed: int = 0) -> np.ndarray:
    """Detail of every size, as outdoor scenes have it (amplitude as 1/f)."""
    rng = np.random.default_rng(seed)
    rows, columns = ROWS + 80, COLUMNS + 80
    fy, fx = np.meshgrid(np.fft.fftfreq(rows), np.fft.rfftfreq(columns), indexing="ij")
    radius = np.maximum(np.hypot(fy, fx), 1.0 / columns)
    spectrum = np.fft.rfft2(rng.standard_normal((rows, columns))) / radius**1.1
    made = np.fft.irfft2(spectrum, (rows, columns))
    return (0.4 + 0.12 * made / made.std()).astype(np.float32)


def cut(whole: np.ndarray, *, down: float = 0.0, right: float = 0.0, turn_deg: float = 0.0, grow: float = 1.0):
    """The middle of a picture, its content moved down and right, turned clockwise and grown about the middle."""
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    # Row and column of the source for each of the result.
    matrix = np.array([[c, -s], [s, c]]) / grow
    middle = np.array([MIDDLE[1], MIDDLE[0]])
    offset = middle + 40 - matrix @ (middle + np.array([down, right]))
    return affine_transform(whole, matrix, offset, output_shape=(ROWS, COLUMNS), order=5, mode="reflect")


def found(first: np.ndarray, second: np.ndarray, planned: np.ndarray | None = None, *, rotate: bool = True):
    planned = np.eye(3) if planned is None else planned
    return motion_between(first, second, planned=planned, focal_px=FOCAL, centre_px=MIDDLE, rotate=rotate)


@settings(max_examples=15, deadline=None)
@given(
    st.floats(-9, 9), st.floats(-9, 9), st.floats(-0.6, 0.6), st.floats(0.99, 1.01), st.integers(0, 50)
)  # fmt: skip
def test_a_planted_motion_is_found_to_a_few_hundredths(
    down: float, right: float, turn: float, grow: float, seed: int
) -> None:
    whole = content(seed)
    # Pixels that are pushed aside, which no turn of a camera does.
    motion = found(cut(whole, down=down, right=right, turn_deg=turn, grow=grow), cut(whole), rotate=False)
    assert motion.trusted
    back_down, back_right, back_turn, back_grow = at_middle(motion.matrix, MIDDLE)
    # The motion lays the moved frame back over the other.
    assert back_grow * grow == pytest.approx(1.0, abs=3e-4)
    assert back_turn == pytest.approx(-turn, abs=0.012)
    place = motion.matrix @ np.array([MIDDLE[0] + right, MIDDLE[1] + down, 1.0])
    assert place[:2] / place[2] == pytest.approx(MIDDLE, abs=0.06)
    assert np.hypot(back_down, back_right) == pytest.approx(np.hypot(down, right), abs=0.25)


@pytest.mark.parametrize(("bearing", "pitch", "roll"), [(1.6, -0.9, 0.1), (-2.5, 0.4, 0.0), (4.0, 2.0, -0.5)])
def test_a_camera_that_was_pushed_far_is_found_in_the_corners_too(bearing: float, pitch: float, roll: float) -> None:
    """Seen from a sphere: a push that was taken for a shift left corners off by what no turn takes back."""
    here, there = turn(0.0, 0.0), turn(bearing, pitch, roll)
    first, second = (
        np.asarray(seen(painted_sphere(), basis).mean(axis=2), np.float32) for basis in (there, here)
    )  # fmt: skip
    middle = ((SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2)
    to = np.array([[FOCAL_PX, 0, middle[0]], [0, FOCAL_PX, middle[1]], [0, 0, 1.0]]) @ np.diag([1.0, -1.0, 1.0])
    true = to @ here @ there.T @ np.linalg.inv(to)
    motion = motion_between(first, second, planned=np.eye(3), focal_px=FOCAL_PX, centre_px=middle)
    wide, high = SIZE
    corners = np.array([[40, 40, 1], [wide - 41, 40, 1], [40, high - 41, 1], [wide - 41, high - 41, 1.0]]).T
    told, right = motion.matrix @ corners, true @ corners
    off = np.hypot(*(told[:2] / told[2] - right[:2] / right[2]))
    assert off.max() < 0.03


def test_two_frames_of_one_place_have_not_moved() -> None:
    frame = cut(content())
    motion = found(frame, frame.copy())
    assert motion.matrix == pytest.approx(np.eye(3), abs=1e-3)
    assert motion.correlation > 0.999
    assert motion.residual_px < 0.01


def test_noise_and_another_exposure_do_not_mislead_it() -> None:
    whole, rng = content(3), np.random.default_rng(1)
    first = cut(whole, down=2.5, right=-1.75) + rng.normal(0, 0.01, (ROWS, COLUMNS)).astype(np.float32)
    second = (0.5 * cut(whole) + rng.normal(0, 0.01, (ROWS, COLUMNS))).astype(np.float32)
    place = found(first.astype(np.float32), second).matrix @ np.array([MIDDLE[0] - 1.75, MIDDLE[1] + 2.5, 1.0])
    assert place[:2] / place[2] == pytest.approx(MIDDLE, abs=0.1)


def test_a_blurred_frame_is_laid_over_a_sharp_one() -> None:
    whole = content(4)
    blurred = ndimage.gaussian_filter(cut(whole, down=1.4, right=3.2), 2.0)
    place = found(blurred, cut(whole)).matrix @ np.array([MIDDLE[0] + 3.2, MIDDLE[1] + 1.4, 1.0])
    assert place[:2] / place[2] == pytest.approx(MIDDLE, abs=0.15)


def test_frames_of_different_things_are_not_trusted() -> None:
    assert not found(cut(content(1)), cut(content(2))).trusted


def test_what_moved_by_itself_is_left_over() -> None:
    """Half of the picture moved, half did not: no turn of the whole mends it."""
    whole = content(5)
    first, second = cut(whole), cut(whole)
    first = first.copy()
    first[: ROWS // 2] = cut(whole, right=2.0)[: ROWS // 2]
    assert found(first, second).residual_px > 0.5
    assert found(cut(whole, right=2.0), second).residual_px < 0.1


def test_it_begins_at_the_plan() -> None:
    """A motion far beyond what the pictures have in common at first sight, planned to a pixel."""
    whole = content(6)
    planned = np.array([[1, 0, -30.0], [0, 1, 0], [0, 0, 1]])
    motion = found(cut(whole, right=31.3), cut(whole), planned)
    assert motion.matrix[0, 2] == pytest.approx(-31.3, abs=0.1)


@pytest.mark.parametrize("divide", [1, 2, 4])
def test_middles_of_small_pixels_lie_on_those_of_what_they_were_made_of(divide: int) -> None:
    # Pixel 0 of the small picture is the mean of pixels 0 to divide - 1.
    assert (enlarged(divide) @ [0.0, 0.0, 1.0])[:2] == pytest.approx([(divide - 1) / 2.0] * 2)
    shift = np.array([[1.0, 0, 8.0], [0, 1.0, -4.0], [0, 0, 1.0]])
    assert at_level(shift, divide)[:2, 2] == pytest.approx([8.0 / divide, -4.0 / divide])


def test_halved_until_there_are_few_enough() -> None:
    assert halvings((1000, 1000), 1_000_000) == 1
    assert halvings((1001, 1000), 1_000_000) == 2
    assert halvings((6000, 4000), 450_000) == 8


@given(
    st.tuples(st.integers(20, 70), st.integers(20, 90)), st.tuples(st.integers(20, 70), st.integers(20, 90)),
    st.floats(-0.6, 0.6), st.floats(0.9, 1.1), st.tuples(st.floats(-40, 40), st.floats(-40, 40)),
    st.tuples(st.floats(-1e-3, 1e-3), st.floats(-1e-3, 1e-3)),
)  # fmt: skip
def test_where_a_picture_reaches_is_where_opencv_draws_all_of_it(picture, base, turn, grow, shift, lean) -> None:
    """Against a warp of ones: all but pixels within a hundredth of the edge, and far over the horizon too."""
    c, s = grow * np.cos(turn), grow * np.sin(turn)
    matrix = np.array([[c, -s, shift[0]], [s, c, shift[1]], [*lean, 1.0]])
    found = covered(matrix, picture, base)
    drawn = cv2.warpPerspective(np.ones(picture, np.float32), matrix, base[::-1], flags=cv2.INTER_LINEAR)
    assert not (found & (drawn < 0.97)).any()
    assert not (~found & (drawn > 0.9999)).any()


def test_what_lies_partly_behind_the_camera_is_drawn() -> None:
    matrix = np.array([[1.0, 0, 3], [0, 1, 2], [-0.02, 0, 1.0]])
    drawn = cv2.warpPerspective(np.ones((60, 90), np.float32), matrix, (90, 60), flags=cv2.INTER_LINEAR)
    assert np.array_equal(covered(matrix, (60, 90), (60, 90)), drawn > 0.999)


def test_bands_stay_what_they_were_however_often_they_are_laid() -> None:
    """OpenCV 5 put its window over the coarsest of them, each time again."""
    rng = np.random.default_rng(5)
    pictures = [cv2.GaussianBlur(rng.normal(0.5, 0.2, (240, 360)).astype(np.float32), (0, 0), 2.0) for _ in range(2)]
    kept = [Bands(picture) for picture in pictures]
    how = {"planned": np.eye(3), "focal_px": 400.0, "centre_px": (179.5, 119.5)}
    first = motion_between(kept[0], kept[1], **how)
    again = motion_between(kept[0], kept[1], **how)
    fresh = motion_between(pictures[0], pictures[1], **how)
    assert np.array_equal(first.matrix, again.matrix)
    assert np.array_equal(first.matrix, fresh.matrix)
    for band, picture in zip(kept, pictures, strict=True):
        for divide in (1, 2):
            assert np.array_equal(band.at(divide), Bands(picture).at(divide))
