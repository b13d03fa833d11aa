"""Which of several frames is sharper at a place."""

from __future__ import annotations

import json

import cv2
import numpy as np
import pytest

from tests.conftest import make_plan
from tests.prove.trials.test_lens_test import PITCH_MM, blurred_edge, srgb16
from verispect.cli import main
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text


def frames(folder):
    """Left sharp in the first frame, right in the second; the middle plain."""
    rng = np.random.default_rng(5)
    wall = (0.3 + 0.1 * cv2.GaussianBlur(rng.normal(0.0, 1.0, (400, 600)), (0, 0), 1.0)).astype(np.float32)
    wall[:, 230:370] = 0.3
    soft = cv2.GaussianBlur(wall, (0, 0), 2.5)
    first, second = wall.copy(), soft.copy()
    first[:, 300:], second[:, 300:] = soft[:, 300:], wall[:, 300:]
    for name, picture in (("a", first), ("b", second)):
        write_picture(folder / f"{name}.tif", srgb16(picture), shot=Shot(f_number=8.0))


def compared(capsys, *arguments):
    assert main(["compare", *map(str, arguments), "--json", "--quiet"]) == 0
    return json.loads(capsys.readouterr().out)


def test_the_sharper_frame_is_named_at_each_place_and_none_where_it_is_plain(tmp_path, capsys) -> None:
    frames(tmp_path)
    told = compared(capsys, tmp_path / "a.tif", tmp_path / "b.tif", "--at", "200,100", "--at", "200,500,64",
                    "--at", "200,300")  # fmt: skip
    assert told["format"] == "verispect-compare"
    assert [patch["best"] for patch in told["patches"]] == [0, 1, None]
    assert told["patches"][1]["at"] == [200, 500]
    assert all(len(patch["frames"]) == 2 for patch in told["patches"])


def test_without_places_those_with_most_detail_are_looked_at(tmp_path, capsys) -> None:
    frames(tmp_path)
    assert len(compared(capsys, tmp_path / "a.tif", tmp_path / "b.tif")["patches"]) == 9


def test_an_edge_tells_the_softness_in_the_plans_units(tmp_path, capsys) -> None:
    plan = make_plan([(0.0, 1.5, 4.0)], rule="disc", circle_mm=0.02)
    path = tmp_path / "p.verispect"
    path.write_text(plan_to_text(plan))
    for name, disc in (("a", 0.010), ("b", 0.024)):
        write_picture(tmp_path / f"{name}.tif", srgb16(blurred_edge(disc, 5.6, 5.0)),
                      shot=Shot(f_number=5.6, pixel_mm=PITCH_MM))  # fmt: skip
    told = compared(capsys, tmp_path / "a.tif", tmp_path / "b.tif", "--at", "75,75,97", "--plan", path)
    softness = [frame["softness"] for frame in told["patches"][0]["frames"]]
    assert softness == pytest.approx([0.5, 1.2], rel=0.05)


@pytest.mark.parametrize(("extra", "says"), [(["--at", "2,2"], "passes the edge"), ([], "two or more")])
def test_a_patch_off_the_frame_or_one_frame_alone_is_refused(tmp_path, capsys, extra, says) -> None:
    frames(tmp_path)
    more = [str(tmp_path / "b.tif")] if extra else []
    assert main(["compare", str(tmp_path / "a.tif"), *more, *extra]) == 2
    assert says in capsys.readouterr().err
