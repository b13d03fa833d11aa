"""Centring, fringes and the bend of focus, on pictures drawn with known ones; the chart as it is printed."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument

from tests.conftest import a_lens, make_plan
from tests.prove.trials.test_lens_test import chart
from tests.prove.trials.test_tilt_test import FOCAL_MM, SENSOR_MM, SIZE, WALL_MM, frame_of
from verispect.cli import main
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.prove.intake import described
from verispect.prove.trials.corners import corners_of
from verispect.prove.trials.lens_test import Zone, edges_in
from verispect.ui.paper.chart import PAPERS, chart_pdf

# What is made once is made in one process.
pytestmark = pytest.mark.xdist_group("walls")


def textured(size: tuple[int, int] = (1200, 800)) -> np.ndarray:
    rng = np.random.default_rng(3)
    parts = [cv2.GaussianBlur(rng.uniform(-1, 1, (size[1], size[0])), (0, 0), s) * s for s in (0.8, 2.0, 5.0)]
    drawn = sum(parts)
    return (drawn - drawn.min()) / np.ptp(drawn) * 0.8 + 0.1


def written(path: Path, linear: np.ndarray, **shot) -> Path:
    coded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.clip(linear, 1e-9, None) ** (1 / 2.4) - 0.055)
    whole = coded if coded.ndim == 3 else np.repeat(coded[..., None], 3, axis=2)
    write_picture(path, np.round(np.clip(whole, 0, 1) * 65535).astype(np.uint16), shot=Shot(**shot))
    return path


def test_a_corner_that_falls_behind_is_named_and_an_even_lens_is_even(tmp_path: Path) -> None:
    even = written(tmp_path / "even.tif", chart(lambda _out: 0.008, 4.0))
    found = corners_of(described(even))
    assert found.how == "edges"
    assert found.softer_by < max(found.plus_minus, 0.03)
    worse = chart(lambda _out: 0.008, 4.0)
    worse[450:, 675:] = chart(lambda _out: 0.014, 4.0)[450:, 675:]
    found = corners_of(described(written(tmp_path / "worse.tif", worse)))
    assert found.softest == "bottom right"
    # By hand: discs of 14 µm leave half the contrast at about 8/14 of the frequency that 8 µm do, less what the
    # pixel takes from both.
    assert 0.2 < found.softer_by < 0.4


def test_a_wall_tells_the_same_by_its_texture(tmp_path: Path) -> None:
    wall = textured()
    wall[:400, :600] = cv2.GaussianBlur(wall, (0, 0), 1.2)[:400, :600]
    found = corners_of(described(written(tmp_path / "w.tif", wall)))
    assert (found.how, found.softest) == ("texture", "top left")
    assert found.softer_by > 0.15


@pytest.mark.parametrize(("red", "blue"), [(0.0, 0.0), (1.0015, 0.9985)])
def test_fringes_are_those_that_were_drawn(tmp_path: Path, red: float, blue: float) -> None:
    wall = textured().astype(np.float32)
    middle = np.array([599.5, 399.5])
    channels = []
    for scale in (red or 1.0, 1.0, blue or 1.0):
        matrix = np.array([[scale, 0.0, middle[0] * (1 - scale)], [0.0, scale, middle[1] * (1 - scale)]])
        channels.append(
            cv2.warpAffine(wall, matrix, (1200, 800), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        )
    found = corners_of(described(written(tmp_path / "c.tif", np.stack(channels, axis=2).astype(float))))
    # In the corner zone, 0.78 to 1 of the half diagonal of 721 px; the picked blocks lie about its middle.
    for told, scale in ((found.red_px, red), (found.blue_px, blue)):
        assert told == pytest.approx(((scale or 1.0) - 1.0) * 0.88 * 721.0, abs=0.15)


def test_runs_at_several_stops_tell_curvature_and_focus_shift(tmp_path: Path, capsys) -> None:
    folder = tmp_path / "runs"
    folder.mkdir()
    middle = WALL_MM * FOCAL_MM / (WALL_MM - FOCAL_MM)
    rng = np.random.default_rng(1)
    for stop, shift in ((4.0, 0.0), (5.6, 0.12)):
        for k, off in enumerate(np.linspace(1.3, -1.3, 9)):
            v = middle + off
            drawn = frame_of(v - shift, 0.0, 0.0, bend_mm=-0.3) + rng.normal(0.0, 0.003, (SIZE[1], SIZE[0]))
            subject = (v + v * FOCAL_MM / (v - FOCAL_MM)) / 1000.0
            written(folder / f"{stop:g}-{k}.tif", np.clip(drawn, 0, 1), focal_mm=FOCAL_MM, f_number=stop,
                    subject_m=subject, pixel_mm=SENSOR_MM[0] / SIZE[0])  # fmt: skip
    plan, out = tmp_path / "a.verispect", tmp_path / "b.verispect"
    plan.write_text(plan_to_text(make_plan([(0.0, 1.5, 4.0)], lenses=[a_lens(FOCAL_MM)])))
    name = read_plan(plan).kit.lenses[0].name
    assert main(["lens-test", str(folder), "--plan", str(plan), "--lens", name, "--out", str(out), "--json"]) == 0
    bends = json.loads(capsys.readouterr().out)["bends"]
    assert [row["f_number"] for row in bends] == [4.0, 5.6]
    for row in bends:
        assert row["corner_um"] == pytest.approx(-300.0, abs=12.0)
    assert bends[1]["shift_um"] == pytest.approx(120.0, abs=10.0)
    lens = read_plan(out).kit.lenses[0]
    assert [row.corner_um for row in lens.field_curvature] == pytest.approx([b["corner_um"] for b in bends], abs=0.1)
    assert lens.field_curvature[0].half_um == pytest.approx(bends[0]["corner_um"] / 4, abs=0.1)
    assert [row.um for row in lens.focus_shift] == pytest.approx([0.0, bends[1]["shift_um"]], abs=0.1)
    assert {"field_curvature", "focus_shift", "residual"} <= set(lens.measured)


def test_the_chart_has_edges_to_measure_by_all_over(qtbot, tmp_path: Path, capsys) -> None:
    data = chart_pdf("a4")
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(buffer)
    assert document.pageCount() == 1
    size = document.pagePointSize(0)
    assert (size.width(), size.height()) == pytest.approx((842.0, 595.0), abs=1.0)
    image = document.render(0, QSize(1684, 1190)).convertToFormat(QImage.Format.Format_Grayscale8)
    pixels = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint8)
    grey = pixels.reshape(image.height(), image.bytesPerLine())[:, : image.width()].astype(np.float32) / 255.0
    seen = cv2.GaussianBlur(grey[40:1100, 40:-40], (0, 0), 0.8)
    assert all(len(edges_in(seen, zone)) >= 5 for zone in Zone)
    for paper in PAPERS:
        assert main(["lens-test", "--chart", str(tmp_path / f"{paper}.pdf"), "--paper", paper]) == 0
    assert main(["lens-test", "--chart", str(tmp_path / "a4.pdf")]) == 2
    assert main(["lens-test"]) == 2
    assert "--chart" in capsys.readouterr().err
