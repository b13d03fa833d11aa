"""Ways to add a mark to a plan: what the lens says is where it is sharp."""

from __future__ import annotations

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.errors import PlanError
from verispect.kit.mounted_lens import optic_at
from verispect.optics.blur import blur_axes_mm
from verispect.optics.conjugates import image_distance_for_scale_mm
from verispect.optics.lens_state import LensState, from_principal_point
from verispect.plan.document import Site
from verispect.plan.entry.measured_mark import WAYS, Extension, FocusScale, Infinity, Laser, MapPlace, Tape


def plan(**lens):
    return make_plan([(0, 1.5, 2)], framing=50.0, lenses=[a_lens(50.0, **lens)], camera={"pitch_deg": -6.0})


@pytest.mark.parametrize("lens", [{}, {"pupil_magnification": 1.6, "principal_separation_mm": 12.0}])
@pytest.mark.parametrize(("bearing", "slope"), [(0.0, -6.0), (12.0, 3.0), (-15.0, -20.0)])
def test_what_the_focus_scale_reads_is_sharp_there(lens, bearing, slope) -> None:
    """The place caught has no blur in the lens set to that reading: the optics and the catching agree."""
    base = plan(**lens)
    mark = FocusScale(scale_m=2.4, bearing_deg=bearing, inclination_deg=slope).mark(base)
    optic = optic_at(base.kit.lenses[0], 50.0)
    v = image_distance_for_scale_mm(
        scale_m=2.4, focal_mm=50.0, separation_mm=optic.principal_separation_mm
    )  # fmt: skip
    state = LensState(50.0, 2.8, v, pupil_magnification=optic.pupil_magnification)
    seen = base.camera.pose().to_camera_mm(np.array([mark.x_m, mark.y_m, mark.z_m]))
    assert float(blur_axes_mm(from_principal_point(seen, state), state)[0]) < 1e-9
    assert 0.0 < mark.plus_minus_m < 0.2


def test_extension_is_the_lens_equation() -> None:
    """Hand-worked: 50 mm extended by 1 mm is sharp at 50·51/1 = 2550 mm."""
    level = make_plan([(0, 1.5, 2)], framing=50.0, lenses=[a_lens(50.0)])
    mark = Extension(extension_mm=1.0).mark(level)
    assert (mark.x_m, mark.y_m) == (0.0, 1.5)
    assert mark.z_m == pytest.approx(2.55)


def test_laser_from_the_camera_and_from_a_spot() -> None:
    assert Laser(slope_m=4.0).mark(plan()).z_m == pytest.approx(4.0)
    mark = Laser(slope_m=4.0, stands="spot", spot_side_m=2.0, spot_height_m=0.5, spot_away_m=1.0).mark(plan())
    assert (mark.x_m, mark.y_m, mark.z_m) == pytest.approx((2.0, 0.5, 5.0))


def test_a_mark_without_a_name_is_numbered() -> None:
    assert Tape(away_m=4.0).mark(plan()).name == "Mark 2"
    assert Tape(name="Post", away_m=4.0).mark(plan()).name == "Post"


def test_what_a_plan_lacks_is_said() -> None:
    with pytest.raises(PlanError, match="where the camera stands"):
        MapPlace(latitude_deg=45.0).mark(plan())
    with pytest.raises(PlanError, match="name a lens of the kit: 50 tilt"):
        FocusScale(lens="lost").mark(plan())
    with pytest.raises(PlanError, match="within 87°"):
        FocusScale(bearing_deg=170.0).mark(plan())


def test_map_and_infinity() -> None:
    sited = plan().model_copy(update={"site": Site(latitude_deg=45.0, longitude_deg=8.0, elevation_m=400.0)})
    mark = MapPlace(latitude_deg=45.001, longitude_deg=8.0, elevation_m=420.0).mark(sited)
    assert mark.z_m == pytest.approx(111.1, abs=0.1)
    assert mark.y_m == pytest.approx(20.0, abs=0.01)
    assert mark.plus_minus_m == 10.0
    assert Infinity(bearing_deg=3.0).mark(plan()).z_m > 9e5


def test_every_way_has_values_to_start_from() -> None:
    sited = plan().model_copy(update={"site": Site(latitude_deg=0.1, longitude_deg=0.0)})
    for kind in WAYS.values():
        assert kind().mark(sited).name
