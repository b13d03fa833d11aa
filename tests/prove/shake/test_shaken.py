"""Shakes planted in series of the kind that mislead: posts that come into focus one after another."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import pytest

from tests.prove.shake.test_swing import moved_as
from verispect.prove.shake import shaken as checks_shaken
from verispect.prove.shake.even_motion import Shaken
from verispect.prove.shake.shaken import above_noise, powers_in, shaken_in
from verispect.prove.shake.swing import Swing, swing_between

SIZE = (768, 512)


def texture(seed: int) -> np.ndarray:
    """What falls with the frequency as outdoor scenes do, alike in every direction."""
    rng = np.random.default_rng(seed)
    down, across = np.meshgrid(np.fft.fftfreq(SIZE[1]), np.fft.rfftfreq(SIZE[0]), indexing="ij")
    spectrum = np.fft.rfft2(rng.normal(0.0, 1.0, SIZE[::-1])) / np.maximum(np.hypot(down, across), 1.0 / SIZE[0])
    made = np.fft.irfft2(spectrum, SIZE[::-1])
    return (0.4 + 0.1 * made / made.std()).clip(0.05, 0.95).astype(np.float32)


def disc(picture: np.ndarray, diameter: float) -> np.ndarray:
    """Out of focus, by a disc drawn eight times as large."""
    side = 2 * int(np.ceil(diameter / 2 + 1)) + 1
    large = np.zeros((8 * side, 8 * side), np.float32)
    cv2.circle(large, (4 * side, 4 * side), round(4 * diameter), 1.0, -1)
    kernel = cv2.resize(large, (side, side), interpolation=cv2.INTER_AREA)
    return cv2.filter2D(picture, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REFLECT)


def series(shake: tuple[int, float, float] | None = None, *, posts: bool = True) -> list[np.ndarray]:
    """Five frames from near to far: posts sharp in the first, what stands behind them in the last."""
    wall, near = texture(3), texture(4)
    standing = np.zeros_like(wall)
    for left in range(30, 768, 90 if posts else 10_000):
        standing[:, left : left + 7 + left % 5] = float(posts)
    rng, frames = np.random.default_rng(1), []
    for k in range(5):
        cover = disc(standing, 1.0 + 2.0 * k)
        frame = disc(near * standing, 1.0 + 2.0 * k) + disc(wall, 9.0 - 2.0 * k) * (1.0 - cover)
        if shake is not None and shake[0] == k:
            frame = moved_as(frame, *shake[1:])
        frames.append((frame + rng.normal(0.0, 0.002, frame.shape)).astype(np.float32))
    return frames


@pytest.mark.parametrize(("length", "direction"), [(3.5, 30.0), (5.0, 150.0), (4.5, 90.0), (6.0, 0.0)])
def test_a_shaken_frame_is_told_with_its_length_and_direction(length: float, direction: float) -> None:
    found = shaken_in(above_noise([powers_in(frame) for frame in series((2, length, direction))]))
    assert set(found) == {2}
    assert found[2].length_px == pytest.approx(length, rel=0.2)
    assert min(abs(found[2].direction_deg - direction), 180 - abs(found[2].direction_deg - direction)) < 5.0


@pytest.mark.parametrize("frame", [0, 4])
def test_so_are_the_first_and_the_last(frame: int) -> None:
    found = shaken_in(above_noise([powers_in(one) for one in series((frame, 6.0, 40.0))]))
    assert set(found) == {frame}
    assert abs(found[frame].direction_deg - 40.0) < 6.0


@pytest.mark.parametrize("stops", [-1.5, 1.0])
def test_another_exposure_beside_it_changes_nothing(stops: float) -> None:
    """What power a frame has for its light alone it has not lost."""
    told = [above_noise([powers_in(frame) for frame in frames]) for frames in (
        series((2, 5.0, 60.0)), [frame * 2.0 ** (stops * (k == 3)) for k, frame in enumerate(series((2, 5.0, 60.0)))]
    )]  # fmt: skip
    plain, lit = (shaken_in(powers) for powers in told)
    assert lit == plain
    assert np.nanmax(np.abs(told[0][3] - told[1][3])) < 0.01


def as_jpeg(frame: np.ndarray, quality: int) -> np.ndarray:
    coded = np.clip(frame, 0.0, 1.0) ** (1.0 / 2.2) * 255.0
    _, file = cv2.imencode(".jpg", np.round(coded).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, quality])
    return (cv2.imdecode(file, cv2.IMREAD_GRAYSCALE) / 255.0).astype(np.float32) ** 2.2


@pytest.mark.parametrize("quality", [85, 95])
def test_in_compressed_frames_too(quality: int) -> None:
    frames = [as_jpeg(frame, quality) for frame in series((1, 5.0, 40.0))]
    found = shaken_in(above_noise([powers_in(frame, compressed=True) for frame in frames]))
    assert set(found) == {1}
    assert abs(found[1].direction_deg - 40.0) < 6.0
    still = [as_jpeg(frame, quality) for frame in series()]
    assert shaken_in(above_noise([powers_in(frame, compressed=True) for frame in still])) == {}


def from_a_camera(frame: np.ndarray, seed: int) -> np.ndarray:
    """What a camera writes: noise behind a colour filter array, undone by OpenCV, sharpened, as JPEG."""
    rng = np.random.default_rng(seed)
    light = np.clip(frame + rng.normal(0.0, 0.012, frame.shape) * np.sqrt(np.maximum(frame, 0.0)), 0.0, 1.0)
    colours = cv2.demosaicing((light * 65535).astype(np.uint16), cv2.COLOR_BayerBG2RGB_EA) / np.float32(65535)
    grey = cv2.cvtColor(colours, cv2.COLOR_RGB2GRAY) ** (1.0 / 2.2)
    return as_jpeg((grey + 0.6 * (grey - cv2.GaussianBlur(grey, (0, 0), 1.0))).clip(0.0, 1.0) ** 2.2, 90)


def with_plain_parts(frame: np.ndarray) -> np.ndarray:
    """Most of what is photographed shows little but noise: half of it a wall of even grey."""
    made = frame.copy()
    made[:, 384:] = 0.4 + 0.03 * (made[:, 384:] - 0.4)
    return made


def test_noise_as_a_camera_leaves_it_hides_no_shake() -> None:
    """Coloured, it had counted as detail that no shake takes from."""
    frames = [
        from_a_camera(with_plain_parts(frame), k) for k, frame in enumerate(series((2, 5.0, 40.0), posts=False))
    ]
    powers = [powers_in(frame, compressed=True) for frame in frames]
    found = shaken_in(above_noise(powers), compressed=True)
    assert set(found) == {2}
    assert abs(found[2].direction_deg - 40.0) < 6.0
    assert found[2].length_px == pytest.approx(5.0, rel=0.2)
    still = [from_a_camera(with_plain_parts(frame), k) for k, frame in enumerate(series(posts=False))]
    assert shaken_in(above_noise([powers_in(frame, compressed=True) for frame in still]), compressed=True) == {}


@pytest.mark.parametrize("posts", [True, False])
def test_focus_that_goes_from_posts_to_a_wall_is_no_shake(posts: bool) -> None:
    assert shaken_in(above_noise([powers_in(frame) for frame in series(posts=posts)])) == {}


def fence(posts_px: tuple[float, ...], wall_px: tuple[float, ...]) -> list[np.ndarray]:
    """A fence all over the picture and the wall behind it, each so far out of focus in every frame."""
    wall, near = texture(3), texture(4)
    standing = np.zeros_like(wall)
    for left in range(20, 768, 55):
        standing[:, left : left + 8 + left % 3] = 1.0
    rng, frames = np.random.default_rng(1), []
    for before, behind in zip(posts_px, wall_px, strict=True):
        frame = disc(0.6 * near * standing, before) + disc(wall, behind) * (1.0 - disc(standing, before))
        frames.append((frame + rng.normal(0.0, 0.002, frame.shape)).astype(np.float32))
    return frames


@pytest.mark.parametrize(
    ("posts", "wall"),
    [((2.0, 2.2, 2.4, 5.0), (6.0, 5.8, 5.6, 1.0)), ((1.0, 1.0, 1.0, 3.0), (5.0, 4.8, 4.6, 1.0))],
)
def test_a_fence_that_goes_out_of_focus_before_a_wall_is_no_shake(posts, wall, monkeypatch) -> None:
    still = fence(posts, wall)
    assert shaken_in(above_noise([powers_in(frame) for frame in still])) == {}
    shaken = [*still[:3], moved_as(still[2], 4.0, 0.0)]
    assert set(shaken_in(above_noise([powers_in(frame) for frame in shaken]))) == {3}
    # The fence alone would accuse it.
    monkeypatch.setattr(checks_shaken, "swing_beside_streaks", swing_between)
    monkeypatch.setattr(checks_shaken, "left_beside_streaks", lambda *_: None)
    assert set(shaken_in(above_noise([powers_in(frame) for frame in still]))) == {3}


def test_care_asks_for_more() -> None:
    powers = above_noise([powers_in(frame) for frame in series((2, 3.5, 30.0))])
    assert shaken_in(powers, lambda number: 100.0 if number == 2 else 1.0) == {}


def test_of_two_frames_and_of_plain_ones_nothing_is_told() -> None:
    powers = above_noise([powers_in(frame) for frame in series((1, 6.0, 40.0))[:2]])
    assert shaken_in(powers) == {}
    assert shaken_in(above_noise([powers_in(np.full((300, 300), 0.5, np.float32))] * 4)) == {}


@pytest.mark.parametrize(("rings", "told"), [(slice(0, 8), True), (slice(0, 3), False)])
def test_what_the_finest_detail_does_not_show_is_no_shake(rings: slice, told: bool) -> None:
    """Zeros of a disc, and the ripples of a simulated one, take from coarse rings alone."""
    rng = np.random.default_rng(3)
    frames = [rng.normal(0.0, 0.02, (60, 8, 12)) for _ in range(6)]
    theta = np.radians((np.arange(12) + 0.5) * 15.0)
    steep = np.geomspace(0.05, 0.36, 9)[:-1] ** 2 / 0.04
    lost = -1.0 * steep[:, None] * np.cos(2.0 * theta - 1.2)[None]
    frames[2][:, rings] += lost[rings]
    for frame in frames:
        # As where most is widely blurred: fine detail in few tiles.
        frame[9:, 3:] = np.nan
        frame[:, 5:] = np.nan
    assert (set(shaken_in(frames)) == {2}) == told
    assert set(shaken_in(frames)) <= {2}


def swings_are(monkeypatch: pytest.MonkeyPatch, swing: Callable[[np.ndarray, np.ndarray], Swing | None]) -> None:
    """Frames stand for their numbers; swings alone decide, and none is of streaks."""
    monkeypatch.setattr(checks_shaken, "swing_beside_streaks", swing)
    monkeypatch.setattr(checks_shaken, "left_beside_streaks", lambda *_: None)
    monkeypatch.setattr(checks_shaken, "_fitted", lambda *_: (0.0, Shaken(1.0, 0.0)))


@pytest.mark.parametrize(
    ("swings", "unsure", "frame"),
    [
        # Rehearsed, eight frames: the last tells nothing, and posts swing between the fifth and the sixth.
        ([(0.02, 0.07), (-0.01, 0.06), (0.0, 0.05), (-0.23, 0.09), (0.27, 0.13), (-0.73, 0.45), None],
         [(0.13, 0.09), (0.07, 0.06), (0.06, 0.03), (0.1, 0.05), (0.1, 0.03), (0.03, 0.03)], 6),
        ([(-0.07, -0.01), (-0.06, 0.11), (0.01, -0.04), (-0.03, 0.02), (0.4, 0.13), (-0.51, 0.77), None],
         [(0.11, 0.08), (0.07, 0.08), (0.05, 0.03), (0.15, 0.12), (0.09, 0.04), (0.05, 0.04)], 6),
        # Path-traced, four frames: against its last neighbour a frame lost most, and that looks shaken across it.
        ([(0.07, 0.05), (0.04, 0.53), (1.61, -0.53)], [(0.04, 0.03), (0.13, 0.12), (0.04, 0.05)], 2),
    ],
)  # fmt: skip
def test_of_neighbours_that_may_both_be_it_the_shaken_one_is_told(monkeypatch, swings, unsure, frame) -> None:
    """Swings as they were measured; which frame is taken to be shaken is what counts here."""

    def swing(own: np.ndarray, other: np.ndarray) -> Swing | None:
        first, second = int(own[0]), int(other[0])
        parts = swings[first] if second == first + 1 else None
        return None if parts is None else Swing(np.array(parts), np.array(unsure[first]))

    swings_are(monkeypatch, swing)
    assert set(shaken_in([np.full(1, k) for k in range(len(swings) + 1)])) == {frame}


@pytest.mark.parametrize(
    ("swings", "told"),
    [
        # The frame between two shaken ones looks shaken across; but it lost nothing in all directions.
        ({(0, 1): (1.1, -0.46, -0.9), (1, 2): (-1.72, -0.54, 0.51), (2, 3): (1.73, 0.51, -1.11),
          (0, 2): (-0.66, -1.0, -0.58), (1, 3): (0.01, 0.0, -0.26), (3, 4): (0.0, 0.01, -0.1),
          (4, 5): (-0.01, 0.0, -0.05), (5, 6): (0.0, 0.0, -0.03), (6, 7): (0.01, 0.0, 0.0)}, {0, 2}),
        # The first two of four: once the second is known the first is held against the third.
        ({(0, 1): (2.12, 0.82, -0.5), (0, 2): (0.52, 1.99, -1.31), (1, 2): (-1.47, 1.31, -1.15),
          (2, 3): (0.0, 0.0, -0.09)}, {0, 1}),
    ],
)  # fmt: skip
def test_neighbours_that_were_both_shaken_are_told(monkeypatch, swings, told) -> None:
    """Swings of rehearsed series as they were measured, with what was lost in all directions."""

    def swing(own: np.ndarray, other: np.ndarray) -> Swing | None:
        known = swings.get((int(own[0]), int(other[0])))
        return None if known is None else Swing(np.array(known[:2]), np.full(2, 0.02), known[2])

    swings_are(monkeypatch, swing)
    assert set(shaken_in([np.full(1, k) for k in range(1 + max(b for _, b in swings))])) == told


@pytest.mark.parametrize(("past", "told"), [((0.33, 0.2), set()), ((0.85, 0.05), {5}), (None, {5})])
def test_a_last_frame_is_accused_by_its_neighbour_unless_the_one_past_that_speaks_for_it(
    monkeypatch: pytest.MonkeyPatch, past: tuple[float, float] | None, told: set[int]
) -> None:
    """Swings of a good path-traced series as they were measured; and as they would be had the last been shaken."""
    swings = {(0, 1): (0.04, -0.15), (1, 2): (0.03, 0.0), (2, 3): (0.06, 0.0), (3, 4): (-0.02, -0.01),
              (4, 5): (0.91, 0.02), (3, 5): past}  # fmt: skip

    def swing(own: np.ndarray, other: np.ndarray) -> Swing | None:
        known = swings.get((int(own[0]), int(other[0])))
        return None if known is None else Swing(np.array(known), np.full(2, 0.04), -1.0)

    swings_are(monkeypatch, swing)
    assert set(shaken_in([np.full(1, k) for k in range(6)])) == told


@pytest.mark.parametrize(("length_px", "told"), [(0.9, set()), (3.7, {5})])
def test_a_last_frame_swings_by_more_than_the_motion_that_its_tiles_have(
    monkeypatch: pytest.MonkeyPatch, length_px: float, told: set[int]
) -> None:
    def swing(own: np.ndarray, other: np.ndarray) -> Swing:
        is_last = int(other[0]) == 5
        return Swing(np.array([0.9 if is_last else 0.02, 0.0]), np.full(2, 0.04), -1.0)

    swings_are(monkeypatch, swing)
    monkeypatch.setattr(checks_shaken, "_fitted", lambda *_: (0.3, Shaken(length_px, 0.0)))
    assert set(shaken_in([np.full(1, k) for k in range(6)])) == told
