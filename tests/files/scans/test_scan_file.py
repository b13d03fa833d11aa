"""Scans written by general packages (trimesh, laspy, NumPy, Pillow) are read and thinned; broken ones are told."""

from __future__ import annotations

import io
from pathlib import Path

import laspy
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from scipy.spatial import cKDTree

from verispect.errors import Cancelled, FileError
from verispect.files.scans.depth_maps import DepthCamera
from verispect.files.scans.placement import Placing
from verispect.files.scans.point_files import ply_pieces
from verispect.files.scans.scan_file import peek_scan, read_depth, read_scan
from verispect.files.scans.thinning import Thinning
from verispect.optics.pose import camera_pose
from verispect.subject.scan import unpacked

EVERY = Placing(voxel_m=0.0005, only_ahead=False)


def some(count: int = 400, seed: int = 0) -> np.ndarray:
    return np.round(np.random.default_rng(seed).uniform([-3, -5, 0], [3, 9, 4], (count, 3)), 3)


def places(path: Path, placing: Placing = EVERY) -> np.ndarray:
    cloud = read_scan(path, placing).cloud
    return unpacked(cloud.points, cloud.count)


def same(found: np.ndarray, expected: np.ndarray, tolerance: float = 0.0008) -> None:
    assert len(found) == len(expected)
    assert cKDTree(found).query(expected)[0].max() < tolerance


def in_world(points: np.ndarray) -> np.ndarray:
    """A z-up scan that looks along y: x right, z up, y away."""
    return points[:, [0, 2, 1]]


def write(path: Path, points: np.ndarray) -> Path:
    """By the general package that usually writes such files."""
    kind = path.suffix
    if kind in (".las", ".laz"):
        las = laspy.create(point_format=3, file_version="1.2")
        las.header.scales = [0.001] * 3
        las.x, las.y, las.z = points.T
        las.write(str(path))
    elif kind == ".ply":
        trimesh.PointCloud(points).export(str(path))
    elif kind == ".csv":
        table = np.column_stack([points, points[:, 0]])
        np.savetxt(path, table, delimiter=";", header="y;x;z;intensity", comments="", fmt="%.3f")
    elif kind == ".pts":
        path.write_text(f"{len(points)}\n" + "\n".join(f"{x:.3f} {y:.3f} {z:.3f} 7" for x, y, z in points))
    else:
        np.savetxt(path, points, fmt="%.3f")
    return path


@pytest.mark.parametrize("kind", [".las", ".laz", ".ply", ".xyz", ".pts", ".txt"])
def test_a_cloud_comes_in_as_it_was_written(tmp_path: Path, kind: str) -> None:
    points = some()
    path = write(tmp_path / f"scan{kind}", points)
    same(places(path), in_world(points))
    peek = peek_scan(path)
    assert peek.low == pytest.approx(points.min(axis=0), abs=1e-3)
    assert peek.high == pytest.approx(points.max(axis=0), abs=1e-3)


def test_columns_of_a_table_are_told_by_their_names(tmp_path: Path) -> None:
    points = some()
    same(places(write(tmp_path / "scan.csv", points)), in_world(points[:, [1, 0, 2]]))


@pytest.mark.parametrize("encoding", ["ascii", "binary"])
@pytest.mark.parametrize("order", ["<", ">"])
def test_every_kind_of_ply(tmp_path: Path, encoding: str, order: str) -> None:
    points = some()
    path = tmp_path / "scan.ply"
    form = "ascii" if encoding == "ascii" else f"binary_{'little' if order == '<' else 'big'}_endian"
    head = f"ply\nformat {form} 1.0\ncomment made by hand\nelement vertex {len(points)}\nproperty uchar red\n"
    head += "property double x\nproperty float y\nproperty float z\n"
    head += "element face 0\nproperty list uchar int vertex_index\n"
    columns = [("r", "u1"), ("x", order + "f8"), ("y", order + "f4"), ("z", order + "f4")]
    rows = np.zeros(len(points), np.dtype(columns))
    rows["x"], rows["y"], rows["z"] = points.T
    lines = "\n".join(f"9 {x:.4f} {y:.4f} {z:.4f}" for x, y, z in points)
    body = rows.tobytes() if encoding == "binary" else lines.encode()
    path.write_bytes(head.encode() + b"end_header\n" + body)
    same(places(path), in_world(points))


@pytest.mark.parametrize("kind", [".obj", ".glb", ".stl", ".ply"])
def test_a_mesh_is_strewn_with_points_that_lie_on_it(tmp_path: Path, kind: str) -> None:
    """trimesh's own box, a metre wide about (2, 6, 1)."""
    box = trimesh.creation.box(
        extents=(1.0, 1.0, 1.0), transform=trimesh.transformations.translation_matrix([2, 6, 1])
    )
    path = tmp_path / f"box{kind}"
    box.export(path)
    found = places(path, Placing(voxel_m=0.02, only_ahead=False, up="z"))
    off = np.abs(found - np.array([2.0, 1.0, 6.0]))
    assert off.max(axis=1) == pytest.approx(0.5, abs=0.002)
    assert len(found) > 3000


def test_units_axes_and_stand(tmp_path: Path) -> None:
    """One point 2 m right, 3 m up and 5 m ahead of where one stands, written in several frames, by hand."""
    target = np.array([[2.0, 3.0, 5.0]])
    for placing, point in [
        (Placing(), (2, 5, 3)),
        (Placing(unit="mm"), (2000, 5000, 3000)),
        (Placing(unit="ft"), (2 / 0.3048, 5 / 0.3048, 3 / 0.3048)),
        (Placing(stand_x=10, stand_y=20, stand_z=-1), (12, 25, 2)),
        # Looking east: right of that is south.
        (Placing(bearing_deg=90), (5, -2, 3)),
        (Placing(up="y"), (2, 3, -5)),
        (Placing(up="y", bearing_deg=180), (-2, 3, 5)),
    ]:
        path = tmp_path / "one.xyz"
        np.savetxt(path, np.array([point], float), fmt="%.6f")
        assert places(path, placing) == pytest.approx(target, abs=1e-3)


def test_limits_keep_what_is_wanted(tmp_path: Path) -> None:
    path = write(tmp_path / "scan.xyz", some(2000))
    found = places(path, Placing(nearest_m=2.0, farthest_m=6.0, lowest_m=1.0, highest_m=2.0, voxel_m=0.001))
    reach = np.hypot(found[:, 0], found[:, 2])
    assert (reach.min() >= 1.999, reach.max() <= 6.001, found[:, 2].min() > 0) == (True, True, True)
    assert found[:, 1].min() >= 0.999
    assert found[:, 1].max() <= 2.001
    with pytest.raises(FileError, match="none of its 2000 points"):
        read_scan(path, Placing(nearest_m=900.0))


@given(seed=st.integers(0, 10_000), pieces=st.integers(1, 7))
def test_thinning_keeps_one_point_in_every_cube_however_it_is_fed(seed: int, pieces: int) -> None:
    points = np.random.default_rng(seed).uniform(-2, 2, (600, 3))
    thinned = Thinning(0.5, 10_000)
    for piece in np.array_split(points, pieces):
        thinned.take(piece)
    cubes = {tuple(cube) for cube in np.floor(points / 0.5).astype(int).tolist()}
    kept = [tuple(cube) for cube in np.floor(thinned.places_m / 0.5).astype(int).tolist()]
    assert sorted(kept) == sorted(cubes)


def test_too_many_points_are_thinned_more_coarsely() -> None:
    thinned = Thinning(0.01, 500)
    points = np.random.default_rng(0).uniform(0, 4, (20_000, 3))
    for piece in np.array_split(points, 9):
        thinned.take(piece)
    assert 50 < len(thinned.places_m) <= 500
    assert thinned.voxel_m > 0.01
    far = Thinning(1e-6, 500)
    far.take(np.array([[0.0, 0.0, 5.0], [9000.0, 0.0, 5.0]]))
    assert len(far.places_m) == 2


def test_depth_pictures_are_carried_into_the_world(tmp_path: Path) -> None:
    """A wall 4 m ahead, seen level and straight, in millimetres and in metres."""
    wall = np.full((60, 80), 4.0)
    Image.fromarray((wall * 1000).astype(np.uint16)).save(tmp_path / "depth.png")
    Image.fromarray(wall.astype(np.float32)).save(tmp_path / "depth.tif")
    np.save(tmp_path / "depth.npy", wall)
    pose = camera_pose(height_m=1.5, bearing_rad=0.0, pitch_rad=0.0)
    for name, step in (("depth.png", 0.001), ("depth.tif", 1.0), ("depth.npy", 1.0)):
        read = read_depth(tmp_path / name, DepthCamera(focal_px=100.0, step_m=step), pose, Placing(voxel_m=0.001))
        found = unpacked(read.cloud.points, read.cloud.count)
        assert found[:, 2] == pytest.approx(4.0, abs=1e-3)
        # The outermost pixels' middles: 39.5 px of 100 px focal length, 4 m away.
        assert np.abs(found[:, 0]).max() == pytest.approx(4 * 39.5 / 100, abs=2e-3)
        assert found[:, 1].min() == pytest.approx(1.5 - 4 * 29.5 / 100, abs=2e-3)
        assert peek_scan(tmp_path / name).kind == "depth"


def broken(tmp_path: Path) -> dict[str, tuple[bytes, str]]:
    good = io.BytesIO()
    las = laspy.create(point_format=0, file_version="1.2")
    las.x, las.y, las.z = some().T
    las.write(good)
    header = b"ply\nformat binary_little_endian 1.0\nelement vertex 1000000000000\n"
    header += b"property float x\nproperty float y\n"
    listed = b"ply\nformat ascii 1.0\nelement vertex 3\nproperty list uchar int x\nend_header\n"
    return {
        "cut.las": (good.getvalue()[:-500], "claims 400 points"),
        "short.las": (good.getvalue()[:90], "no whole LAS"),
        "text.las": (b"hello there, this is text" * 20, "no whole LAS"),
        "text.laz": (b"hello there, this is text" * 20, "no whole LAS"),
        "huge.ply": (header + b"property float z\nend_header\n" + bytes(240), "claims 1000000000000 points"),
        "flat.ply": (header + b"end_header\n" + bytes(240), "no z"),
        "head.ply": (header, "does not end"),
        "no.ply": (b"PK\x03\x04" + bytes(50), "no PLY"),
        "few.ply": (b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
                    b"end_header\n1 2 3          \n4 5 6         ", "2 are there"),
        "list.ply": (listed, "plain numbers"),
        "bad.xyz": (b"1 2 3\n4 5 6\n7 eight 9\n", "line 3"),
        "two.xyz": (b"1 2 3\n4 5\n", "line 2"),
        "names.csv": (b"a,b,c\n1,2,3\n", "names x, y, z"),
        "empty.xyz": (b"", "no points"),
        "only.xyz": (b"3\n", "no points"),
        "bad.obj": (b"v 1 2\nf 1 2 3\n", "OBJ"),
        "bad.glb": (b"glTF\x02\x00\x00\x00\xff\xff\xff\xff", "GLB"),
        "bad.stl": (b"\x00" * 80 + b"\xff\xff\xff\xff" + b"\x00" * 100, "STL"),
        "bad.png": (b"\x89PNG\r\n\x1a\n" + bytes(40), "no whole picture"),
        "bad.npy": (b"\x93NUMPY broken", "no whole array"),
        "what.xml": (b"<a/>", "ends in one of"),
    }  # fmt: skip


@pytest.mark.parametrize("name", list(broken(Path())))
def test_broken_scans_are_told_in_one_sentence(tmp_path: Path, name: str) -> None:
    content, words = broken(tmp_path)[name]
    path = tmp_path / name
    path.write_bytes(content)

    def opened() -> None:
        peek_scan(path)
        read_scan(path, EVERY)

    with pytest.raises(FileError, match=words) as told:
        opened()
    assert name in str(told.value)
    assert len(str(told.value)) < 300


def test_a_colour_picture_is_no_depth_picture_and_a_missing_file_is_told(tmp_path: Path) -> None:
    Image.new("RGB", (4, 4)).save(tmp_path / "colour.png")
    with pytest.raises(FileError, match="one channel"):
        peek_scan(tmp_path / "colour.png")
    with pytest.raises(FileError, match="no such file"):
        read_scan(tmp_path / "gone.ply", EVERY)


def test_reading_tells_how_far_it_is_and_can_be_given_up(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr("verispect.files.scans.point_files.AT_ONCE", 100)
    path = write(tmp_path / "scan.ply", some())
    assert len(list(ply_pieces(path))) == 4
    shares: list[float] = []
    read_scan(path, EVERY, progress=shares.append)
    assert shares == pytest.approx([0.25, 0.5, 0.75, 1.0])
    with pytest.raises(Cancelled):
        read_scan(path, EVERY, is_cancelled=lambda: True)


@pytest.mark.parametrize(("code", "unit"), [(9001, "m"), (9002, "ft"), (9003, "ft"), (9005, None)])
def test_the_unit_of_a_georeferenced_scan_comes_from_its_geotiff_keys(tmp_path, code, unit) -> None:
    """Keys as the LAS specification lays them out, written by laspy: EPSG codes of linear units."""
    las = laspy.create(point_format=3, file_version="1.2")
    las.header.scales, las.header.offsets = [0.01] * 3, [600_000.0, 800_000.0, 0.0]
    las.x, las.y, las.z = (some().T + np.array([[600_000.0], [800_000.0], [0.0]]))[:, :50]
    keys = np.array([1, 1, 0, 1, 3076, 0, 1, code], dtype="<u2").tobytes()
    las.header.vlrs.append(laspy.VLR("LASF_Projection", 34735, "keys", keys))
    las.write(str(tmp_path / "map.las"))
    assert peek_scan(tmp_path / "map.las").unit == unit


@pytest.mark.parametrize(
    ("text", "unit"),
    [
        ('PROJCS["x",GEOGCS["g",UNIT["degree",0.0174532925199433]],UNIT["metre",1]]', "m"),
        ('PROJCS["x",GEOGCS["g",UNIT["degree",0.0174532925199433]],UNIT["US survey foot",0.3048006096012192]]', "ft"),
        ('COMPD_CS["c",PROJCS["x",UNIT["foot",0.3048]],VERT_CS["h",UNIT["metre",1]]]', "ft"),
        ('GEOGCS["g",UNIT["degree",0.0174532925199433]]', None),
    ],
)
def test_the_unit_of_a_georeferenced_scan_comes_from_its_well_known_text(tmp_path, text, unit) -> None:
    las = laspy.create(point_format=6, file_version="1.4")
    las.x, las.y, las.z = some()[:50].T
    las.header.vlrs.append(laspy.vlrs.known.WktCoordinateSystemVlr(text))
    las.write(str(tmp_path / "map.las"))
    assert peek_scan(tmp_path / "map.las").unit == unit


def test_a_few_strays_do_not_decide_where_a_scan_lies(tmp_path) -> None:
    places = np.vstack([some(2000) + 1000.0, [[0.0, 0.0, 0.0]]])
    peek = peek_scan(write(tmp_path / "strays.ply", places))
    assert min(peek.low) > 990.0
    assert peek_scan(write(tmp_path / "whole.ply", some())).low == pytest.approx(some().min(axis=0), abs=1e-4)
