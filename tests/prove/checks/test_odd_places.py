"""A ball pasted on frames of a painted sphere, in one of them elsewhere; the sphere knows nothing of checks."""

from __future__ import annotations

from collections.abc import Collection

import cv2
import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, SIZE, painted_sphere, seen, turn
from verispect.errors import Cancelled
from verispect.optics.types import Floats
from verispect.prove.checks.odd_places import OddPlace, odd_places
from verispect.prove.expected import View
from verispect.prove.join.pointing import overlap_share

MIDDLE = ((SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2)
ACROSS_PX = 24
BASES = [turn(b, 0.0) for b in (-14, 0, 14)]
VIEWS = [View(basis, FOCAL_PX, MIDDLE) for basis in BASES]


def ball() -> Floats:
    """A patch of its own colours, as large as the ball is."""
    rng = np.random.default_rng(4)
    return cv2.resize(
        rng.uniform([0.6, 0.02, 0.02], [0.95, 0.3, 0.3], (7, 7, 3)),
        (ACROSS_PX, ACROSS_PX),
        interpolation=cv2.INTER_CUBIC,
    )


def with_ball(light: Floats, column: float, row: float) -> Floats:
    """A frame with the ball about there; round, its edge a pixel wide."""
    found = light.astype(float).copy()
    left, top = round(column) - ACROSS_PX // 2, round(row) - ACROSS_PX // 2
    y, x = np.mgrid[:ACROSS_PX, :ACROSS_PX] - (ACROSS_PX - 1) / 2
    cover = np.clip(ACROSS_PX / 2 - np.hypot(x, y), 0.0, 1.0)[..., None]
    part = found[top : top + ACROSS_PX, left : left + ACROSS_PX]
    part[:] = cover * ball() + (1.0 - cover) * part
    return found


def frames(places: list[tuple[float, float] | None], blurs: tuple[float, ...] = (0.0, 0.0, 0.0)) -> list[Floats]:
    """Each with the ball aside of where its direction (0° by its row) lies by so many pixels; none where None."""
    shown = []
    rng = np.random.default_rng(2)
    for bearing, basis, place, blur in zip((-14, 0, 14), BASES, places, blurs, strict=True):
        light = seen(painted_sphere(), basis)
        if place is not None:
            column = MIDDLE[0] - FOCAL_PX * np.tan(np.radians(bearing))
            light = with_ball(light, column + place[0], MIDDLE[1] + place[1])
        light = cv2.GaussianBlur(np.asarray(light, np.float32), (0, 0), blur) if blur else light
        shown.append(np.asarray(np.clip(light + rng.normal(0.0, 0.004, light.shape), 0.0, 1.0), np.float32))
    return shown


def overlaps(count: int = 3) -> list[tuple[int, int, float]]:
    return [(a, b, overlap_share(VIEWS[a], VIEWS[b], SIZE)) for a in range(count) for b in range(a + 1, count)]


def onto(a: int, b: int) -> Floats:
    return VIEWS[a].onto(VIEWS[b])


def told(shown: list[Floats], without: Collection[int] = (), disc_px: float | None = None) -> list[OddPlace]:
    count = len(shown)
    return odd_places(
        onto, shown, overlaps(count), SIZE, most_others=6, without=without, is_cancelled=lambda: False,
        blurs=None if disc_px is None else lambda _a, _b: disc_px,
    )  # fmt: skip


@pytest.mark.parametrize("blurs", [(0.0, 0.0, 0.0), (2.0, 0.0, 0.0), (0.0, 2.0, 0.8)])
@pytest.mark.parametrize(("right", "down"), [(22.0, 0.0), (-12.0, 17.0), (6.0, -8.0)])
def test_the_frame_that_two_others_contradict_is_named_with_where_and_how_far(
    right: float, down: float, blurs: tuple[float, ...]
) -> None:
    (found,) = told(frames([(0, 0), (right, down), (0, 0)], blurs))
    assert found.frame == 1
    assert found.is_sure
    assert found.shift == pytest.approx(np.hypot(right, down), abs=2.0)
    # At the place where this frame has it.
    assert np.hypot(found.column - MIDDLE[0] - right, found.row - MIDDLE[1] - down) < ACROSS_PX / 2


def test_something_that_one_frame_alone_shows_is_told_with_how_wide_it_is() -> None:
    (found,) = told(frames([None, (0, 0), None]))
    assert (found.frame, found.shift, found.is_sure) == (1, None, True)
    assert found.across == pytest.approx(ACROSS_PX, rel=0.25)
    # Gone from one it is the same place.
    (gone,) = told(frames([(0, 0), None, (0, 0)]))
    assert (gone.frame, gone.shift) == (1, None)
    assert np.hypot(gone.column - MIDDLE[0], gone.row - MIDDLE[1]) < 3.0


def test_of_two_frames_it_is_the_later_unsure_and_only_if_it_is_found_again() -> None:
    (found,) = told(frames([(0, 0), (15.0, 9.0), (0, 0)])[:2])
    assert (found.frame, found.other, found.is_sure) == (1, 0, False)
    assert found.shift == pytest.approx(np.hypot(15.0, 9.0), abs=1.5)
    assert told(frames([None, (0, 0), None])[:2]) == []


@pytest.mark.parametrize("blurs", [(0.0, 0.0, 0.0), (4.0, 0.0, 0.0), (0.0, 3.0, 1.0), (2.5, 2.5, 0.0)])
def test_what_stays_is_not_told_however_it_is_focused_or_lit(blurs: tuple[float, ...]) -> None:
    shown = frames([(0, 0), (0, 0), (0, 0)], blurs)
    shown[2] = shown[2] * np.array([0.5, 0.6, 0.7], np.float32)
    assert told(shown) == []


def test_a_frame_known_to_be_out_of_focus_or_elsewhere_is_not_looked_at() -> None:
    assert told(frames([(0, 0), (22.0, 0.0), (0, 0)]), without=(1,)) == []


@pytest.mark.parametrize("moved", [0, 5])
def test_what_moved_by_less_than_it_is_wide_is_told_by_its_ends(moved: int) -> None:
    """An even bar before an even wall: neither end differs by enough to be told."""

    def shown(k: int, left: int) -> Floats:
        light = np.full((*SIZE[::-1], 3), 0.3)
        light[100:110, left : left + 30] = 0.52
        noisy = cv2.GaussianBlur(light, (0, 0), 0.7) + np.random.default_rng(k).normal(0.0, 0.001, light.shape)
        return np.asarray(noisy, np.float32)

    found = odd_places(
        lambda _a, _b: np.eye(3), [shown(k, 150 + (moved if k == 1 else 0)) for k in range(3)],
        [(0, 1, 1.0), (0, 2, 0.5), (1, 2, 1.0)], SIZE, most_others=2, without=(), is_cancelled=lambda: False,
    )  # fmt: skip
    assert [one.frame for one in found if one.is_sure] == [1] * (moved > 0)
    if moved:
        assert found[0].shift == pytest.approx(moved, abs=1.0)


def test_it_can_be_stopped() -> None:
    with pytest.raises(Cancelled):
        odd_places(onto, frames([(0, 0)] * 3), overlaps(), SIZE, most_others=6, without=(), is_cancelled=lambda: True)


def test_frames_that_share_next_to_nothing_are_not_held_against_one_another() -> None:
    """Said to overlap, though one looks the other way."""
    shown = frames([(0, 0), (22.0, 0.0), (0, 0)])

    def elsewhere(_a: int, _b: int) -> Floats:
        return np.array([[1.0, 0.0, 5000.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]])

    assert odd_places(elsewhere, shown, overlaps(), SIZE, most_others=6, without=(), is_cancelled=lambda: False) == []


def test_a_lamp_that_is_burnt_out_tells_nothing_however_it_is_focused() -> None:
    """In one frame a small disc as bright as can be, in the others spread and no more than grey, as light lost is."""
    shown = frames([None, None, None])
    for number, (radius, light) in enumerate(((16, 0.8), (6, 1.0), (16, 0.8))):
        column = MIDDLE[0] - FOCAL_PX * np.tan(np.radians((-14, 0, 14)[number]))
        cv2.circle(shown[number], (round(column), round(MIDDLE[1])), radius, (light, light, light), -1)
    assert told(shown) == []
    # How far it is spread a plan may tell; not what glows farther about it than that.
    assert told(shown, disc_px=20.0) == []
    # A disc that is not burnt out is something that one frame shows otherwise.
    column = round(MIDDLE[0])
    cv2.circle(shown[1], (column, round(MIDDLE[1])), 6, (0.03, 0.03, 0.03), -1)
    assert [one.frame for one in told(shown)] == [1]


def test_someone_in_a_shirt_that_burns_out_walks_all_the_same() -> None:
    """One channel burnt out here and there, but no light spread about it."""
    shown = frames([None, None, None])
    for number, aside in enumerate((-40, 0, 40)):
        column = round(MIDDLE[0] - FOCAL_PX * np.tan(np.radians((-14, 0, 14)[number]))) + aside
        middle = (column, round(MIDDLE[1]))
        cv2.ellipse(shown[number], middle, (14, 44), 0, 0, 360, (0.5, 0.9, 0.05), -1)
        for row in (-20, 6):
            cv2.circle(shown[number], (column - 5, middle[1] + row), 4, (0.6, 1.0, 0.1), -1)
    for disc_px in (None, 4.0):
        assert {one.frame for one in told(shown, disc_px=disc_px) if one.is_sure} == {0, 1, 2}
