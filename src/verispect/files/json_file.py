"""One JSON object from a file, refused in one sentence where it is none."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from verispect.errors import FileError

# What the program itself writes, of thousands of frames with many marks, stays far below this.
_MOST_BYTES = 200_000_000


def read_object(path: Path, *, right: str) -> dict[str, Any]:
    """The object in a JSON file.

    Parameters
    ----------
    right : str
        What would be the right file, as "a run.json".

    Raises
    ------
    FileError
        For what cannot be read, is too large, no JSON, or another thing than an object.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError("{path}: too large; choose {right}", path=path, right=right)
        content = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise FileError("{path}: cannot be read: {why}", path=path, why=error.strerror or error) from error
    except (ValueError, RecursionError) as error:
        # A name that no file system takes, bytes that are no text, and text that is no JSON.
        raise FileError("{path}: this is no JSON, or it is cut; choose {right}", path=path, right=right) from error
    if not isinstance(content, dict):
        raise FileError("{path}: holds no object; choose {right}", path=path, right=right)
    return content
