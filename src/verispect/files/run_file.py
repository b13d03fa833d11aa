"""`run.json`: what was planned of every frame of a run, and what happened (docs/formats.md)."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from verispect.errors import FileError
from verispect.files.atomic import write_atomically
from verispect.files.json_file import read_object

FORMAT = "verispect-run"
VERSION = 1


class _Model(BaseModel):
    model_config = ConfigDict(extra="allow", allow_inf_nan=False, defer_build=True)


class RunFrame(_Model):
    """One frame of a run; `file` is null where it is missing, `shot` counts those of one exposure from 0."""

    file: str | None = None
    exposure: int | None = Field(default=None, ge=0)
    shot: int = Field(default=0, ge=0)
    happened: dict[str, Any] = Field(default_factory=dict)
    marks: list[dict[str, Any]] = Field(default_factory=list)


class Run(_Model):
    """A run, rehearsed or shot."""

    format: str = FORMAT
    version: int = Field(default=VERSION, ge=1)
    plan: str | None = None
    method: str | None = None
    frames: list[RunFrame] = Field(default_factory=list, max_length=100_000)


def write_run(run: Run, path: Path) -> None:
    """Write a run, atomically."""
    text = json.dumps(run.model_dump(mode="json"), ensure_ascii=False, allow_nan=False, indent=1)
    write_atomically(path, text.encode("utf-8"))


def read_run(path: Path) -> Run:
    """Read a run.

    Raises
    ------
    FileError
        For what cannot be read or is no run.
    """
    content = read_object(path, right="a run.json")
    if content.get("format") != FORMAT:
        raise FileError('{path}: this is no run; its "format" must be "{format}"', path=path, format=FORMAT)
    try:
        return Run.model_validate(content)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        place = ".".join(str(part) for part in first["loc"])
        raise FileError("{path}: {place}: {why}", path=path, place=place, why=first["msg"].lower()) from error
