"""Things that stand aside in one frame, planted under blur, breathing and noise; none where nothing moved."""

from __future__ import annotations

import itertools

import cv2
import numpy as np
import pytest
from scipy import ndimage

from tests.prove.merge.test_lights import out_of_focus
from tests.prove.shake.test_shaken import disc
from verispect.prove.checks import moved as checked
from verispect.prove.checks.moved import between, moved_in

ROWS, COLUMNS = 400, 600


def scene(blur: float, scale: float, *, moved: float = 0.0, seed: int = 1) -> np.ndarray:
    """Grain of two kinds, a board of it in front moved to the right; blurred, drawn larger, with noise."""
    rng = np.random.default_rng(seed)
    ground = 0.2 + 0.5 * ndimage.gaussian_filter(rng.random((ROWS, COLUMNS)), 1.2)
    board = 0.2 + 0.5 * ndimage.gaussian_filter(rng.random((ROWS, COLUMNS)), 1.2)
    ground[150:270, 200:330] = board[150:270, 200:330]
    if moved:
        shifted = ndimage.shift(board, (0, moved), order=1, mode="wrap")
        left = 200 + round(moved)
        ground[150:270, 200:330] = ndimage.gaussian_filter(rng.random((120, 130)), 1.2) * 0.5 + 0.2
        ground[150:270, left : left + 130] = shifted[150:270, left : left + 130]
    soft = ndimage.gaussian_filter(ground, blur)
    at = (np.array([ROWS, COLUMNS]) - 1) / 2
    grown = ndimage.affine_transform(soft, [1 / scale, 1 / scale], at - at / scale, order=1, mode="nearest")
    return (grown + np.random.default_rng(seed + int(10 * blur)).normal(0, 0.004, grown.shape)).astype(np.float32)


def steps(scales: list[float]) -> list[np.ndarray]:
    found = [np.eye(3)]
    for before, now in itertools.pairwise(scales):
        s = before / now
        at = np.array([(COLUMNS - 1) / 2, (ROWS - 1) / 2])
        found.append(np.array([[s, 0, at[0] * (1 - s)], [0, s, at[1] * (1 - s)], [0, 0, 1.0]]))
    return found


SCALES = [1.0, 1.004, 1.008, 1.012]
BLURS = [0.5, 1.5, 2.5, 3.5]


@pytest.mark.parametrize("odd", [0, 1, 2, 3])
@pytest.mark.parametrize("shift", [6.0, 15.0])
def test_a_board_that_stands_aside_in_one_frame_is_found_there(odd: int, shift: float) -> None:
    frames = [
        scene(blur, scale, moved=shift if k == odd else 0.0)
        for k, (blur, scale) in enumerate(zip(BLURS, SCALES, strict=True))
    ]
    found = moved_in(frames, steps(SCALES))
    assert [k for k, one in enumerate(found) if one is not None] == [odd]
    # The window draws the middle of a far thing a little nearer.
    assert found[odd].shift == pytest.approx(shift, abs=1.5)
    assert 130 < found[odd].row < 290
    assert 180 < found[odd].column < 360


@pytest.mark.parametrize("odd", [0, 2])
def test_what_is_too_small_in_small_pictures_is_found_in_larger_ones(odd: int) -> None:
    def seen(blur: float, at: int) -> np.ndarray:
        rng = np.random.default_rng(7)
        picture = 0.2 + 0.5 * ndimage.gaussian_filter(rng.random((800, 1200)), 2.5)
        picture[300:370, at : at + 80] = 0.2 + 0.5 * ndimage.gaussian_filter(rng.random((70, 80)), 1.5)
        noise = np.random.default_rng(int(10 * blur)).normal(0, 0.004, picture.shape)
        return (ndimage.gaussian_filter(picture, blur) + noise).astype(np.float32)

    frames = [seen(blur, 612 if k == odd else 600) for k, blur in enumerate(BLURS)]
    found = moved_in(frames, [np.eye(3)] * 4)
    assert [k for k, one in enumerate(found) if one is not None] == [odd]
    assert found[odd].shift == pytest.approx(12.0, abs=1.5)
    assert 280 < found[odd].row < 390
    still = [seen(blur, 600) for blur in BLURS]
    assert moved_in(still, [np.eye(3)] * 4) == [None] * 4


@pytest.mark.parametrize("moved", [0, 9])
def test_a_card_that_is_far_out_of_focus_in_the_third_frame_is_told(moved: int) -> None:
    """Lines of letters on a card before a still wall; the third frame shows the wall as the others do."""

    def seen(soft: float, at: int, noise: int) -> np.ndarray:
        rng = np.random.default_rng(3)
        wall = 0.5 + 0.01 * ndimage.gaussian_filter(rng.normal(0, 1, (ROWS, COLUMNS)), 1.5) * 5.0
        card, cover = np.zeros((ROWS, COLUMNS)), np.zeros((ROWS, COLUMNS))
        card[170:205, at : at + 34], cover[170:205, at : at + 34] = 0.45, 1.0
        for row in (172, 180, 188):
            card[row : row + 5, at + 2 : at + 32] = np.where(rng.random((5, 30)) < 0.5, 0.15, 0.45)
        card, cover = (ndimage.gaussian_filter(part, soft) for part in (card, cover))
        grain = np.random.default_rng(noise).normal(0, 0.002, wall.shape)
        return (wall * (1.0 - cover) + card + grain).astype(np.float32)

    frames = [seen(0.7, 280, 1), seen(1.2, 280 + moved, 2), seen(4.0, 280, 3)]
    found = moved_in(frames, [np.eye(3)] * 3)
    if not moved:
        assert found == [None] * 3
        return
    assert found[1].shift == pytest.approx(moved, abs=1.5)
    assert 150 < found[1].row < 220
    assert found[2] is None


def test_where_nothing_moved_nothing_is_told() -> None:
    frames = [scene(blur, scale) for blur, scale in zip(BLURS, SCALES, strict=True)]
    assert moved_in(frames, steps(SCALES)) == [None] * 4
    assert moved_in(frames[:2], steps(SCALES)[:2]) == [None, None], "of two neither is the odd one"


def test_of_two_pictures_blocks_tell_what_is_the_same_and_what_stands_aside() -> None:
    one, same, moved = scene(0.5, 1.0), scene(1.5, 1.0), scene(1.5, 1.0, moved=11.0)
    shown = np.ones(one.shape, bool)
    shown[:, :60] = False
    held = between(one, same, shown)
    assert held.aside is None
    assert len(held.same) > 100
    assert min(column for _, column in held.same) > 60
    held = between(one, moved, shown)
    assert held.aside.shift == pytest.approx(11.0, abs=1.5)
    assert 130 < held.aside.row < 290
    # Two that show nothing alike are not laid over one another, and tell of nothing that moved.
    assert between(one, scene(0.5, 1.0, seed=9), shown).aside is None


@pytest.mark.parametrize("disc_px", [0.0, 6.0, 14.0])
def test_how_much_one_of_two_is_blurred_more_is_told_by_edges_that_both_show(disc_px: float) -> None:
    """A wall of boards of every size, blurred by an even disc, one board of it moved."""
    rng = np.random.default_rng(4)

    def wall(at: int) -> np.ndarray:
        rng = np.random.default_rng(4)
        picture = np.full((ROWS, COLUMNS), 0.4)
        for _ in range(260):
            top, left, high, wide = (int(rng.uniform(*span)) for span in ((0, 380), (0, 570), (12, 50), (12, 50)))
            picture[top : top + high, left : left + wide] = rng.uniform(0.1, 0.8)
        for row, column in itertools.product(range(4), range(4)):
            picture[150 + 30 * row : 175 + 30 * row, at + 30 * column : at + 25 + 30 * column] = rng.uniform(0.1, 0.8)
        return picture

    sharp, other = (np.asarray(light + rng.normal(0, 0.002, light.shape), np.float32) for light in (
        wall(300), out_of_focus(wall(311), disc_px)))  # fmt: skip
    held = between(sharp, other, np.ones(sharp.shape, bool))
    assert held.aside is not None
    assert held.blurred == pytest.approx(disc_px, rel=0.4, abs=2.0)


def test_an_edge_alone_is_no_place_to_tell_it_from() -> None:
    """Half dark, half bright: blur and noise may slide it, and nothing moved."""
    frames = []
    for k, blur in enumerate(BLURS):
        plain = np.where(np.arange(COLUMNS)[None] < 300 + 3 * (k == 1), 0.2, 0.7) * np.ones((ROWS, 1))
        noise = np.random.default_rng(k).normal(0, 0.004, plain.shape)
        frames.append((ndimage.gaussian_filter(plain, blur) + noise).astype(np.float32))
    assert moved_in(frames, [np.eye(3)] * 4) == [None] * 4


@pytest.mark.parametrize(("near", "far"), [(9, 2), (12, 1)])
def test_courses_of_brick_whose_contrast_blur_turned_over_have_not_moved(near: int, far: int) -> None:
    """Past the first zero of a disc light and dark change places: the wall looks half a course aside."""
    rng = np.random.default_rng(0)
    rows, columns = np.mgrid[0:480, 0:640]
    course = rows // 17
    along = columns + course % 2 * 17
    tone = rng.uniform(0.85, 1.15, (30, 21))[course, along // 34] * rng.normal(1.0, 0.03, rows.shape)
    wall = (np.where((rows % 17 < 2) | (along % 34 < 2), 0.6, 0.3) * tone).astype(np.float32)
    one, other = (
        (disc(wall, diameter) + rng.normal(0.0, 0.004, wall.shape)).astype(np.float32) for diameter in (near, far)
    )
    assert between(one, other, np.ones(wall.shape, bool)).aside is None


def kept_by_jpeg(light: np.ndarray) -> np.ndarray:
    """Linear light as a JPEG of quality 85 keeps it."""
    coded = np.round(255.0 * np.clip(light, 0.0, 1.0) ** (1 / 2.2)).astype(np.uint8)
    _, written = cv2.imencode(".jpg", coded, [cv2.IMWRITE_JPEG_QUALITY, 85])
    read = cv2.imdecode(written, cv2.IMREAD_GRAYSCALE)
    return ((read / 255.0) ** 2.2).astype(np.float32)


def test_blocks_that_a_jpeg_leaves_in_a_sky_have_not_moved(monkeypatch) -> None:
    """Two frames of a turning camera: the sky is the same, the squares of 8 pixels lie where each frame has them."""
    rng = np.random.default_rng(2)
    rows, columns = np.mgrid[0:400, 0:700].astype(np.float32)
    sky = 0.45 + 1e-4 * rows + 2e-5 * columns
    sky[250:] *= 1.0 + cv2.GaussianBlur(rng.normal(0.0, 0.6, (150, 700)).astype(np.float32), (0, 0), 1.2)
    frames = [sky + rng.normal(0.0, 0.002, sky.shape) for _ in range(2)]
    first, second = kept_by_jpeg(frames[0][:, :600])[:, 13:], kept_by_jpeg(frames[1][:, 13:613])[:, :587]
    whole = np.ones(first.shape, bool)
    held = between(first, second, whole)
    assert held.aside is None
    assert len(held.same) > 20
    # Where next to nothing counts as well those squares are what moved.
    monkeypatch.setattr(checked, "_FAINT", 0.0)
    assert between(first, second, whole).aside is not None
