"""Copies of unsaved work, and finding them again after a crash."""

from __future__ import annotations

import contextlib
import json
import os
import uuid
from dataclasses import dataclass
from pathlib import Path

from verispect.errors import VerispectError
from verispect.files.atomic import write_atomically
from verispect.files.plan_file import plan_from_text, plan_to_text
from verispect.plan.document import Plan

_SUFFIX = ".recovery.json"


@dataclass(frozen=True)
class Recovered:
    """Work that was not saved: the plan, the file it came from, and where the copy lies."""

    plan: Plan
    origin: Path | None
    copy: Path


class RecoveryStore:
    """One process's copy of its unsaved work, in a folder shared by all."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._mine = folder / f"{os.getpid()}-{uuid.uuid4().hex[:8]}{_SUFFIX}"

    def keep(self, plan: Plan, origin: Path | None) -> None:
        """Write the copy; raises FileError where that fails."""
        self._folder.mkdir(parents=True, exist_ok=True)
        content = {
            "pid": os.getpid(),
            "born": _born(os.getpid()),
            "origin": str(origin) if origin else None,
            "plan": plan_to_text(plan),
        }
        write_atomically(self._mine, json.dumps(content).encode("utf-8"))

    def forget(self) -> None:
        """The work is saved or given up: remove the copy."""
        # Where none could be kept, none can be removed.
        with contextlib.suppress(OSError):
            self._mine.unlink(missing_ok=True)

    def left_behind(self) -> list[Recovered]:
        """Copies whose process is gone, newest first. Unreadable copies are passed over, not removed."""
        found = []
        if not self._folder.is_dir():
            return []
        for path in sorted(self._folder.glob(f"*{_SUFFIX}"), key=_age):
            if path == self._mine:
                continue
            recovered = _read(path)
            if recovered is not None:
                found.append(recovered)
        return found


def _age(path: Path) -> float:
    try:
        return -path.stat().st_mtime
    except OSError:
        return 0.0


def _read(path: Path) -> Recovered | None:
    try:
        content = json.loads(path.read_text(encoding="utf-8"))
        if _alive(int(content["pid"]), content.get("born")):
            return None
        origin = Path(content["origin"]) if content["origin"] else None
        return Recovered(plan_from_text(content["plan"]), origin, path)
    except (OSError, ValueError, KeyError, TypeError, VerispectError):
        return None


def _born(pid: int) -> str | None:
    """When a process began, in this start of the machine; None where that cannot be known or there is none."""
    try:
        # Field 22; the second, the command's name, may hold anything and ends with the last bracket.
        began = Path(f"/proc/{pid}/stat").read_text(encoding="utf-8", errors="replace").rpartition(")")[2].split()[19]
        boot = Path("/proc/sys/kernel/random/boot_id").read_text(encoding="ascii").strip()
    except (OSError, IndexError):
        return None
    return f"{boot} {began}"


def _alive(pid: int, born: object) -> bool:
    """Whether the process that kept a copy still runs; its number alone may be another's by now."""
    if born is not None and (now := _born(pid)) is not None:
        return born == now
    if pid == os.getpid():
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
