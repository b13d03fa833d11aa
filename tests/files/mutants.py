"""Whole files of every kind that is read, and damaged copies of them: what each reader must answer in a sentence."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path

import laspy
import numpy as np
import trimesh
from PIL import Image

from tests.conftest import DEMO
from verispect.errors import VerispectError
from verispect.files.gpx import marks_from_gpx
from verispect.files.marks_csv import marks_from_csv, text_of_table
from verispect.files.photo_file import read_picture
from verispect.files.picture_out import Shot, write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.files.run_file import read_run
from verispect.files.scans.depth_maps import DepthCamera
from verispect.files.scans.placement import Placing
from verispect.files.scans.scan_file import read_depth, read_scan
from verispect.optics.pose import camera_pose
from verispect.prove.intake import described, read_coded

GPX = b"""<?xml version="1.0"?><gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1">
<wpt lat="47.1" lon="8.3"><ele>431</ele><name>Tower</name></wpt>
<wpt lat="47.1001" lon="8.3002"><name>Gate</name></wpt>
</gpx>"""
TABLE = b"name,across [m],up [m],away [m],need\nDoor,1,2,3,must\nGate,-1,0,7.5,should\n"
RUN = {
    "format": "verispect-run", "version": 1, "plan": "a.verispect", "method": "series",
    "frames": [{"file": "a.tif", "exposure": 0, "happened": {"knock": [0.1, 0.2]},
                "marks": [{"name": "m", "pixel": [1, 2], "blur_px": [1, 1], "contrast": 0.5}]}],
}  # fmt: skip


def _points() -> np.ndarray:
    return np.round(np.random.default_rng(0).uniform([-3, -5, 0], [3, 9, 4], (60, 3)), 3)


def _cloud(path: Path, **how: str) -> None:
    _saved(path, trimesh.PointCloud(_points()).export(file_type="ply", **how))


def _las(path: Path) -> None:
    las = laspy.create(point_format=3, file_version="1.2")
    las.header.scales = [0.001] * 3
    las.x, las.y, las.z = _points().T
    las.write(str(path))


def _mesh(path: Path) -> None:
    trimesh.creation.box((1.0, 2.0, 3.0)).export(str(path))


def _picture(path: Path) -> None:
    rng = np.random.default_rng(1)
    shot = Shot(focal_mm=50.0, f_number=8.0, shutter_s=0.01, iso=100.0, subject_m=3.0)
    write_picture(path, rng.integers(0, 65535, (48, 64, 3), dtype=np.uint16), shot=shot)


def _grey(path: Path) -> None:
    Image.fromarray(np.random.default_rng(2).integers(0, 5000, (32, 40)).astype(np.uint16)).save(path)


def _table(path: Path) -> None:
    np.savetxt(path, _points(), delimiter=" ", fmt="%.3f")


def _saved(path: Path, content: bytes) -> None:
    path.write_bytes(content)


MAKERS: dict[str, Callable[[Path], None]] = {
    "plan.verispect": lambda path: _saved(path, DEMO.read_bytes()),
    "marks.csv": lambda path: _saved(path, TABLE),
    "places.gpx": lambda path: _saved(path, GPX),
    "run.json": lambda path: _saved(path, json.dumps(RUN).encode()),
    "cloud.ply": lambda path: _cloud(path),
    "cloud-text.ply": lambda path: _cloud(path, encoding="ascii"),
    "cloud.xyz": _table,
    "cloud.las": _las,
    "cloud.laz": _las,
    "box.obj": _mesh,
    "box.stl": _mesh,
    "box.glb": _mesh,
    "depth.npy": lambda path: np.save(path, np.random.default_rng(3).uniform(1, 9, (12, 16))),
    "depth.png": _grey,
    "photo.jpg": _picture,
    "photo.png": _picture,
    "photo.tif": _picture,
    "frame.jpg": _picture,
    "frame.png": _picture,
    "frame.tif": _picture,
}  # fmt: skip


def read(path: Path) -> None:
    """As the program reads this kind; what comes of it is written where it can be."""
    kind = path.name
    placing = Placing(voxel_m=0.01, only_ahead=False)
    if kind.startswith("plan"):
        plan_to_text(read_plan(path)).encode("utf-8")
    elif kind.startswith("marks"):
        marks_from_csv(text_of_table(path.read_bytes(), name=kind), name=kind)
    elif kind.startswith("places"):
        marks_from_gpx(path.read_bytes(), read_plan(DEMO), name=kind)
    elif kind.startswith("run"):
        read_run(path)
    elif kind.startswith(("cloud", "box")):
        read_scan(path, placing)
    elif kind.startswith("depth"):
        read_depth(path, DepthCamera(), camera_pose(height_m=1.5), placing)
    elif kind.startswith("photo"):
        read_picture(path)
    else:
        frame = described(path)
        read_coded(frame)


_INTEGERS = (b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\xff\xff\xff\x7f", b"\0\0\0\0")
_NUMBERS = (b"4000000000", b"-1", b"1e999", b"0", b"nan", b"9" * 60)


def damaged(content: bytes, rng: np.random.Generator) -> bytes:
    """A few of the things that happen to files, and some that are done to them."""
    found = bytearray(content)
    for _ in range(int(rng.integers(1, 5))):
        if not found:
            break
        at = int(rng.integers(len(found)))
        span = int(rng.integers(1, 40))
        what = int(rng.integers(8))
        if what == 0:
            found[at] ^= 1 << int(rng.integers(8))
        elif what == 1:
            found[at : at + span] = bytes([int(rng.choice([0, 255, 32, 48]))]) * len(found[at : at + span])
        elif what == 2:
            del found[at : at + span]
        elif what == 3:
            found[at:at] = found[at : at + span]
        elif what == 4:
            del found[at:]
        elif what == 5:
            found[at:at] = rng.bytes(span)
        elif what == 6:
            found[at : at + 4] = rng.choice(
                [b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\xff\xff\xff\x7f", b"\0\0\0\0"]
            )
        else:
            numbers = list(re.finditer(rb"\d+", bytes(found[:20_000])))
            if numbers:
                one = numbers[int(rng.integers(len(numbers)))]
                found[one.start() : one.end()] = _NUMBERS[int(rng.integers(len(_NUMBERS)))]
    return bytes(found)


def whole(kind: str, folder: Path) -> bytes:
    """A good file of a kind."""
    path = folder / kind
    MAKERS[kind](path)
    return path.read_bytes()


def answers(kind: str, content: bytes, folder: Path) -> str | None:
    """None where a damaged file is read or refused in a sentence; else what went wrong."""
    path = folder / kind
    path.write_bytes(content)
    try:
        read(path)
    except VerispectError as error:
        text = str(error)
        return (
            None if text and "\n" not in text.strip() and len(text) < 2000 else f"no single sentence: {text[:200]!r}"
        )
    except (OSError, MemoryError) as error:
        return f"{type(error).__name__}: {error}"
    return None
