"""A real scene of known depth: the rectified stereo pair with measured disparity in scikit-image's wheel.

Middlebury 2014 "Motorcycle", reduced by 4 (Scharstein et al., GCPR 2014); its calibration is in the docstring of
`skimage.data.stereo_motorcycle`. The right picture is never read by the program, so it is a witness.
"""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from skimage import data

from tests.conftest import a_lens, make_plan
from verispect.files.photo_file import read_picture
from verispect.files.scans.depth_maps import DepthCamera
from verispect.files.scans.placement import Placing
from verispect.files.scans.scan_file import read_depth
from verispect.optics.pose import camera_pose
from verispect.plan.advise.weigh import weigh
from verispect.plan.scene.scene import build_scene
from verispect.subject.photograph import Photograph
from verispect.subject.scan import unpacked

FOCAL, AXIS, RIGHT_AXIS, BASELINE_M = 994.978, (254.877, 311.193), 342.279, 0.193001
HEIGHT = 1.0
EVERY = Placing(voxel_m=0.004, farthest_m=8.0)


@pytest.fixture(scope="module")
def pair():
    left, right, disparity = data.stereo_motorcycle()
    depth = FOCAL * BASELINE_M / (disparity + RIGHT_AXIS - AXIS[1])
    return left, right, np.where(np.isfinite(disparity), depth, 0.0)


@pytest.fixture(scope="module")
def scan(pair, tmp_path_factory):
    """The depth picture as a file of floats in metres, read with its camera data."""
    path = tmp_path_factory.mktemp("real") / "depth.npy"
    np.save(path, pair[2].astype(np.float32))
    camera = DepthCamera(focal_px=FOCAL, step_m=1.0, middle_right_px=AXIS[1], middle_down_px=AXIS[0])
    return read_depth(path, camera, camera_pose(height_m=HEIGHT), EVERY)


def test_its_depths_are_those_that_the_data_tell(scan) -> None:
    points = unpacked(scan.cloud.points, scan.cloud.count)
    # shared facts: 2.11 to 5.02 m.
    assert points[:, 2].min() == pytest.approx(2.11, abs=0.01)
    assert points[:, 2].max() == pytest.approx(5.02, abs=0.01)


def test_the_second_camera_sees_the_same_colours_where_the_scan_says(pair, scan) -> None:
    """Each place of the scan, put into both pictures: left by its own camera, right by one 193 mm beside it."""
    left, right, _ = pair
    points = unpacked(scan.cloud.points, scan.cloud.count) - np.array([0.0, HEIGHT, 0.0])
    row = AXIS[0] - FOCAL * points[:, 1] / points[:, 2]
    here = AXIS[1] + FOCAL * points[:, 0] / points[:, 2]
    there = RIGHT_AXIS + FOCAL * (points[:, 0] - BASELINE_M) / points[:, 2]
    seen = (there > 1) & (there < 739) & (row > 1) & (row < 498)
    at = tuple(np.round(part[seen]).astype(int) for part in (row, here, there))
    first, second = left[at[0], at[1]].mean(axis=1), right[at[0], at[2]].mean(axis=1)
    assert np.corrcoef(first, second)[0, 1] > 0.9
    # The same a hand's breadth nearer or farther does not fit: the scale is told by the witness, not by us.
    for wrong in (0.93, 1.07):
        moved = RIGHT_AXIS + FOCAL * (points[seen, 0] - BASELINE_M / wrong) / points[seen, 2]
        other = right[at[0], np.clip(np.round(moved).astype(int), 0, 740)].mean(axis=1)
        assert np.corrcoef(first, other)[0, 1] < np.corrcoef(first, second)[0, 1] - 0.05


def test_a_click_on_the_photograph_with_its_distance_is_the_scans_own_place(pair, scan, tmp_path) -> None:
    left, _, depth = pair
    Image.fromarray(left).save(tmp_path / "left.png")
    picture = read_picture(tmp_path / "left.png")
    photo = Photograph(
        pixels=(picture.width, picture.height),
        focal_mm=FOCAL / 741.0 * 36.0,
        axis_row_px=AXIS[0],
        axis_column_px=AXIS[1],
    )
    points = unpacked(scan.cloud.points, scan.cloud.count)
    rng = np.random.default_rng(1)
    rows, columns = rng.integers(20, 480, 60), rng.integers(20, 720, 60)
    for row, column in zip(rows, columns, strict=True):
        if depth[row, column] <= 0.0:
            continue
        ray = photo.directions(np.array([float(row), float(column)]))
        place = np.array([0.0, HEIGHT, 0.0]) + ray * depth[row, column] / ray[2]
        assert np.linalg.norm(points - place, axis=1).min() < 0.006


def test_a_real_scan_is_weighed_as_its_every_pixel_says(pair, scan) -> None:
    """One frame on the scan: no pixel of the depth picture is softer than the softest that is told."""
    plan = make_plan([(0.0, HEIGHT, 3.0)], framing=45.0, lenses=[a_lens(45.0, image_circle_mm=90.0)],
                     camera={"height_m": HEIGHT}, print_mm=(450, 300))  # fmt: skip
    plan = plan.model_copy(update={"scans": (scan.cloud.model_copy(update={"need": "must"}),)})
    one = weigh(plan).by_key("one-frame")
    assert one.fits
    state = one.exposures[0].state
    depth = pair[2]
    row, column = np.nonzero(depth > 0.0)
    x = (column - AXIS[1]) / FOCAL
    y = (AXIS[0] - row) / FOCAL
    half = build_scene(plan).half_picture()
    shown = (np.abs(x) <= half[0]) & (np.abs(y) <= half[1])
    z = depth[row, column][shown] * 1000.0
    # A straight lens with pupil magnification 1, by similar triangles.
    sharp_at = 45.0 * z / (z - 45.0)
    blur = 45.0 / state.f_number * np.abs(state.image_distance_mm - sharp_at) / sharp_at
    softest = blur.max() / one.exposures[0].allowed_blur_mm
    assert one.worst_softness == pytest.approx(softest, rel=0.01)
