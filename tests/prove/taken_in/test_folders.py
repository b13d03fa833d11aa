"""What lies in a photographer's folder beside the frames: raws with their JPEGs, merged pictures, system files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.raw_file import write_raw
from verispect.files.picture_out import write_picture
from verispect.prove.check import check
from verispect.prove.intake import described
from verispect.prove.merge.written import shot_of
from verispect.prove.sorting import sort_frames
from verispect.prove.taken_in.folders import frames_and_others, frames_in, twins_of


def grain(seed: int, size: tuple[int, int] = (96, 128)) -> np.ndarray:
    return np.random.default_rng(seed).integers(2000, 60000, (*size, 3)).astype(np.uint16)


@pytest.fixture
def card(tmp_path: Path) -> Path:
    """Three shots as raw and as JPEG, and what a system leaves beside each on a card."""
    folder = tmp_path / "card"
    folder.mkdir()
    mosaic = grain(1)[..., 0]
    for k in (1, 2, 3):
        write_raw(folder / f"IMG_{k}.dng", mosaic)
        write_picture(folder / f"IMG_{k}.JPG", grain(1))
        (folder / f"._IMG_{k}.JPG").write_bytes(b"\0\5\x16\7" + bytes(400))
    return folder


def names(paths: list[Path]) -> list[str]:
    return [path.name for path in paths]


def test_of_a_raw_and_its_jpeg_the_raw_is_the_frame(card: Path) -> None:
    """Both had been one series of twice as many frames, and each leftover of the system a damaged picture."""
    frames, others = frames_and_others(card)
    assert names(frames) == names(frames_in([card])) == ["IMG_1.dng", "IMG_2.dng", "IMG_3.dng"]
    assert names(others) == ["IMG_1.JPG", "IMG_2.JPG", "IMG_3.JPG"]
    assert names(twins_of(frames[0])) == ["IMG_1.JPG"]
    # Named one by one, as by a selection that was dropped; whoever compares them means both.
    both = [card / "IMG_1.JPG", card / "IMG_1.dng"]
    assert names(frames_in(both)) == ["IMG_1.dng"]
    assert names(frames_in(both, as_named=True)) == ["IMG_1.JPG", "IMG_1.dng"]
    report = check([card])
    assert [frame.file for frame in report.frames] == names(frames)
    assert any(said.startswith("3 files passed over") for said in report.advice)


def test_what_was_developed_of_a_raw_counts_before_it(card: Path) -> None:
    write_picture(card / "img_2.tif", grain(1))
    assert names(frames_in([card])) == ["IMG_1.dng", "img_2.tif", "IMG_3.dng"]
    # Two developed pictures of one name without a raw are two pictures.
    for path in (card / "a.tif", card / "a.png"):
        write_picture(path, grain(2))
    assert {"a.tif", "a.png"} <= set(names(frames_in([card])))
    assert twins_of(card / "a.tif") == []


@pytest.mark.parametrize("name", ["merged.tif", "merged.jpg"])
def test_a_merged_picture_among_its_frames_is_no_frame(tmp_path: Path, name: str) -> None:
    for k in (1, 2):
        write_picture(tmp_path / f"{k}.tif", grain(3))
    shot = shot_of(described(tmp_path / "1.tif"))
    icc = bytes(600)
    write_picture(tmp_path / name, grain(3), shot=shot, icc=icc if name.endswith("tif") else None)
    assert names(frames_in([tmp_path])) == ["1.tif", "2.tif"]
    assert any(said.startswith(f"{name}: merged") for said in check([tmp_path]).advice)
    # But where there is nothing else, as of the cells of a grid.
    for k in (1, 2):
        (tmp_path / f"{k}.tif").unlink()
    assert names(frames_in([tmp_path])) == [name]


def test_what_belongs_to_a_shot_is_copied_with_it(card: Path, tmp_path: Path) -> None:
    report = check([card])
    sort_frames(frames_in([card]), report, tmp_path / "sorted", pattern="set-{set}/{name}")
    inside = names(sorted((tmp_path / "sorted" / "set-1").iterdir()))
    assert inside == [f"IMG_{k}.{end}" for k in (1, 2, 3) for end in ("dng", "jpg", "xmp")]


def test_a_cards_frames_are_those_of_all_its_folders(card: Path, tmp_path: Path) -> None:
    for number, folder in enumerate(("101A", "100A")):
        inside = tmp_path / "root" / "DCIM" / folder
        inside.mkdir(parents=True)
        write_picture(inside / f"{number}.jpg", grain(1))
    assert names(frames_in([tmp_path / "root"])) == ["1.jpg", "0.jpg"]
    assert names(frames_in([tmp_path / "root", card])) == ["1.jpg", "0.jpg", "IMG_1.dng", "IMG_2.dng", "IMG_3.dng"]
