"""Plans on disk: reading with errors a person can act on, writing whole or not at all."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from verispect.errors import FileError, GeometryError, NewerVersionError, PlanError
from verispect.files.atomic import write_atomically
from verispect.plan.document import FORMAT, VERSION, Plan
from verispect.subject.scan import unpacked

SUFFIX = ".verispect"
_MOST_BYTES = 200_000_000
_DEEPEST = 60
# Longer whole numbers than any float can hold.
_MOST_DIGITS = 308
_HALF_PAIR = re.compile(r"\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}|\\u[dD][89a-fA-F][0-9a-fA-F]{2}")


def read_plan(path: Path | str) -> Plan:
    """Read a plan.

    Raises
    ------
    FileError
        If the file cannot be read, or is not a plan.
    NewerVersionError
        If a newer Verispect wrote it; `read_newer_plan` still shows it.
    PlanError
        If a key holds something unusable; the message names file and key.
    """
    path = Path(path)
    content = _parsed(path)
    version = content.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise NewerVersionError(
            "{path}: version: found {version}; this Verispect writes version {VERSION}; a newer one is needed to "
            "change it",
            path=path,
            version=_shown(version),
            VERSION=VERSION,
        )
    return _validated(path, content)


def read_newer_plan(path: Path | str) -> Plan:
    """Read what can be understood of a plan from a newer Verispect, to look at and not to save over."""
    path = Path(path)
    content = _parsed(path)
    content["version"] = VERSION
    return _validated(path, content)


def plan_from_text(text: str, *, name: str = "plan") -> Plan:
    """A plan from its JSON text; errors as for `read_plan`."""
    return _validated(Path(name), _decoded(Path(name), text))


def plan_to_text(plan: Plan) -> str:
    """A plan as JSON, unknown keys and all."""
    content = plan.model_dump(mode="json", by_alias=True)
    return json.dumps(content, ensure_ascii=False, indent=1, allow_nan=False) + "\n"


def write_plan(plan: Plan, path: Path | str) -> None:
    """Save a plan: atomically, keeping one backup.

    Raises
    ------
    FileError
        Where it cannot be written, or a newer Verispect's plan lies there.
    """
    path = Path(path)
    newer = _newer_version(path)
    if newer is not None:
        raise FileError(
            "{path}: was written by a newer Verispect (version {version}) and would lose what that put in; save "
            "under another name",
            path=path, version=_shown(newer),
        )  # fmt: skip
    write_atomically(path, plan_to_text(plan).encode("utf-8"), keep_backup=True)


def _newer_version(path: Path) -> int | None:
    """The version of a plan on disk that is newer than this program's; None for anything else."""
    try:
        text = path.read_text(encoding="utf-8-sig") if path.stat().st_size <= _MOST_BYTES else ""
        found = re.search(r'"version"\s*:\s*(\d+)\b', text)
        if found is None or int(found[1]) <= VERSION:
            return None
        content = json.loads(text)
    except (OSError, ValueError, RecursionError):
        return None
    version = content.get("version") if isinstance(content, dict) and content.get("format") == FORMAT else None
    return version if isinstance(version, int) and version > VERSION else None


def _parsed(path: Path) -> dict[str, Any]:
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError(
                "{path}: found {size} bytes; a plan is smaller than 200 MB", path=path, size=path.stat().st_size
            )
        text = path.read_text(encoding="utf-8-sig")
    except FileNotFoundError as error:
        raise FileError("{path}: there is no such file", path=path) from error
    except IsADirectoryError as error:
        raise FileError(
            "{path}: this is a folder; a plan is a file that ends in {SUFFIX}", path=path, SUFFIX=SUFFIX
        ) from error
    except UnicodeDecodeError as error:
        raise FileError("{path}: this is not text; a plan is a UTF-8 JSON file", path=path) from error
    except OSError as error:
        raise FileError(
            "{path}: could not be read ({reason})", path=path, reason=(error.strerror or str(error)).lower()
        ) from error
    return _decoded(path, text)


def _decoded(path: Path, text: str) -> dict[str, Any]:
    try:
        content = json.loads(text, parse_constant=_refuse_constant, parse_int=_whole_number)
    except json.JSONDecodeError as error:
        cut = error.pos >= len(text.rstrip()) - 1
        what = "the file ends too early, it may be cut" if cut else error.msg
        raise FileError(
            "{path}: line {lineno}, column {colno}: {what}; a plan is one whole JSON object",
            path=path,
            lineno=error.lineno,
            colno=error.colno,
            what=what,
        ) from error
    except (RecursionError, ValueError) as error:
        raise FileError("{path}: {error}; every number must be finite", path=path, error=error) from error
    if _too_deep(content):
        raise FileError(
            "{path}: more than {deepest} lists and objects within one another; a plan has a handful", path=path,
            deepest=_DEEPEST,
        )  # fmt: skip
    if _HALF_PAIR.search(text):
        # Half of a two-part letter cannot be written back as UTF-8.
        content = json.loads(_HALF_PAIR.sub(_lone_replaced, text))
    if not isinstance(content, dict):
        raise FileError("{path}: found {shown}; a plan is one JSON object", path=path, shown=_shown(content))
    if content.get("format") != FORMAT:
        raise PlanError(
            f"{path}: format",
            "{shown}",
            'should be "{wanted}"',
            shown=_shown(content.get("format")),
            wanted=FORMAT,
        )
    return content


def _too_deep(content: Any) -> bool:
    """Whether more is nested than a plan may have, looked at without recursion."""
    level = [content]
    for _ in range(_DEEPEST):
        level = [
            inner
            for outer in level
            if isinstance(outer, dict | list)
            for inner in (outer.values() if isinstance(outer, dict) else outer)
            if isinstance(inner, dict | list)
        ]
        if not level:
            return False
    return True


def _lone_replaced(found: re.Match[str]) -> str:
    """A whole pair stays; a half becomes the letter for what cannot be shown."""
    return found[0] if len(found[0]) == 12 else "\\ufffd"


def _refuse_constant(name: str) -> float:
    raise ValueError(f"found {name} for a number")


def _whole_number(digits: str) -> int:
    if len(digits) > _MOST_DIGITS:
        raise ValueError(f"found a number of {len(digits)} digits")
    return int(digits)


def _validated(path: Path, content: dict[str, Any]) -> Plan:
    try:
        plan = Plan.model_validate(content)
    except ValidationError as error:
        raise _plain(path, error, content) from error
    for index, scan in enumerate(plan.scans):
        try:
            unpacked(scan.points, scan.count)
        except GeometryError as error:
            raise PlanError(
                f"{path}: scans[{index}] ({scan.name[:60]}).points",
                "something else than {count} points",
                "bring the scan in again, or take it out of the file",
                count=scan.count,
            ) from error
    return plan


def _plain(path: Path, error: ValidationError, content: dict[str, Any]) -> PlanError:
    """The first complaint as one sentence: file and key, what was found, what would be right."""
    first = error.errors(include_url=False)[0]
    location = ""
    for part in first["loc"]:
        location += f"[{part}]" if isinstance(part, int) else f".{part}"
    key = location.lstrip(".") or "plan"
    missing = first["type"] == "missing"
    found = "nothing" if missing else _shown(first["input"])
    message = first["msg"].removeprefix("Value error, ").removeprefix("Input ")
    right = "this key is needed" if missing else message[:1].lower() + message[1:]
    more = error.error_count() - 1
    tail = f" ({more} more like this)" if more else ""
    return PlanError(
        f"{path}: {key}{_named(first['loc'], content)}",
        "{shown}",
        "{wanted}{tail}",
        shown=found,
        wanted=right,
        tail=tail,
    )


def _named(location: tuple[int | str, ...], content: dict[str, Any]) -> str:
    """The name of the mark or lens a complaint is about, where it has one."""
    here: Any = content
    name = None
    for part in location:
        try:
            here = here[part]
        except (KeyError, IndexError, TypeError):
            break
        if isinstance(here, dict) and isinstance(here.get("name"), str):
            name = here["name"]
    return f" ({name[:60]})" if name else ""


def _shown(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= 60 else text[:57] + "..."
