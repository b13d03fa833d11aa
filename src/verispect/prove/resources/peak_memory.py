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
