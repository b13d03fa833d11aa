"""People that walk through every frame of a drawn series: merged as if nobody had, in one band or in many."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.prove.merge.test_ghosts import COLUMNS, ROWS, Light, frame, off
from verispect.files.picture_out import write_picture
from verispect.prove.intake import coded_of
from verispect.prove.merge.cleared import Cleared
from verispect.prove.merge.ghosts import Ghost, told_once
from verispect.prove.merge.passing import passing_in
from verispect.prove.merge.series import Merged, merge
from verispect.prove.merge.written import done_words

COUNT = 5
# Where somebody stands in each frame: column of the middle; some stand where another did in another frame.
STAND = {0: (90, 560), 1: (430, 610), 2: (150, 640), 3: (470, 90), 4: (660, 200)}


def taken(k: int, *, walkers: bool, burnt: bool = False) -> Light:
    """A frame in colour, sharp as `frame` draws it; whoever stands in it is as sharp as its ground."""
    light = np.repeat(frame(min(k, 3), 0, sharp=1)[..., None], 3, axis=2)
    for number, column in enumerate(STAND[k] if walkers else ()):
        colour = np.random.default_rng(10 * k + number).choice([0.03, 0.2, 0.75], 3, replace=False)
        cover, shade = np.zeros((ROWS, COLUMNS)), np.repeat(colour[None, None], ROWS, axis=0)
        cv2.ellipse(cover, (column, 390), (22, 70), 0, 0, 360, 1.0, -1)
        person = np.broadcast_to(shade, (ROWS, COLUMNS, 3)).copy()
        if burnt:
            person[330:370:8, :, int(colour.argmax())] = 1.0
        soft = 0.01 + 1.3 * abs(min(k, 3) - 3)
        cover = cv2.GaussianBlur(cover, (0, 0), soft)[..., None]
        light = light * (1.0 - cover) + cv2.GaussianBlur(person, (0, 0), soft) * cover
    return light


def merged(folder: Path, *, walkers: bool, memory_mb: int = 2500, burnt: bool = False) -> Merged:
    folder.mkdir()
    random = np.random.default_rng(7)
    for k in range(COUNT):
        light = taken(k, walkers=walkers, burnt=burnt) + random.normal(0.0, 0.002, (ROWS, COLUMNS, 3))
        write_picture(folder / f"f-{k}.tif", coded_of(np.clip(light, 0, 1)))
    return merge([folder], memory_mb=memory_mb)


@pytest.mark.parametrize(("memory_mb", "burnt"), [(2500, False), (100, False), (2500, True)])
def test_whoever_walks_through_a_series_is_left_out_of_it(tmp_path: Path, memory_mb: int, burnt: bool) -> None:
    clean = merged(tmp_path / "clean", walkers=False)
    assert clean.ghosts == []
    found = merged(tmp_path / "walked", walkers=True, memory_mb=memory_mb, burnt=burnt)
    told = {(ghost["moved_in"], 0.5 * (ghost["box"][1] + ghost["box"][3])) for ghost in found.ghosts}
    for k, columns in STAND.items():
        for column in columns:
            assert any(name == f"f-{k}.tif" and abs(middle - column) < 12 for name, middle in told), (k, column)
    assert len(told) == 2 * COUNT
    (says,) = [str(words) for words in done_words(found.report(None))]
    assert says.startswith("10 things moved or passed; ")
    apart = cv2.GaussianBlur(off(found, clean), (0, 0), 2.0)
    # Nobody differs by less than 0.15; what is shown instead may be as soft as the frames beside it.
    assert apart.max() < 0.12
    assert apart.mean() < 0.004


def test_where_all_stand_somebody_is_left() -> None:
    """Three frames, in each another at the same place: of none is it known who passed, and nothing is left out."""
    smalls = [np.full((200, 300, 3), 0.4, np.float32) for _ in range(3)]
    for small, colour in zip(smalls, ((0.9, 0.1, 0.1), (0.1, 0.9, 0.1), (0.1, 0.1, 0.9)), strict=True):
        cv2.ellipse(small, (150, 120), (10, 30), 0, 0, 360, colour, -1)
    greys = [small.mean(axis=2) for small in smalls]

    def found(pictures: list[np.ndarray]) -> list[Ghost]:
        return passing_in(pictures, greys, [np.eye(3)] * 3, (300, 200), blurs=None, look=lambda: None)

    assert found(smalls) == []
    smalls[2] = smalls[1]
    # Two that agree show what stays.
    assert [ghost.odd for ghost in found(smalls)] == [0]


def test_what_passed_is_no_second_time_what_moved() -> None:
    def ghost(box: tuple[int, int, int, int], odd: int) -> Ghost:
        return Ghost(box, np.ones((4, 4), np.uint8), odd, False)

    moved, within, beside = ghost((0, 0, 100, 100), 1), ghost((10, 10, 60, 60), 1), ghost((300, 0, 350, 50), 2)
    assert told_once([moved], [within, beside]) == [moved, beside]
    # Where somebody passed in another frame too, outlines tell more.
    crowd = ghost((50, 50, 120, 120), 3)
    assert told_once([moved], [within, crowd]) == [within, crowd]


def test_pixels_come_from_the_next_frame_that_shows_the_place_without_anybody() -> None:
    mask = np.ones((10, 10), np.uint8)
    ghosts = [Ghost((20, 20, 60, 60), mask, 2, False), Ghost((20, 40, 60, 80), mask, 1, False)]
    cleared = Cleared(ghosts, 4, 1e9)
    assert cleared.givers == [0, 1, 3]
    for k in cleared.givers:
        first, last = cleared.rows_of(k)
        cleared.take(k, np.full((last - first, 100, 3), 100 * k, np.int16), first)
    own = np.full((30, 100, 3), 7, np.int16)
    cleared.clear(2, own, 30)
    # In the left half the frame before it, in the right the one after: there somebody stands in the one before.
    assert own[5, 32, 0] == pytest.approx(100, abs=5)
    assert own[5, 46, 0] == pytest.approx(300, abs=5)
    assert own[5, 70, 0] == own[5, 10, 0] == 7
    other = np.full((30, 100, 3), 7, np.int16)
    cleared.clear(0, other, 30)
    assert np.all(other == 7)
    assert Cleared(ghosts, 4, 1.0).givers == []
