"""Memory cards of cameras: which are in, and what was taken last (folders by DCF, JEITA CP-3461)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from platformdirs import user_cache_path

MOUNTS = Path("/proc/self/mountinfo")
# A pause so long in the taking ends a sitting, seconds.
_PAUSE_S = 1800.0
# What is mounted here is the machine's own.
_NOT_CARDS = ("/", "/boot", "/home", "/usr", "/var", "/tmp", "/snap", "/nix", "/efi")


def mounted_places(mounts: Path = MOUNTS) -> tuple[Path, ...]:
    """Where disks of this machine are mounted that may be cards; what is reached over a net is left alone."""
    try:
        lines = mounts.read_text(encoding="utf-8", errors="surrogateescape").splitlines()
    except OSError:
        return ()
    found = []
    for line in lines:
        own, _, rest = line.partition(" - ")
        parts, of = own.split(), rest.split()
        if len(parts) < 5 or len(of) < 2 or not of[1].startswith("/dev/"):
            continue
        # Blanks and the like are written as three octal digits.
        place = re.sub(r"\\([0-7]{3})", lambda match: chr(int(match[1], 8)), parts[4])
        if not any(place == top or (top != "/" and place.startswith(top + "/")) for top in _NOT_CARDS):
            found.append(Path(place))
    return tuple(found)


def card_folders(root: Path) -> list[Path]:
    """The folders of pictures on a card, by name; none where it is no card.

    Raises
    ------
    OSError
    """
    within = [path for path in root.iterdir() if path.name.upper() == "DCIM" and path.is_dir()]
    return sorted(
        (path for top in within for path in top.iterdir() if path.is_dir() and not path.name.startswith(".")),
        key=lambda path: path.name,
    )


def place_for_made(folder: Path) -> Path:
    """Where pictures made of a folder's frames go: beside them, but never onto a card, which is the camera's."""
    if any(part.upper() == "DCIM" for part in folder.parts):
        return user_cache_path("verispect") / "made" / folder.name
    return folder / "merged"


def last_sitting(paths: Sequence[Path]) -> list[Path]:
    """Those of some files that were written last, back to the first pause of half an hour, as they were given.

    Raises
    ------
    OSError
    """
    times = {path: path.stat().st_mtime for path in paths}
    kept: set[Path] = set()
    later: float | None = None
    for path in sorted(paths, key=lambda path: -times[path]):
        if later is not None and later - times[path] > _PAUSE_S:
            break
        kept.add(path)
        later = times[path]
    return [path for path in paths if path in kept]
