"""What the dialogue of a scan begins with, for scans of every size and place."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.files.scans.scan_file import ScanPeek
from verispect.ui.panels.scan_dialog import ScanDialog, _guess

FIGURES = st.floats(-1e15, 1e15)


@given(st.tuples(FIGURES, FIGURES, FIGURES), st.tuples(FIGURES, FIGURES, FIGURES), st.sampled_from("yz"))
def test_any_extent_gives_a_start(first, second, up) -> None:
    low = tuple(map(min, first, second))
    high = tuple(map(max, first, second))
    placing = _guess(ScanPeek("cloud", low, high, up))
    assert 0.001 <= placing.voxel_m <= 1000.0


@pytest.mark.parametrize(
    ("low", "high", "told", "unit"),
    [
        ((0, 0, 0), (4000, 6000, 2500), None, "mm"),
        ((0, 0, 0), (40, 60, 25), None, "m"),
        ((635_000, 848_000, 400), (639_000, 853_000, 600), None, "m"),
        ((635_000, 848_000, 400), (639_000, 853_000, 600), "ft", "ft"),
    ],
)
def test_the_unit_comes_from_the_file_then_the_size_and_maps_are_in_metres(low, high, told, unit) -> None:
    assert _guess(ScanPeek("cloud", low, high, "z", told)).unit == unit


@pytest.mark.parametrize(("farthest", "step"), [(5.02, 1.0), (60.0, 1.0), (5020.0, 0.001), (65535.0, 0.001)])
def test_the_step_of_a_depth_picture_is_guessed_from_its_figures(qtbot, farthest, step) -> None:
    peek = ScanPeek("depth", (0.0, 0.0, 0.4 * farthest), (741.0, 500.0, farthest), "")
    dialog = ScanDialog(None, Path("depth.npy"), peek, lambda: "metric")
    qtbot.addWidget(dialog)
    assert dialog.seen_by.step_m == step
    assert f"to {farthest * step:.4g} m" in dialog.said.text()
    dialog.depth_form.edited.emit(dialog.seen_by.model_copy(update={"middle_right_px": 311.193}), "axis")
    assert dialog.seen_by.middle_right_px == 311.193
