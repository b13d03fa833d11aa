"""What another lens would have made of jobs, against weighing them by hand."""

from __future__ import annotations

import pytest

from tests.conftest import a_lens, make_plan
from verispect.errors import Cancelled
from verispect.kit.lens import Lens
from verispect.plan.advise.kit_gain import gain_sentences, gains
from verispect.plan.advise.weigh import weigh

# A floor that only a tilt holds in one frame, and a wall that anything does.
FLOOR = make_plan([(-0.4, 0.0, 1.6), (0.5, 0.0, 3.0), (0.0, 0.0, 12.0)], lenses=[a_lens(tilt_deg=0, shift_mm=0)])
WALL = make_plan([(-0.4, 1.0, 5.0), (0.5, 1.5, 5.0)], lenses=[a_lens(tilt_deg=0, shift_mm=0)])
TILTING = Lens.model_validate(a_lens(name="24 that tilts"))


def test_each_job_is_weighed_with_and_without() -> None:
    jobs = [
        plan.model_copy(update={"title": name}).model_dump(mode="json") for name, plan in (("F", FLOOR), ("W", WALL))
    ]
    found = gains([*jobs, {"marks": "damaged"}, {}], TILTING)
    assert [gain.title for gain in found] == ["F", "W"]
    floor, wall = found
    assert not wall.uses_it
    assert floor.after.lens == "24 that tilts"
    kit = FLOOR.kit.model_copy(update={"lenses": (*FLOOR.kit.lenses, TILTING)})
    for plan, told in ((FLOOR, floor.before), (FLOOR.model_copy(update={"kit": kit}), floor.after)):
        weighing = weigh(plan)
        best = weighing.by_key(weighing.advised or "")
        assert (told.method, told.holds, told.frames) == (best.key, best.holds, best.frame_count)
    told = [str(sentence) for sentence in gain_sentences(found, "24 that tilts")]
    assert len(told) == 2
    assert told[1].startswith("F: ")
    assert "Tilt in 1 frames" in told[1]
    assert "none of 1 jobs" in str(gain_sentences(found[1:], "24 that tilts")[0])
    assert "No job" in str(gain_sentences((), "x")[0])


def test_it_can_be_stopped() -> None:
    with pytest.raises(Cancelled):
        gains([FLOOR.model_dump(mode="json")], TILTING, is_cancelled=lambda: True)
