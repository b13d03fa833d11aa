"""The exposure survey by hand: where white and noise lie, what clips, how many exposures it takes."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.files.plan_file import write_plan
from verispect.plan.document import Plan, ShotsEach
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.survey import Survey, survey_of

WHITE = math.log2(1.0 / 0.18)


def a_plan(*readings: float | None, noise_ratio: float | None = None, **body: float) -> Plan:
    plan = make_plan([(0.3 * k - 0.3, 1.5, 4.0) for k in range(len(readings))], lenses=[a_lens(24.0, tilt_deg=0)])
    marks = tuple(m.model_copy(update={"reading_ev100": ev}) for m, ev in zip(plan.marks, readings, strict=True))
    kit = plan.kit.model_copy(update={"body": plan.kit.body.model_copy(update=body)})
    wish = plan.wish.model_copy(update={"noise_ratio": noise_ratio})
    return plan.model_copy(update={"marks": marks, "kit": kit, "wish": wish})


def of(plan: Plan) -> Survey:
    found = survey_of(worked("one-frame", build_scene(plan)))
    assert found is not None
    return found


def test_without_readings_there_is_none() -> None:
    assert survey_of(worked("one-frame", build_scene(a_plan(None, None)))) is None


def test_what_clips_as_planned_is_what_lies_beyond_white() -> None:
    plan = a_plan(12.0, 12.0 + WHITE - 0.01, 12.0 + WHITE + 0.01)
    assert plan.light.ev100 == 12.0
    survey = of(plan)
    assert [reading.fate for reading in survey.readings] == ["holds", "holds", "clips"]
    assert survey.span_stops == pytest.approx(WHITE + 0.01)
    assert survey.best_ev100 == pytest.approx(12.0 + 0.01 + 1.0 / 3.0)
    assert survey.brackets == 1


def test_what_drowns_is_what_a_simulated_sensor_loses() -> None:
    """Poisson photons and Gaussian read noise, drawn: at the limit one line pair has the asked ratio."""
    plan = a_plan(12.0, 4.0, noise_ratio=12.0, full_well_e=40_000.0, read_noise_e=6.0)
    candidate = worked("one-frame", build_scene(plan))
    survey = of(plan)
    darkest = WHITE - survey.room_stops
    body, frequency = candidate.scene.plan.kit.body, candidate.criterion.frequency
    electrons = 0.18 * 2.0**darkest * body.full_well_at(body.iso)
    pixels = max(1, round(1.0 / (frequency * body.pixel_mm) ** 2))
    random = np.random.default_rng(5)
    patches = random.poisson(electrons, (20_000, pixels)) + random.normal(0.0, 6.0, (20_000, pixels))
    means = patches.mean(axis=1)
    assert means.mean() / means.std() == pytest.approx(12.0, rel=0.06)
    assert [reading.fate for reading in survey.readings] == ["holds", "drowns" if darkest > -8.0 else "holds"]


@pytest.mark.parametrize("span", [3.0, 12.0, 18.0])
def test_brackets_two_stops_apart_reach_from_one_end_to_the_other(span: float) -> None:
    survey = of(a_plan(14.0, 14.0 - span, full_well_e=30_000.0, read_noise_e=8.0))
    reach = survey.room_stops - 1.0 / 3.0 + 2.0 * (survey.brackets - 1)
    assert reach >= span - 1e-6
    assert survey.brackets == 1 or reach - 2.0 < span


def test_the_command_and_the_words_tell_it(tmp_path, capsys) -> None:
    file = tmp_path / "p.verispect"
    write_plan(a_plan(16.0, 2.0, None), file)
    assert main(["settings", str(file), "--method", "one-frame", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["survey"]
    assert [reading["ev100"] for reading in told["readings"]] == [16.0, 2.0]
    assert told["span_stops"] == 14.0
    assert main(["settings", str(file), "--method", "one-frame"]) == 0
    text = capsys.readouterr().out
    assert "By the spot meter" in text
    assert "would clip" in text


@pytest.mark.parametrize(("ratio", "read"), [(2.0, 3.0), (30.0, 1.0), (8.0, 20.0)])
def test_the_limit_of_noise_solves_its_own_equation(ratio: float, read: float) -> None:
    """√n S/√(S + r²) is the asked ratio, put in again."""
    plan = a_plan(12.0, noise_ratio=ratio, full_well_e=60_000.0, read_noise_e=read)
    candidate = worked("one-frame", build_scene(plan))
    body = candidate.scene.plan.kit.body
    darkest = WHITE - of(plan).room_stops
    electrons = 0.18 * 2.0**darkest * body.full_well_at(body.iso)
    pixels = max(1.0, 1.0 / (candidate.criterion.frequency * body.pixel_mm) ** 2)
    assert math.sqrt(pixels) * electrons / math.sqrt(electrons + read**2) == pytest.approx(ratio, rel=1e-9)


def test_shots_in_steps_of_exposure_hold_what_one_does_not() -> None:
    plan = a_plan(12.0, 12.0 + WHITE + 1.5, 12.0)
    survey = of(plan)
    assert [reading.fate for reading in survey.readings] == ["holds", "clips", "holds"]
    shots = ShotsEach(each=3, apart_stops=2.0)
    bracketed = of(plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": shots})}))
    assert [reading.fate for reading in bracketed.readings] == ["holds", "holds", "holds"]
    closer = ShotsEach(each=3, apart_stops=1.0)
    too_close = of(plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": closer})}))
    assert too_close.readings[1].fate == "clips", "one stop less is not enough for one and a half"
