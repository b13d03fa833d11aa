"""What a person said of a folder's frames, kept for when it is looked at again; in files of the user's own."""

from __future__ import annotations

import contextlib
import hashlib
import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

from verispect.errors import FileError
from verispect.files.atomic import write_atomically
from verispect.files.json_file import read_object
from verispect.prove.looked import Pointed
from verispect.prove.parting.by_hand import ByHand

Places = dict[str, Pointed]
# What was said of folders looked at longest ago goes first.
_MOST_FOLDERS = 300


class KeptByHand:
    """One small file for each folder of frames; nothing is written beside the frames themselves."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def of(self, frames: Path) -> tuple[ByHand | None, Places]:
        """What was said; nothing where other files lie there now, as on another card, or the file is damaged."""
        try:
            content = read_object(self._path(frames), right="what the program wrote")
            sets = content["sets"]
            together = None if sets is None else ByHand(
                tuple(tuple(map(str, own)) for own in sets), frozenset(map(str, content["aside"]))
            )  # fmt: skip
            places = {str(one["name"]): _pointed(one) for one in content["marks"]}
            if content["files"] != _looks_of(frames, together, places):
                return None, {}
        except (FileError, KeyError, TypeError, ValueError):
            return None, {}
        return together, places

    def keep(
        self, frames: Path, together: ByHand | None, places: Places, report: Callable[[FileError], None]
    ) -> None:
        """Put it by; where that fails it is reported and holds as long as the program is open."""
        path = self._path(frames)
        content = {
            "folder": str(frames),
            "sets": None if together is None else [list(own) for own in together.sets],
            "aside": [] if together is None else sorted(together.aside),
            "marks": [{"name": one.name, "row": one.row, "column": one.column, "file": one.file}
                      for one in places.values()],
            "files": _looks_of(frames, together, places),
        }  # fmt: skip
        try:
            if together is None and not places:
                path.unlink(missing_ok=True)
                return
            self._folder.mkdir(parents=True, exist_ok=True)
            write_atomically(path, json.dumps(content).encode("utf-8"))
        except OSError as error:
            report(FileError("{path}: cannot be kept: {why}", path=path, why=error.strerror or error))
        except FileError as error:
            report(error)
        self._clear()

    def _path(self, frames: Path) -> Path:
        name = hashlib.blake2b(str(frames.absolute()).encode("utf-8", "surrogateescape"), digest_size=12).hexdigest()
        return self._folder / f"{name}.json"

    def _clear(self) -> None:
        with contextlib.suppress(OSError):
            by_age = sorted(self._folder.glob("*.json"), key=lambda path: -path.stat().st_mtime)
            for path in by_age[_MOST_FOLDERS:]:
                path.unlink(missing_ok=True)


def _pointed(one: dict[str, Any]) -> Pointed:
    """A mark that was pointed at; a ValueError for what is no place in a picture."""
    row, column, file = float(one["row"]), float(one["column"]), one["file"]
    if not (math.isfinite(row) and math.isfinite(column)) or not isinstance(file, str | None):
        raise ValueError(one)
    return Pointed(str(one["name"]), row, column, file)


def _looks_of(frames: Path, together: ByHand | None, places: Places) -> dict[str, Any]:
    """Size and time of every file that is named: another card has other ones under the same names."""
    named = {one.file for one in places.values() if one.file is not None}
    if together is not None:
        named |= {name for own in together.sets for name in own} | together.aside
    found: dict[str, Any] = {}
    for name in sorted(named):
        try:
            told = (frames / name).stat()
        except (OSError, ValueError):
            continue
        found[name] = [told.st_size, told.st_mtime_ns]
    return found
