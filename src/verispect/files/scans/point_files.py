"""Pieces of a cloud from a file, in its own frame: PLY, LAS and LAZ, and tables of numbers.

Each reader yields (places (P, 3), share of the file read) and holds one piece in memory at a time. What a
header claims is checked against the size of the file before it is believed.
"""

from __future__ import annotations

import itertools
import re
import struct
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np

from verispect.errors import FileError
from verispect.optics.types import Floats

Pieces = Iterator[tuple[Floats, float]]

# A record's own head; what is in it comes on top.
_RECORD_BYTES = 54
AT_ONCE = 500_000
_LINES_AT_ONCE = 200_000
_LONGEST_HEADER = 200
# A larger mesh is read as the cloud of its corners, which then lie close enough.
_MOST_MESH_BYTES = 200_000_000
_PLY_TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip


def table_pieces(path: Path) -> Pieces:
    """Lines of numbers, the first three of which, or those under x, y and z, are a place."""
    size = max(path.stat().st_size, 1)
    with path.open("rb") as file:
        head = file.readline(100_000)
        if not head:
            return
        separator, columns, first_row = _table_head(path, head)
        if first_row:
            file.seek(0)
        number = 0 if first_row else 1
        while lines := list(itertools.islice(file, _LINES_AT_ONCE)):
            yield _numbers(path, lines, separator, columns, number), file.tell() / size
            number += len(lines)


def _table_head(path: Path, head: bytes) -> tuple[bytes | None, tuple[int, ...], bool]:
    """The separator (None: white space), which columns are x, y and z, and whether the first line is a row."""
    text = head.decode("utf-8-sig", errors="replace").strip()
    separator = next((mark for mark in ",;\t" if mark in text), None)
    parts = [part.strip().strip('"') for part in (text.split(separator) if separator else text.split())]
    mark = separator.encode() if separator else None
    if len(parts) == 1 and re.fullmatch(r"\d+", parts[0]):
        return None, (0, 1, 2), False  # a count on a line of its own
    try:
        [float(part) for part in parts[:3]]
    except ValueError:
        names = [re.sub(r"[\s\[(].*", "", part.lstrip("/#").lower()) for part in parts]
        if not {"x", "y", "z"} <= set(names):
            raise FileError(
                "{name}: the first line is {text!r}; a table of points begins with numbers or with the names x, y, z",
                name=path.name,
                text=text[:60],
            ) from None
        return mark, tuple(names.index(axis) for axis in "xyz"), False
    if len(parts) < 3:
        raise FileError("{name}: line 1 has {count} numbers; a point has three", name=path.name, count=len(parts))
    return mark, (0, 1, 2), True


def _numbers(
    path: Path, lines: list[bytes], separator: bytes | None, columns: tuple[int, ...], before: int
) -> Floats:
    delimiter = None if separator is None else separator.decode()
    try:
        return np.loadtxt(lines, delimiter=delimiter, usecols=columns, comments=None, ndmin=2).reshape(-1, 3)
    except ValueError:
        for line in lines:
            parts = line.split(separator)
            try:
                [float(parts[k]) for k in columns if line.strip()]
            except (ValueError, IndexError):
                raise _bad_row(path, lines, line, before) from None
        raise


def _bad_row(path: Path, lines: list[bytes], line: bytes, before: int) -> FileError:
    shown = line.decode("utf-8", errors="replace").strip()[:60]
    return FileError(
        "{name}: line {row}: found {shown!r}; every line is three numbers or more",
        name=path.name,
        row=before + lines.index(line) + 1,
        shown=shown,
    )


def _refuse_twins(path: Path, names: list[str]) -> None:
    for name in names:
        if names.count(name) > 1:
            raise FileError("{name}: its vertices have two columns {column}; one would be right", name=path.name,
                            column=name)  # fmt: skip


def ply_pieces(path: Path) -> Pieces:
    """Vertices of a PLY file, of any of its three kinds."""
    with path.open("rb") as file:
        form, before, count, columns = _ply_head(path, file)
        names = [name for name, _ in columns]
        _refuse_twins(path, names)
        missing = [axis for axis in "xyz" if axis not in names]
        if missing:
            raise FileError(
                "{name}: its vertices have no {axis}; a scan has x, y and z", name=path.name, axis=missing[0]
            )
        left = path.stat().st_size - file.tell()
        if form == "ascii":
            # A figure and its space take two bytes.
            _believe(path, count, left // (2 * len(columns)))
            yield from _ply_lines(path, file, before, count, [names.index(axis) for axis in "xyz"])
            return
        kind = np.dtype([(name, (">" if form.endswith("big_endian") else "<") + size) for name, size in columns])
        _believe(path, count, left // kind.itemsize)
        for start in range(0, count, AT_ONCE):
            piece = np.fromfile(file, kind, min(AT_ONCE, count - start))
            yield np.column_stack([piece[axis].astype(float) for axis in "xyz"]), (start + len(piece)) / count


def has_faces(path: Path) -> bool:
    """Whether a PLY file is a mesh, and of a size that a mesh can be."""
    with path.open("rb") as file:
        head = file.read(20_000).partition(b"end_header")[0]
    return bool(re.search(rb"element face 0*[1-9]", head)) and path.stat().st_size < _MOST_MESH_BYTES


def _believe(path: Path, claimed: int, possible: int) -> None:
    if claimed > possible:
        raise FileError(
            "{name}: the header claims {claimed} points and the file has room for {possible}; it may be cut",
            name=path.name,
            claimed=claimed,
            possible=possible,
        )


def _ply_head(path: Path, file: BinaryIO) -> tuple[str, int, int, list[tuple[str, str]]]:
    """The form, lines before the vertices in a text, the number of vertices, and their columns."""
    if file.readline(10).strip() != b"ply":
        raise FileError("{name}: this is no PLY file; one begins with the line 'ply'", name=path.name)
    form, count, before, element = "", -1, 0, ""
    columns: list[tuple[str, str]] = []
    for _ in range(_LONGEST_HEADER):
        words = file.readline(1000).decode("ascii", errors="replace").split()
        if words[:1] == ["end_header"]:
            break
        if words[:1] == ["format"] and len(words) > 1:
            form = words[1]
        elif words[:1] == ["element"] and len(words) == 3 and words[2].isdigit():
            element = words[1]
            if element == "vertex":
                count = int(words[2])
            elif count < 0:
                before += int(words[2])
        elif words[:1] == ["property"] and element == "vertex":
            if len(words) != 3 or words[1] not in _PLY_TYPES:
                raise FileError(
                    "{name}: a vertex property reads {words!r}; plain numbers alone can be read there",
                    name=path.name,
                    words=" ".join(words),
                )
            columns.append((words[2], _PLY_TYPES[words[1]]))
    else:
        raise FileError("{name}: the header of this PLY file does not end; it may be cut", name=path.name)
    if form not in ("ascii", "binary_little_endian", "binary_big_endian") or count < 0:
        raise FileError("{name}: this PLY file has no vertices or is of an unknown form", name=path.name)
    if before and form != "ascii":
        raise FileError(
            "{name}: something stands before the vertices; write the file with vertices first", name=path.name
        )
    return form, before, count, columns


def _ply_lines(path: Path, file: BinaryIO, before: int, count: int, columns: list[int]) -> Pieces:
    for _ in range(before):
        file.readline()
    done = 0
    while done < count:
        lines = list(itertools.islice(file, min(_LINES_AT_ONCE, count - done)))
        if not lines:
            raise FileError(
                "{name}: the header claims {claimed} points and {found} are there; it may be cut",
                name=path.name,
                claimed=count,
                found=done,
            )
        yield _numbers(path, lines, None, tuple(columns), done), (done + len(lines)) / count
        done += len(lines)


def las_pieces(path: Path) -> Pieces:
    """Points of a LAS or LAZ file."""
    _believe_las_header(path)
    if path.suffix.lower() == ".laz":
        yield from _unpacked_pieces(path)
        return
    import laspy

    try:
        with laspy.open(path) as reader:
            header = reader.header
            count = int(header.point_count)
            left = path.stat().st_size - int(header.offset_to_point_data)
            _believe(path, count, left // max(int(header.point_format.size), 1))
            done = 0
            for points in reader.chunk_iterator(AT_ONCE):
                done += len(points)
                yield np.column_stack([points.x, points.y, points.z]).astype(float), done / max(count, 1)
            if done < count:
                _believe(path, count, done)
    except (laspy.errors.LaspyException, ValueError, EOFError, IndexError, KeyError, OverflowError,
            struct.error, MemoryError) as error:  # fmt: skip
        if isinstance(error, FileError):
            raise
        raise FileError(
            "{name}: this is no whole LAS file: {reason}", name=path.name, reason=str(error)[:120] or "it may be cut"
        ) from error


def _believe_las_header(path: Path) -> None:
    """Refuse records that the file has no room for, before anything asks for memory for them.

    The public header block (ASPRS, LAS specification 1.4, table 3): the offset to the points and the number of
    records before them at bytes 96 and 100, those after them at 235 and 243.
    """
    with path.open("rb") as file:
        head = file.read(375)
    if len(head) < 227 or head[:4] != b"LASF":
        raise FileError("{name}: this is no whole LAS file; one begins with the letters LASF", name=path.name)
    size = path.stat().st_size
    offset, records = struct.unpack_from("<II", head, 96)
    claimed = records * _RECORD_BYTES
    if head[25] >= 4 and len(head) >= 247:
        claimed = max(claimed, struct.unpack_from("<I", head, 243)[0] * _RECORD_BYTES)
    if offset > size or claimed > size:
        raise FileError(
            "{name}: the header claims records that the file has no room for; it may be cut or damaged",
            name=path.name,
        )


def _unpacked_pieces(path: Path) -> Pieces:
    """Points of a LAZ file, unpacked by a process that may die of what the file claims."""
    command = [sys.executable, "-m", "verispect.files.scans.laz_child", str(path.resolve())]
    ran = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    assert ran.stdout is not None
    assert ran.stderr is not None
    try:
        size, done = max(path.stat().st_size, 1), 0
        while piece := ran.stdout.read(AT_ONCE * 24):
            places = np.frombuffer(piece[: len(piece) // 24 * 24], "<f8").reshape(-1, 3)
            done += len(places)
            # How many there are is known at the end; some four bytes a point is usual.
            yield places.astype(float), min(0.95, 4.0 * done / size)
        reason = ran.stderr.read(1000).decode("utf-8", errors="replace").strip().partition("\n")[0]
        if ran.wait() != 0:
            raise FileError(
                "{name}: this is no whole LAZ file: {reason}", name=path.name,
                reason=reason[:120] if ran.returncode == 1 and reason else "what it claims cannot be unpacked",
            )  # fmt: skip
    finally:
        ran.kill()
        ran.wait()
        ran.stdout.close()
        ran.stderr.close()
