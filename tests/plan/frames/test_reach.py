"""Near and far limit, hyperfocal distance and a typed circle, wherever a person looks for them."""

from __future__ import annotations

import csv
import io
import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import make_plan
from verispect.cli import main
from verispect.files.frames_csv import frames_to_csv
from verispect.optics.blur import blur_axes_mm
from verispect.plan.frames.reach import reach_of
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene


def telephoto(**wish):
    """500 mm, f/5.6 and no other stop, one mark at 1.28 km, on 35.9 × 23.9 mm with the diagonal/1440 as circle."""
    lens = {"name": "long", "focal_mm": [500, 500], "f_numbers": [5.657, 5.657], "closest_m": 5.0}
    plan = make_plan(
        [(0.0, 1.5, 1280.0)], framing=500.0, lenses=[lens], circle_mm=math.hypot(35.9, 23.9) / 1440.0, **wish
    )
    body = plan.kit.body.model_copy(update={"sensor_mm": (35.9, 23.9)})
    return plan.model_copy(update={"kit": plan.kit.model_copy(update={"body": body})})


def test_weigh_prints_the_limits_that_tables_give(tmp_path, capsys) -> None:
    # Common practice: 685.7 m, 9.67 km, 1.48 km, to three digits.
    path = tmp_path / "far.verispect"
    path.write_text(telephoto(rule="disc").model_dump_json(by_alias=True))
    assert main(["weigh", str(path), "--json", "--no-follow-up"]) == 0
    one = next(method for method in json.loads(capsys.readouterr().out)["methods"] if method["key"] == "one-frame")
    exposure = one["exposures"][0]
    assert one["criterion"]["disc_mm"] == pytest.approx(math.hypot(35.9, 23.9) / 1440.0)
    assert exposure["near_m"] == pytest.approx(685.7, rel=1e-3)
    assert exposure["far_m"] == pytest.approx(9670.0, rel=5e-3)
    assert exposure["hyperfocal_m"] == pytest.approx(1480.0, rel=4e-3)


def test_the_table_of_frames_has_them_too() -> None:
    found = worked("one-frame", build_scene(telephoto(rule="disc")))
    row = next(csv.DictReader(io.StringIO(frames_to_csv(found))))
    assert float(row["sharp from, from sensor [m]"]) == pytest.approx(685.7, rel=1e-3)
    assert float(row["hyperfocal distance [m]"]) == pytest.approx(1480.0, rel=4e-3)
    # A lens that stands straight leans by nothing, not by minus nothing.
    assert {row["tilt [deg]"], row["swing [deg]"]} == {"0"}


def test_the_wave_does_not_ask_for_a_circle() -> None:
    with_circle, without = telephoto(rule="wave"), make_plan([(0.0, 1.5, 1280.0)])
    assert with_circle.frequency_at_framing() == pytest.approx(without.frequency_at_framing() * 36.0 / 35.9, rel=1e-3)


@settings(max_examples=15)
@given(st.floats(1.0, 60.0), st.floats(0.5, 2.0), st.floats(0.0, 6.0))
def test_a_mark_at_either_limit_has_just_the_allowed_blur(depth, pupils, tilt) -> None:
    lens = {"name": "any", "focal_mm": [50, 50], "f_numbers": [4, 16], "closest_m": 0.3, "tilt_deg": 8,
            "image_circle_mm": 90, "pupil_magnification": pupils}  # fmt: skip
    places = [(0.0, 1.5 - 0.1 * tilt, depth), (0.0, 1.5, 1.4 * depth)]
    found = worked("tilt", build_scene(make_plan(places, framing=50.0, lenses=[lens], print_mm=(150, 100))))
    exposure = found.exposures[0]
    reach = reach_of(exposure)
    assert reach is not None
    for limit in (reach.near_m, reach.far_m):
        if math.isfinite(limit):
            from_lens = limit * 1000.0 - exposure.state.image_distance_mm - exposure.lens.principal_separation_mm
            blur, _ = blur_axes_mm(np.array([0.0, 0.0, from_lens]), exposure.state)
            assert float(blur) == pytest.approx(exposure.allowed_blur_mm, rel=1e-6)
