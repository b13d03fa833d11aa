"""Writing a file so that either the old or the new content is there, never half of one."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

from verispect.errors import FileError


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
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        temporary = Path(name)
        with os.fdopen(handle, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
        if path.exists():
            temporary.chmod(path.stat().st_mode & 0o777)
            if keep_backup:
                backup = path.with_name(path.name + "~")
                backup.unlink(missing_ok=True)
                _second_name(path, backup)
        else:
            temporary.chmod(0o666 & ~_umask())
        temporary.replace(path)
    except OSError as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise FileError(
            "{path}: could not be written ({reason}); {remedy}",
            path=path,
            reason=_reason(error),
            remedy=_remedy(error),
        ) from error


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
    import errno

    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return "free some space or save elsewhere; the file there before is whole"
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return "save in a folder you may write to"
    return "save elsewhere; the file there before is whole"
