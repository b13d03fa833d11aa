"""Writing a file so that either the old or the new content is there, never half of one."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
import time
import uuid
from pathlib import Path

from verispect.errors import FileError

_PREFIX = ".verispect-part-"
# Old enough that no program can still be writing it.
_LEFT_S = 24 * 3600.0


def write_atomically(path: Path, content: bytes, *, keep_backup: bool = False) -> None:
    """Write to a temporary file beside `path`, flush it to disk, and rename it over the old one.

    Parameters
    ----------
    path : Path
    content : bytes
    keep_backup : bool
        Whether to keep the old content as `path` with `~` at its end.

    Raises
    ------
    FileError
        If anything fails; the old file is then untouched.
    """
    path = Path(path)
    temporary = None
    try:
        # A link stays a link: what it leads to is written.
        place = path.resolve() if path.is_symlink() else path
        _refuse_protected(path, place)
        _sweep(place.parent)
        handle, name = tempfile.mkstemp(prefix=_PREFIX, dir=place.parent)
        temporary = Path(name)
        with os.fdopen(handle, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
        if place.exists():
            temporary.chmod(place.stat().st_mode & 0o777)
            if keep_backup:
                _back_up(place)
        else:
            temporary.chmod(0o666 & ~_umask())
        temporary.replace(place)
    except OSError as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise FileError(
            "{path}: could not be written ({reason}); {remedy}",
            path=path,
            reason=_reason(error),
            remedy=_remedy(error),
        ) from error


def ready_for(path: Path, needed: int = 0) -> None:
    """Raise a FileError where a file, or so many bytes of it, cannot be written: before work for it, not after."""
    place = path.resolve()
    folder = place.parent
    try:
        _refuse_protected(path, place)
        if not folder.is_dir():
            raise FileError("{folder}: there is no such folder to write {name} in; make it, or name another",
                            folder=path.parent, name=path.name)  # fmt: skip
        if path.is_dir():
            raise FileError("{path}: this is a folder; name a file in it", path=path)
        if not os.access(folder, os.W_OK | os.X_OK):
            raise FileError("{folder}: this folder cannot be written to; save in one you may write to",
                            folder=path.parent)  # fmt: skip
        free = shutil.disk_usage(folder).free
    except OSError as error:
        raise FileError("{path}: could not be written ({reason}); {remedy}", path=path, reason=_reason(error),
                        remedy=_remedy(error)) from error  # fmt: skip
    if free < needed:
        raise FileError(
            "{path}: takes {needed:.0f} MB and {free:.0f} are free there; free some space or save elsewhere",
            path=path, needed=needed / 1e6, free=free / 1e6,
        )  # fmt: skip


def _refuse_protected(path: Path, place: Path) -> None:
    """Renaming over a file asks only the folder; who took all leave to write from a file meant it to stay."""
    if place.is_file() and not place.stat().st_mode & 0o222:
        raise FileError(
            "{path}: is protected against writing; save under another name, or lift the protection", path=path
        )


def _sweep(folder: Path) -> None:
    """Temporary files that a killed program left here, long ago enough to be nobody's any more."""
    for left in folder.glob(f"{_PREFIX}*"):
        try:
            if time.time() - left.stat().st_mtime > _LEFT_S:
                left.unlink()
        except OSError:
            # Another's, or gone meanwhile: not ours to worry about.
            continue


def _back_up(place: Path) -> None:
    """The old content under its name and `~`, in one step: there is never a moment without a backup."""
    backup = place.with_name(place.name + "~")
    beside = place.with_name(f"{_PREFIX}{uuid.uuid4().hex[:12]}")
    try:
        _second_name(place, beside)
        beside.replace(backup)
    except OSError as error:
        beside.unlink(missing_ok=True)
        # A name as long as the file system takes leaves no room for a mark behind it; the file itself is saved.
        if error.errno != errno.ENAMETOOLONG:
            raise


def _second_name(path: Path, backup: Path) -> None:
    """The file under another name too; a copy where the file system knows no second names (FAT, some shares)."""
    try:
        os.link(path, backup)
    except OSError:
        shutil.copy2(path, backup)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _reason(error: OSError) -> str:
    return (error.strerror or str(error)).lower()


def _remedy(error: OSError) -> str:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return "free some space or save elsewhere; the file there before is whole"
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return "save in a folder you may write to"
    return "save elsewhere; the file there before is whole"
