"""The most memory that a piece of work held, told of it alone: one process may do several, one after the other."""

from __future__ import annotations

import resource
from pathlib import Path

# Linux, proc(5): writing 5 sets the peak back to what is held now.
_RESET, _STATUS = Path("/proc/self/clear_refs"), Path("/proc/self/status")


def begin_peak() -> None:
    """Count from now on; where the system does not let us, from the start of the process."""
    try:
        _RESET.write_text("5", encoding="ascii")
    except OSError:
        return


def peak_mb() -> float:
    """The most that was resident since, MB of 1024² bytes."""
    try:
        lines = _STATUS.read_text(encoding="ascii").splitlines()
        return float(next(line for line in lines if line.startswith("VmHWM")).split()[1]) / 1024.0
    except (OSError, StopIteration):
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0


class Held:
    """The most that this process and those it began held of their own, as often as it was looked at.

    Pages of a mapped file, which the system takes back when it wants to, count as resident and are not held.
    """

    def __init__(self) -> None:
        self.most_mb = held_mb()

    def look(self) -> None:
        """Look again."""
        self.most_mb = max(self.most_mb, held_mb())


def held_mb() -> float:
    """Anonymous memory of this process and all that come from it, MB of 1024² bytes; 0 where that is not told."""
    found, left = 0.0, ["self"]
    while left:
        own = Path("/proc") / left.pop()
        try:
            lines = (own / "status").read_text(encoding="ascii", errors="replace").splitlines()
            for thread in (own / "task").iterdir():
                left += (thread / "children").read_text(encoding="ascii").split()
            found += sum(float(line.split()[1]) / 1024.0 for line in lines if line.startswith("RssAnon"))
        except OSError:
            # One that has just ended.
            continue
    return found
