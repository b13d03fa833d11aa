"""Reading a scan: its pieces placed, cropped and thinned, with progress, and given up when asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from verispect.errors import Cancelled, FileError, GeometryError
from verispect.files.scans.depth_maps import DepthCamera, depth_values, places_of
from verispect.files.scans.las_unit import las_unit
from verispect.files.scans.meshes import mesh_pieces
from verispect.files.scans.placement import Placing
from verispect.files.scans.point_files import Pieces, has_faces, las_pieces, ply_pieces, table_pieces
from verispect.files.scans.thinning import Thinning
from verispect.optics.pose import Pose
from verispect.optics.types import Floats
from verispect.subject.scan import MOST_POINTS, Cloud, packed

CLOUDS = {".ply": ply_pieces, ".las": las_pieces, ".laz": las_pieces}
TABLES = (".xyz", ".csv", ".txt", ".pts", ".asc")
MESHES = (".obj", ".gltf", ".glb", ".stl")
DEPTHS = (".png", ".tif", ".tiff", ".npy")
# A scan this many times wider than all but its outermost points has strays.
_ASTRAY = 10.0
SUFFIXES = (*CLOUDS, *TABLES, *MESHES, *DEPTHS)


@dataclass(frozen=True)
class ScanPeek:
    """What a first look at a scan tells: its extent in its own unit and axes, from its first piece.

    `unit` is None where the file does not tell.
    """

    kind: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    up: str
    unit: str | None = None


@dataclass(frozen=True)
class ScanRead:
    """A scan as the plan keeps it.

    Attributes
    ----------
    cloud : Cloud
    read : int
        How many points the file has.
    voxel_m : float
        How coarsely it was thinned in the end.
    """

    cloud: Cloud
    read: int
    voxel_m: float


def _pieces(path: Path) -> Pieces:
    suffix = path.suffix.lower()
    if suffix == ".ply" and has_faces(path):
        return mesh_pieces(path)
    if suffix in CLOUDS:
        return CLOUDS[suffix](path)
    if suffix in TABLES:
        return table_pieces(path)
    if suffix in MESHES:
        return mesh_pieces(path)
    raise FileError(
        "{name}: a scan ends in one of {known}", name=path.name, known=" ".join(kind.lstrip(".") for kind in SUFFIXES)
    )


def is_depth(path: Path) -> bool:
    """Whether a file is read as a depth picture."""
    return path.suffix.lower() in DEPTHS


def peek_scan(path: Path) -> ScanPeek:
    """Look at the first piece of a scan.

    Raises
    ------
    FileError
        If it cannot be read.
    """
    _exists(path)
    if is_depth(path):
        values = depth_values(path)
        known = values[np.isfinite(values) & (values > 0.0)]
        if not known.size:
            raise FileError("{name}: no pixel of this depth picture has a depth", name=path.name)
        rows, columns = values.shape
        return ScanPeek(
            "depth", (0.0, 0.0, float(known.min())), (float(columns), float(rows), float(known.max())), ""
        )
    try:
        places, _ = next(_pieces(path))
    except StopIteration:
        raise _empty(path) from None
    places = places[np.all(np.isfinite(places), axis=1)]
    if not len(places):
        raise _empty(path)
    low, high = _extent(places)
    up = "y" if path.suffix.lower() in (".gltf", ".glb", ".obj") else "z"
    kind = "mesh" if path.suffix.lower() in MESHES else "cloud"
    return ScanPeek(kind, _three(low), _three(high), up, _unit(path))


def _extent(places: Floats) -> tuple[Floats, Floats]:
    """Least and greatest figures, without the few strays that some scanners leave far off."""
    low, high = places.min(axis=0), places.max(axis=0)
    inner_low, inner_high = np.quantile(places, 0.002, axis=0), np.quantile(places, 0.998, axis=0)
    astray = high - low > _ASTRAY * np.maximum(inner_high - inner_low, 1e-9)
    return np.where(astray, inner_low, low), np.where(astray, inner_high, high)


def _unit(path: Path) -> str | None:
    """What the file says of its unit; glTF is in metres by its specification."""
    suffix = path.suffix.lower()
    if suffix in (".las", ".laz"):
        return las_unit(path)
    return "m" if suffix in (".gltf", ".glb") else None


def _three(values: Floats) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])


def _empty(path: Path) -> FileError:
    return FileError("{name}: there are no points in this file", name=path.name)


def _exists(path: Path) -> None:
    if not path.is_file():
        raise FileError("{path}: there is no such file", path=path)


def read_scan(
    path: Path,
    placing: Placing,
    *,
    progress: Callable[[float], None] | None = None,
    is_cancelled: Callable[[], bool] | None = None,
) -> ScanRead:
    """Read a cloud or a mesh.

    Raises
    ------
    FileError
        If the file cannot be read, or nothing of it is left.
    Cancelled
        If `is_cancelled` said so between two pieces.
    """
    _exists(path)
    thinned = Thinning(placing.voxel_m, MOST_POINTS)
    read = 0
    try:
        for places, share in _pieces(path):
            read += len(places)
            thinned.take(placing.cropped(placing.to_world_m(places)))
            if progress is not None:
                progress(share)
            if is_cancelled is not None and is_cancelled():
                raise Cancelled
    except OSError as error:
        raise FileError("{path}: cannot be read: {reason}", path=path, reason=error.strerror or str(error)) from error
    return _kept(path, thinned, read)


def read_depth(path: Path, camera: DepthCamera, pose: Pose, placing: Placing) -> ScanRead:
    """Read a depth picture that was taken from the camera's own place, as it looks in the plan."""
    _exists(path)
    seen = places_of(depth_values(path), camera)
    thinned = Thinning(placing.voxel_m, MOST_POINTS)
    thinned.take(placing.cropped(pose.to_world_m(seen * 1000.0)))
    return _kept(path, thinned, len(seen))


def _kept(path: Path, thinned: Thinning, read: int) -> ScanRead:
    if read == 0:
        raise _empty(path)
    count = len(thinned.places_m)
    if count == 0:
        raise FileError(
            "{name}: none of its {read} points lies where it was asked to; check unit, up, stand and limits",
            name=path.name,
            read=read,
        )
    try:
        points = packed(thinned.places_m)
    except GeometryError as error:
        raise FileError("{name}: {error}", name=path.name, error=error.sentence) from error
    cloud = Cloud(name=path.stem, file=str(path), count=count, points=points)
    return ScanRead(cloud, read, thinned.voxel_m)
