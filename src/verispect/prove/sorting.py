"""Frames copied into a folder a set, named by a pattern, each with a sidecar that tells what it is."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from string import Formatter
from xml.sax.saxutils import escape

from verispect.errors import FileError
from verispect.files.atomic import write_atomically
from verispect.plan.methods.candidate import Candidate
from verispect.prove.report import FrameReport, Report
from verispect.prove.taken_in.folders import twins_of
from verispect.prove.verdict import metres

PATTERN = "set-{set:02d}/{name}"
_FIELDS = ("set", "frame", "exposure", "method", "job", "name")
# What no file system likes in a name, and what would lead out of the folder.
# The first letter that is none of control, and the halves of pairs, which alone are no letters.
_FIRST, _HALVES = 32, (0xD800, 0xDFFF)
_UNLOVED = re.compile(r'[\x00-\x1f<>:"|?*\\]+|\.\.+')


@dataclass(frozen=True)
class Sorted:
    """Where a frame went."""

    source: Path
    copy: Path
    sidecar: Path


def sort_frames(
    sources: Sequence[Path],
    report: Report,
    into: Path,
    *,
    pattern: str = PATTERN,
    job: str = "",
    candidate: Candidate | None = None,
    force: bool = False,
    progress: Callable[[float, str], None] = lambda _share, _text: None,
) -> list[Sorted]:
    """Copy checked frames; the originals are never touched.

    Parameters
    ----------
    sources : sequence of Path
        Of the frames of the report, in its order.
    pattern : str
        Of the copy's path within `into`, without its ending: {set}, {frame}, {exposure} (all from 1), {method},
        {job}, {name} (as it was).

    Raises
    ------
    FileError
        For a pattern that cannot be filled or gives two frames one name, a copy that is there already, and where
        nothing can be written.
    """
    shots = report.checked
    originals = {source.resolve() for source in sources}
    planned: list[tuple[Path, FrameReport, Path]] = []
    for source, frame in zip(sources, shots, strict=True):
        copy = into / (_filled(pattern, source, frame, job, candidate) + source.suffix.lower())
        if any(copy == other for _, _, other in planned):
            raise FileError("--name {pattern}: gives two frames the name {copy}; add {{frame}} or {{name}}",
                            pattern=pattern, copy=copy.name)  # fmt: skip
        if copy.resolve() in originals:
            raise FileError("{path}: is one of the frames themselves; copy into another folder", path=copy)
        twins = [copy.with_suffix(twin.suffix.lower()) for twin in twins_of(source)]
        for path in (copy, copy.with_suffix(".xmp"), *twins):
            if path.exists() and not force:
                raise FileError("{path}: is there already; --force writes over it", path=path)
        planned.append((source, frame, copy))
    found = []
    for number, (source, frame, copy) in enumerate(planned):
        progress(number / len(planned), f"copying {source.name}")
        _copied(source, copy)
        # The same shot as the camera wrote it besides.
        for twin in twins_of(source):
            _copied(twin, copy.with_suffix(twin.suffix.lower()))
        sidecar = copy.with_suffix(".xmp")
        write_atomically(sidecar, _sidecar(source, frame, job, candidate).encode("utf-8"))
        found.append(Sorted(source, copy, sidecar))
    progress(1.0, "copied")
    return found


def _copied(source: Path, copy: Path) -> None:
    try:
        copy.parent.mkdir(parents=True, exist_ok=True)
        half = copy.with_name(copy.name + ".part")
        shutil.copy2(source, half)
        half.replace(copy)
    except OSError as error:
        raise FileError("{copy}: cannot be written: {why}", copy=copy, why=error.strerror or error) from error


def _filled(pattern: str, source: Path, frame: FrameReport, job: str, candidate: Candidate | None) -> str:
    values = {
        "set": frame.set + 1,
        "frame": frame.place + 1,
        "exposure": 0 if frame.planned_exposure is None else frame.planned_exposure + 1,
        "method": "frames" if candidate is None else candidate.key,
        "job": _tame(job) or "job",
        "name": source.stem,
    }
    try:
        if any(field not in values for _, field, _, _ in Formatter().parse(pattern) if field is not None):
            raise KeyError(pattern)
        name = pattern.format(**values)
    except (KeyError, IndexError, ValueError, AttributeError) as error:
        raise FileError("--name {pattern}: cannot be filled; it knows {fields}", pattern=pattern,
                        fields=", ".join(f"{{{field}}}" for field in _FIELDS)) from error  # fmt: skip
    parts = [_tame(part) for part in name.split("/")]
    if Path(name).is_absolute() or ".." in name.split("/") or not all(parts):
        raise FileError("--name {pattern}: must stay within the folder, such as {right}", pattern=pattern,
                        right=PATTERN)  # fmt: skip
    return "/".join(parts)


def _tame(text: str) -> str:
    return _UNLOVED.sub("-", text).strip(" .")


def _sidecar(source: Path, frame: FrameReport, job: str, candidate: Candidate | None) -> str:
    """XMP (ISO 16684-1) with Dublin Core alone: title, description, source, verdict as a keyword; text is escaped."""
    said = [f"set {frame.set + 1}, frame {frame.place + 1}"]
    if candidate is not None:
        said.insert(0, candidate.method.name)
        if frame.planned_exposure is not None:
            exposure = candidate.exposures[frame.planned_exposure]
            said.append(f"frame {candidate.number_of(frame.planned_exposure)} of {candidate.frame_count}")
            said.append(f"focus {metres(exposure.focus_m)}")
    said += [f"{fault.name}: {fault.says}" for fault in frame.faults]

    def told(name: str, kind: str, text: str, about: str = "") -> str:
        return f"<dc:{name}><rdf:{kind}><rdf:li{about}>{escape(text)}</rdf:li></rdf:{kind}></dc:{name}>\n"

    plain = ' xml:lang="x-default"'
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns:dc="http://purl.org/dc/elements/1.1/">\n'
        '<rdf:Description rdf:about="">\n'
        + told("title", "Alt", _xml(job or source.stem), plain)
        + told("description", "Alt", _xml("; ".join(said)), plain)
        + told("subject", "Bag", frame.verdict)
        + f"<dc:source>{escape(_xml(source.name))}</dc:source>\n</rdf:Description>\n</rdf:RDF>\n"
    )


def _xml(text: str) -> str:
    """Without the letters that XML cannot hold."""

    def held(letter: str) -> bool:
        return letter in "\t\n" or _FIRST <= ord(letter) < _HALVES[0] or ord(letter) > _HALVES[1]

    return "".join(filter(held, text))
