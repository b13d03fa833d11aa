"""A folder beside a result for what a long join holds; it outlives a stop, so that another try goes on."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Iterator
from pathlib import Path

from verispect.errors import FileError

# Which parts of a large picture are painted; without it there is little to go on with.
PAINTED = "done"


def place_of(out: Path) -> Path:
    """Where it lies."""
    return out.with_name(f".{out.name}.joining")


@contextlib.contextmanager
def working_folder(out: Path) -> Iterator[Path]:
    """The folder of a result; taken away once that is written, and left where a stop or a full disk was before.

    Raises
    ------
    FileError
        Where it cannot be made.
    """
    folder = place_of(out)
    try:
        folder.mkdir(parents=False, exist_ok=True)
    except OSError as error:
        raise FileError(
            "{path}: cannot be made ({why}); save where you may write",
            path=folder, why=(error.strerror or str(error)).lower(),
        ) from error  # fmt: skip
    try:
        yield folder
    except FileError:
        # What was asked cannot be done; what was painted by then (the disk may be full) is worth another try.
        if not (folder / PAINTED).exists():
            shutil.rmtree(folder, ignore_errors=True)
        raise
    shutil.rmtree(folder, ignore_errors=True)
