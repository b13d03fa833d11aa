"""The frames of folders and cards, and what lies there beside them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from verispect.errors import FileError
from verispect.prove.intake import PICTURES, RAWS, SUFFIXES, natural
from verispect.prove.taken_in.cards import card_folders

MOST_FRAMES = 5000
# What a merged or joined picture tells of itself, and where that stands in its file.
MADE_HERE, _BEGINNING_BYTES = "Merged focus series", 4096
# What a camera writes beside its raw.
_OF_THE_CAMERA = (".jpg", ".jpeg")


def frames_and_others(folder: Path) -> tuple[list[Path], list[Path]]:
    """A folder's frames by name, and its other pictures, which are none of their own.

    A camera may write every shot twice, as a raw and as a JPEG: the raw counts, or what was developed of it. A merged
    picture among its frames is no frame. What begins with a dot, as some systems leave beside every file of a card,
    is no picture at all.

    Raises
    ------
    OSError
    """
    inside = sorted(
        (p for p in folder.iterdir() if p.suffix.lower() in SUFFIXES and not p.name.startswith(".")), key=natural
    )
    frames = _once(inside)
    taken = [path for path in frames if not _is_made(path)]
    frames = taken or frames
    return frames, [path for path in inside if path not in set(frames)]


def twins_of(path: Path) -> list[Path]:
    """The same shot in other files beside it: of the same name, one of them a raw."""
    beside = [p for p in path.parent.iterdir() if p.stem.lower() == path.stem.lower() and p != path]
    found = [p for p in beside if p.suffix.lower() in SUFFIXES]
    return found if any(p.suffix.lower() in RAWS for p in (path, *found)) else []


def _once(paths: Sequence[Path]) -> list[Path]:
    """Of every shot one file."""
    by_name: dict[Path, list[Path]] = {}
    for path in paths:
        by_name.setdefault(path.with_name(path.stem.lower()), []).append(path)
    return [path for path in paths if _counts(path, by_name[path.with_name(path.stem.lower())])]


def _counts(path: Path, alike: Sequence[Path]) -> bool:
    """Whether of files of one name this one is the frame."""
    raws = [p for p in alike if p.suffix.lower() in RAWS]
    if not raws or len(alike) == 1:
        return True
    developed = [p for p in alike if p.suffix.lower() not in (*RAWS, *_OF_THE_CAMERA)]
    return path in developed if developed else path == raws[0]


def _is_made(path: Path) -> bool:
    """Whether a picture says at its beginning that it was merged or joined here."""
    try:
        with path.open("rb") as stream:
            return MADE_HERE.encode("ascii") in stream.read(_BEGINNING_BYTES)
    except OSError:
        return False


def frames_in(places: Sequence[Path], *, as_named: bool = False) -> list[Path]:
    """The frames of folders and of what is named, each once, folders in the order of their names.

    A camera's card is all of its folders.

    Of a raw and the JPEG of the same shot one, unless they are taken `as_named`.

    Raises
    ------
    FileError
        For what is not there, is no picture by its ending, or holds none.
    """
    found: list[Path] = []
    for place in places:
        if _is_folder(place):
            try:
                inside = frames_and_others(place)[0] or [
                    path for folder in card_folders(place) for path in frames_and_others(folder)[0]
                ]
            except OSError as error:
                raise FileError("{place}: cannot be read: {why}", place=place, why=error.strerror or error) from error
            if not inside:
                raise FileError(
                    "{place}: no pictures in this folder; frames end in {suffixes}", place=place,
                    suffixes=", ".join(PICTURES) + " or are camera raws",
                )  # fmt: skip
            found.extend(inside)
        elif not place.exists():
            raise FileError("{place}: there is no such file or folder", place=place)
        elif place.suffix.lower() not in SUFFIXES:
            raise FileError("{place}: no picture by its ending; frames end in {suffixes}", place=place,
                            suffixes=", ".join(SUFFIXES))  # fmt: skip
        else:
            found.append(place)
    unique = list(dict.fromkeys(found))
    unique = unique if as_named else _once(unique)
    if len(unique) > MOST_FRAMES:
        raise FileError("{count} frames; at most {most} are taken in at once", count=len(unique), most=MOST_FRAMES)
    return unique


def _is_folder(place: Path) -> bool:
    """Whether a place is a folder; a FileError for what no file system can name."""
    try:
        place.stat()
    except (FileNotFoundError, NotADirectoryError):
        return False
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or error
        raise FileError("{place}: cannot be looked at: {why}", place=str(place)[:200], why=why) from error
    return place.is_dir()
