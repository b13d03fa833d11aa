"""Points on a mesh: OBJ, glTF, STL, and PLY with faces, by trimesh."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

from verispect.errors import FileError
from verispect.files.scans.point_files import Pieces

MOST_BYTES = 1_000_000_000
# Points are strewn over the faces, as many as a drawing shows, beside every corner.
_STREWN = 300_000
_SEED = 1


def mesh_pieces(path: Path) -> Pieces:
    """Every corner of the mesh, and points strewn evenly over its faces."""
    import trimesh

    if path.stat().st_size > MOST_BYTES:
        raise FileError(
            "{name}: {size} bytes; a mesh of at most {most} can be read, save it as a cloud of points (PLY) instead",
            name=path.name,
            size=path.stat().st_size,
            most=MOST_BYTES,
        )
    try:
        scene = trimesh.load_scene(path, process=False, skip_materials=True)
        mesh = scene.to_mesh() if scene.geometry else None
        points = [np.asarray(part.vertices) for part in scene.geometry.values() if not hasattr(part, "faces")]
    # Its own checks and slips of the library's (AssertionError, NameError) on files that no exporter would write too.
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, NameError, NotImplementedError, OSError,
            AssertionError, struct.error, MemoryError, RecursionError, ArithmeticError,
            ImportError) as error:  # fmt: skip
        raise FileError(
            "{name}: this is no whole {kind} file: {reason}",
            name=path.name,
            kind=path.suffix.lstrip(".").upper(),
            reason=str(error)[:120] or type(error).__name__,
        ) from error
    found = [part.reshape(-1, 3) for part in points if part.ndim == 2 and part.shape[1] == 3]
    if mesh is not None:
        corners, faces = np.asarray(mesh.vertices), np.asarray(mesh.faces)
        whole = corners.ndim == 2 and corners.shape[1:] == (3,) and (faces.size == 0 or faces.shape[1:] == (3,))
        if not whole or (faces.size and not 0 <= int(faces.min()) <= int(faces.max()) < len(corners)):
            raise FileError("{name}: its faces name corners that are not there; it may be damaged", name=path.name)
        found.append(corners)
        if len(faces):
            strewn, _ = trimesh.sample.sample_surface(mesh, _STREWN, seed=_SEED)
            found.append(np.asarray(strewn))
    if not sum(len(part) for part in found):
        raise FileError("{name}: there is nothing in this mesh", name=path.name)
    yield np.concatenate(found).astype(float), 1.0
