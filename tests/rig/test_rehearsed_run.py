"""The simulated camera's folder: frames, their account, and what stands in its way."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.errors import FileError
from verispect.files.run_file import read_run
from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.intake import described, read_coded
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rig.rehearsed_run import SimulatedCamera, Writing, rehearse_to

TINY = Options(pixels=(120, 80))


@pytest.fixture(scope="module")
def series() -> Candidate:
    lens = a_lens(50.0, f_numbers=[4, 4], tilt_deg=0)
    return worked("series", build_scene(make_plan([(0, 1.4, 1.2), (0, 1.6, 6.0)], framing=50.0, lenses=[lens])))


def test_every_exposure_has_its_frame_and_its_line(series: Candidate, tmp_path: Path) -> None:
    run = rehearse_to(series, TINY, Writing(tmp_path), plan_file=tmp_path / "p.verispect")
    again = read_run(tmp_path / "run.json")
    assert again == run
    assert len(run.frames) == series.frame_count
    for frame, exposure in zip(run.frames, series.exposures, strict=True):
        told = described(tmp_path / str(frame.file))
        assert told.pixels == (120, 80)
        assert told.f_number == pytest.approx(exposure.state.f_number, rel=1e-3)
        assert told.subject_m == pytest.approx(exposure.focus_m, rel=1e-4)
        assert told.shutter_s == pytest.approx(exposure.shutter_s, rel=0.01)
        assert len(frame.marks) == 2
    times = [described(tmp_path / str(frame.file)).taken for frame in run.frames]
    assert times == sorted(times)


def test_a_missing_frame_has_a_line_and_no_file(series: Candidate, tmp_path: Path) -> None:
    faults = [parse_fault("missing@1", frames=series.frame_count)]
    run = rehearse_to(series, TINY, Writing(tmp_path), faults=faults)
    assert run.frames[1].file is None
    assert len(list(tmp_path.glob("*.tif"))) == series.frame_count - 1


def test_what_is_there_is_not_written_over(series: Candidate, tmp_path: Path) -> None:
    (tmp_path / "frame-002.tif").write_bytes(b"mine")
    with pytest.raises(FileError, match=r"frame-002\.tif.*--force"):
        rehearse_to(series, TINY, Writing(tmp_path))
    assert [path.name for path in tmp_path.iterdir()] == ["frame-002.tif"]
    rehearse_to(series, TINY, Writing(tmp_path, force=True))
    assert described(tmp_path / "frame-002.tif").pixels == (120, 80)


def test_linear_and_coded_frames_show_the_same_light(series: Candidate, tmp_path: Path) -> None:
    from verispect.prove.intake import linear_of

    for name, linear in (("a", False), ("b", True)):
        SimulatedCamera(series, TINY, Writing(tmp_path / name, linear=linear, force=True))
        rehearse_to(series, TINY, Writing(tmp_path / name, linear=linear))
    coded = linear_of(read_coded(described(tmp_path / "a" / "frame-001.tif")))
    straight = read_coded(described(tmp_path / "b" / "frame-001.tif")) / 65535.0
    assert np.abs(coded - straight).max() < 1e-4


def test_a_folder_that_cannot_be_made_is_told(series: Candidate, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(FileError, match="cannot be made"):
        rehearse_to(series, TINY, Writing(tmp_path / "file" / "frames"))


def test_cancelled_it_tells_what_it_took(series: Candidate, tmp_path: Path) -> None:
    shares: list[float] = []
    run = rehearse_to(
        series, TINY, Writing(tmp_path), progress=lambda share, _text: shares.append(share),
        is_cancelled=lambda: len(list(tmp_path.glob("*.tif"))) >= 1,
    )  # fmt: skip
    assert len(run.frames) == 1
    assert read_run(tmp_path / "run.json").frames == run.frames
    assert shares == sorted(shares)


def test_one_frame_at_the_desk_is_taken_where_it_is_asked_for(series: Candidate, tmp_path: Path) -> None:
    from verispect.rig.desk_camera import take_frame

    before = datetime.now(UTC).replace(microsecond=0, tzinfo=None)
    name = take_frame(series, Shot(1), (120, 80), tmp_path / "today" / "a-2.tif")
    told = described(tmp_path / "today" / name)
    assert told.taken is not None
    assert told.taken >= before
    assert told.subject_m == pytest.approx(series.exposures[1].focus_m, rel=1e-4)
