"""Resolution of rendered charts whose blur is known, and of a wall without an edge."""

from __future__ import annotations

import json

import numpy as np
import pytest
from scipy.special import j1

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.kit.lens import Lens
from verispect.optics.otf import PEAK_NM
from verispect.prove.trials.lens_test import beside_others

PITCH_MM = 0.004
SIDE = 6  # samples to a pixel


def srgb16(linear: np.ndarray) -> np.ndarray:
    """sRGB curve (IEC 61966-2-1) on 16 bits, three alike."""
    coded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.clip(linear, 1e-9, None) ** (1 / 2.4) - 0.055)
    return np.repeat(np.round(np.clip(coded, 0.0, 1.0) * 65535.0).astype(np.uint16)[..., None], 3, axis=2)


def transfer(nu: np.ndarray, disc_mm: float, f_number: float) -> np.ndarray:
    """Contrast at frequencies in cycles/mm by a disc and a round pupil (Goodman, Fourier Optics; from memory)."""
    x = np.pi * nu * disc_mm
    disc = np.where(x == 0.0, 1.0, 2.0 * j1(x) / np.where(x == 0.0, 1.0, x))
    s = np.clip(nu * f_number * PEAK_NM * 1e-6, 0.0, 1.0)
    return disc * (2.0 / np.pi) * (np.arccos(s) - s * np.sqrt(1.0 - s * s))


def blurred_edge(disc_mm: float, f_number: float, angle_deg: float, side: int = 150) -> np.ndarray:
    """A tile with an edge through its middle, blurred exactly across it and gathered by square pixels."""
    fine = np.arange(-side, side, 1.0 / SIDE)
    step = np.where(fine < 0.0, 0.15, 0.75)
    # A second step half-way round keeps the period of the transform whole.
    step = np.where(np.abs(fine) > 0.5 * side, 0.15, np.where(fine >= 0.0, 0.75, 0.15))
    nu = np.abs(np.fft.fftfreq(len(fine), PITCH_MM / SIDE))
    profile = np.fft.ifft(np.fft.fft(step) * transfer(nu, disc_mm, f_number)).real
    at = (np.arange(side * SIDE) + 0.5) / SIDE - 0.5 * side
    lean = np.radians(angle_deg)
    across = at[None] * np.cos(lean) + at[:, None] * np.sin(lean)
    limit = 0.42 * side
    tile = np.interp(np.clip(across, -limit, limit), fine, profile)
    return tile.reshape(side, SIDE, side, SIDE).mean((1, 3))


def chart(disc_of, f_number: float) -> np.ndarray:
    """Tiles with edges 5 degrees off upright; `disc_of` tells the disc at a share of the way to the corner."""
    rows, columns, side = 6, 9, 150
    whole = np.empty((rows * side, columns * side))
    for i in range(rows):
        for j in range(columns):
            out = np.hypot((i - 2.5) * side, (j - 4.0) * side) / np.hypot(450, 675)
            whole[i * side : (i + 1) * side, j * side : (j + 1) * side] = blurred_edge(disc_of(out), f_number, 5.0)
    return whole


def written(folder, stops, disc_of):
    for k, stop in enumerate(stops):
        picture = srgb16(chart(lambda out, stop=stop: disc_of(out, stop), stop))
        write_picture(folder / f"{k}.tif", picture, shot=Shot(f_number=stop, pixel_mm=PITCH_MM))
    return folder


def measured(capsys, *arguments):
    assert main(["lens-test", *map(str, arguments), "--json", "--quiet"]) == 0
    return json.loads(capsys.readouterr().out)


def test_blur_and_contrast_of_a_known_lens_within_three_hundredths(tmp_path, capsys) -> None:
    # Sharp in the middle at f/5.6, softer outwards and wide open.
    def disc(out, stop):
        return (0.008 if out < 0.3 else 0.012 if out < 0.7 else 0.018) * (1.5 if stop < 5.0 else 1.0)

    told = measured(capsys, written(tmp_path, [4.0, 5.6], disc))
    assert told["format"] == "verispect-lens-test"
    nu = np.linspace(0.1, 250.0, 50_000)
    for row in told["stops"]:
        out = {"middle": 0.1, "half": 0.5, "corner": 0.9}[row["zone"]]
        real = disc(out, row["f_number"])
        assert row["how"] == "edges"
        assert row["blur_um"] == pytest.approx(1000.0 * real, rel=0.03)
        lean = np.radians(5.0)
        pixel = np.sinc(nu * PITCH_MM * np.cos(lean)) * np.sinc(nu * PITCH_MM * np.sin(lean))
        whole = transfer(nu, real, row["f_number"]) * pixel
        assert row["mtf50_cycles_per_mm"] == pytest.approx(nu[np.argmax(whole < 0.5)], rel=0.03)
    assert told["best_stop"] == {"middle": 5.6, "half": 5.6, "corner": 5.6}


def test_the_blur_is_kept_in_the_lens_of_a_new_plan(tmp_path, capsys) -> None:
    folder = tmp_path / "frames"
    folder.mkdir()
    written(folder, [8.0], lambda out, _stop: 0.010 if out < 0.3 else 0.016)
    plan = make_plan([(0.0, 1.5, 4.0)], lenses=[a_lens(24.0)])
    body = plan.kit.body.model_copy(update={"sensor_mm": (36.0, 24.0), "pixels": (9000, 6000)})
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"body": body})})
    before, after = tmp_path / "a.verispect", tmp_path / "b.verispect"
    before.write_text(plan_to_text(plan))
    measured(capsys, folder, "--plan", before, "--lens", "24 tilt", "--out", after)
    [row] = read_plan(after).kit.lenses[0].residual
    assert (row.f_number, row.centre_um, row.corner_um) == pytest.approx((8.0, 10.0, 16.0), rel=0.04)
    assert read_plan(before).kit.lenses[0].residual == ()
    assert main(["lens-test", str(folder), "--plan", str(before), "--lens", "24 tilt", "--out", str(after)]) == 2
    assert "--force" in capsys.readouterr().err


def test_where_diffraction_rules_how_little_is_known_of_the_blur_is_told(tmp_path, capsys) -> None:
    told = measured(capsys, written(tmp_path, [16.0], lambda out, _stop: 0.0015 if out < 0.3 else 0.003))
    for row in told["stops"]:
        real = 1.5 if row["zone"] == "middle" else 3.0
        assert abs(row["blur_um"] - real) <= row["blur_plus_minus_um"] < 5.0


def wall_by_stop(folder, blurs_mm: dict[float, float]):
    """One wall of grains at several stops, each with its own blur."""
    rng = np.random.default_rng(1)
    nu = np.hypot(*np.meshgrid(np.fft.fftfreq(900, PITCH_MM), np.fft.fftfreq(600, PITCH_MM)))
    grains = np.fft.fft2(rng.normal(0.0, 1.0, (600, 900)))
    for k, (stop, disc_mm) in enumerate(blurs_mm.items()):
        wall = np.fft.ifft2(grains * transfer(nu, disc_mm, stop)).real
        picture = srgb16(np.clip(0.3 + 0.08 * wall, 0.0, 1.0))
        write_picture(folder / f"{k}.tif", picture, shot=Shot(f_number=stop, pixel_mm=PITCH_MM))
    return folder


def test_of_the_sharpest_stop_those_stopped_down_tell_how_sharp_it_is(tmp_path, capsys) -> None:
    """That f/16 falls so little behind f/5.6 as diffraction would have it tells that f/5.6 is not ideal itself."""
    real = {2.8: 0.020, 5.6: 0.008, 16.0: 0.0}
    told = measured(capsys, wall_by_stop(tmp_path, real))
    for row in told["stops"]:
        assert row["blur_um"] == pytest.approx(1000.0 * real[row["f_number"]], abs=1.5), row
    assert set(told["best_stop"].values()) == {5.6}


def test_a_wall_without_an_edge_tells_the_stops_apart_by_its_texture(tmp_path, capsys) -> None:
    told = measured(capsys, wall_by_stop(tmp_path, {2.8: 0.020, 8.0: 0.0}))
    assert {row["how"] for row in told["stops"]} == {"texture"}
    middle = {row["f_number"]: row for row in told["stops"] if row["zone"] == "middle"}
    assert middle[2.8]["blur_um"] == pytest.approx(20.0, abs=3.0)
    assert told["best_stop"]["middle"] == 8.0


@pytest.mark.parametrize(
    ("shot", "says"), [(Shot(pixel_mm=PITCH_MM), "tell its stop"), (Shot(f_number=8.0), "pixels")]
)
def test_frames_that_do_not_tell_enough_are_refused_in_one_sentence(tmp_path, capsys, shot, says) -> None:
    write_picture(tmp_path / "a.tif", srgb16(np.full((300, 400), 0.3)), shot=shot)
    assert main(["lens-test", str(tmp_path)]) == 2
    assert says in capsys.readouterr().err


def test_a_plain_sheet_is_told_to_be_of_no_use(tmp_path, capsys) -> None:
    write_picture(tmp_path / "a.tif", srgb16(np.full((300, 400), 0.3)), shot=Shot(f_number=8.0, pixel_mm=PITCH_MM))
    assert main(["lens-test", str(tmp_path)]) == 2
    assert "chart" in capsys.readouterr().err


def test_of_a_zoom_what_is_known_of_other_focal_lengths_stays() -> None:
    known = [{"f_number": 8, "centre_um": 3, "corner_um": 5, "focal_mm": focal} for focal in (24, 70)]
    lens = Lens(name="zoom", focal_mm=(24, 70), f_numbers=(4, 22), closest_m=0.4, residual=known)
    new = [{"f_number": 8.0, "centre_um": 1.0, "corner_um": 2.0, "focal_mm": 70.0}]
    kept = beside_others(lens, new)
    assert [(row["focal_mm"], row["centre_um"]) for row in kept] == [(24.0, 3.0), (70.0, 1.0)]
    everywhere = [{"f_number": 8.0, "centre_um": 1.0, "corner_um": 2.0}]
    assert beside_others(lens, everywhere) == everywhere
