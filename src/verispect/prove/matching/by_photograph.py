"""Where the frames show what the plan's photograph shows: marks are found without anybody pointing.

The photograph was taken from about the camera's place, by another lens, and by a hand. Points that it has in common
with frames tell how the camera looked and stood against it: those beside a mark are as far away as the mark, the
others lie somewhere on their line of sight, which a frame shows as a line (epipolar geometry: Hartley & Zisserman,
Multiple View Geometry, chapter 9).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.files.photo_file import read_picture
from verispect.optics.types import Bools, Floats
from verispect.plan.methods.candidate import Candidate
from verispect.prove.evidence import Evidence, Grey
from verispect.prove.intake import Frame, grey_linear, read_coded
from verispect.prove.join.found.features import Grey8, best_both, features_of
from verispect.prove.looked import Looked, aimed, turn_of, turned_by, turned_world
from verispect.subject.distortion import Pixels, straightened
from verispect.subject.photograph import Photograph

# Camera's right, up, forward to right, down, forward.
_FLIP = np.diag([1.0, -1.0, 1.0])
# A frame is looked at so many pixels wide.
_WIDE = 1440
# Nobody aims farther off than this, nor holds a camera so much askew, nor stands so far off, as a share of how far
# the marks are.
_FAR_DEG, _LEANT_DEG, _STOOD = 12.0, 8.0, 0.25
# Usually it is about so near. What is more than so many times farther off than a point is told to counts for less
# and less: beside a mark often something behind it is seen.
_STOOD_USUALLY, _ASIDE = 0.05, 2.0
# Pixels of a frame as it is looked at to which points are told, and within which they agree with one place.
_SURE_PX, _AGREES_PX = 1.5, 3.0
# So near a mark, as a share of a frame's width, is what is as far away as it, by a few per cent.
_BESIDE = 0.03
# Points that must agree, and of those that look alike so large a share.
_LEAST, _LEAST_SHARE = 24, 0.25
# Points that lie beside no mark count for so many times as much as those that do, however many they are: a lens
# that draws a little otherwise than told would else be taken for a step aside.
_OTHERS = 4.0
# Of the points that two views agree on so large a share must agree on one camera, within so many times what each is
# told to.
_LEAST_AGREED, _AGREED = 0.6, 4.0
# Frames that are looked at, those that show most of the marks sharpest.
_MOST_FRAMES = 5
# Of each so many points nearest to marks, and about as many others.
_OF_FRAME = 100
# The photograph's parts begin and end at whole steps of so many pixels: frames of a series look at the same one.
_STEP = 64
# What is seen lies between this share of the nearest mark's distance and so many times the farthest's.
_NEARER, _FARTHER = 0.5, 50.0


class Laid(NamedTuple):
    """A photograph of the plan, and its picture as taken, reduced."""

    photo: Photograph
    content: Pixels


@dataclass(frozen=True)
class _Common:
    """Points of the photograph, columns and rows (n, 2), with where a frame shows them; whole at pixel centres."""

    index: int
    on_photo: Floats
    in_frame: Floats
    sure_px: float
    # The frame's camera against the photograph's, by these points alone: right, up, forward.
    turn: Floats

    def of(self, kept: Bools) -> _Common:
        return _Common(self.index, self.on_photo[kept], self.in_frame[kept], self.sure_px, self.turn)


def seen_by_photograph(laid: Laid, evidence: Evidence) -> Looked | None:
    """How the camera looked and stood by the plan's photograph; None where they share too little to be sure.

    Raises
    ------
    Cancelled
        Where that is asked, before the next frame.
    """
    candidate = evidence.candidate
    if candidate is None or candidate.rendering is None:
        return None
    photo, scene = laid.photo, candidate.scene
    eye, count = scene.plan.camera.pose().pupil_m, scene.mark_count
    away = scene.world_m[:count] - eye
    distances = np.linalg.norm(away, axis=1)
    # What lies behind it is nowhere near any point.
    on_photo = np.nan_to_num(photo.pixel_of(away / distances[:, None])[:, ::-1], nan=-1e9)
    shown = np.all((on_photo > 0.0) & (on_photo < np.array(photo.pixels) - 1.0), axis=1)
    frames = {index: k for k, index in enumerate(evidence.matched) if index is not None}
    shown_by = _shown_by(candidate.rendering.exposure[:count].tolist(), shown.tolist(), sorted(frames))
    if not shown_by:
        return None
    scale_px = evidence.planned_view(next(iter(shown_by))).scale_px
    own = _Shown(laid, scale_px * _smaller(evidence.pixels[0]))
    every = [_common(own, evidence, frames[index], eye, float(np.median(distances))) for index in shown_by]
    common = [one for one in every if one is not None]
    if not common:
        return None
    fitted = _Fit(photo, evidence, eye, scene.world_m[:count], on_photo, common)
    found = fitted.looked()
    limits = (_FAR_DEG, _FAR_DEG, _LEANT_DEG)
    turned = (found.right_deg, found.up_deg, found.clockwise_deg)
    held = all(abs(one) < most for one, most in zip(turned, limits, strict=True))
    agreed = fitted.agreed_share > _LEAST_AGREED and fitted.stood_share < _STOOD
    return found if held and agreed else None


class _Fit:
    """How the camera looked and stood, by points in common."""

    def __init__(
        self,
        photo: Photograph,
        evidence: Evidence,
        eye: Floats,
        world_m: Floats,
        on_photo: Floats,
        common: Sequence[_Common],
    ) -> None:
        self.photo, self.evidence, self.eye, self.world_m, self.on_photo = photo, evidence, eye, world_m, on_photo
        self.common = [self._fewer(one, on_photo) for one in common]
        self.shared = sum(len(one.on_photo) for one in common)
        self.distances = np.linalg.norm(world_m - eye, axis=1)
        # That share of a frame's width, as the photograph shows it.
        first = evidence.planned_view(common[0].index)
        self.beside_px = _BESIDE * evidence.pixels[0] * photo.focal_px / first.scale_px
        # The mark that a point lies beside, if any.
        self.of_mark = [self._beside(one.on_photo) for one in self.common]
        self.ends_m = [self._ends_m(*both) for both in zip(self.common, self.of_mark, strict=True)]
        self.stood_share = self.agreed_share = 0.0

    @staticmethod
    def _fewer(one: _Common, marks: Floats) -> _Common:
        """Those that lie nearest to marks, and of the others every so many: all of them tell hardly more."""
        order = np.argsort(np.linalg.norm(one.on_photo[:, None] - marks[None], axis=2).min(axis=1), kind="stable")
        rest = order[_OF_FRAME:]
        kept = np.zeros(len(order), bool)
        kept[order[:_OF_FRAME]] = kept[rest[:: max(1, len(rest) // _OF_FRAME)]] = True
        return one.of(kept)

    def _beside(self, places: Floats) -> Floats:
        apart = np.linalg.norm(places[:, None] - self.on_photo[None], axis=2)
        near = apart.argmin(axis=1)
        return np.where(apart.min(axis=1) < self.beside_px, near, -1)

    def looked(self) -> Looked:
        first = self.common[0].index
        planned = self.evidence.turned.get(first, self.evidence.exposures[first].pose.matrix)
        away = float(np.median(self.distances))
        most = max(self.common, key=lambda one: len(one.on_photo))
        # By the two views alone; and by the frame that shows most, as if everything were as far away as most marks.
        starts = [
            turn_of(most.turn @ self.photo.pose(0.0).matrix, planned),
            turned_by(lambda world: self._off_at(most, away, world), planned),
        ]
        turn, stood = aimed(self._weighed, planned, away, starts, stood_share=_STOOD_USUALLY, aside=_ASIDE)
        world = turned_world(turn, planned)
        self.stood_share = float(np.linalg.norm(stood)) / away
        right, above, clockwise = (math.degrees(float(part)) for part in turn)
        off_px = np.linalg.norm(self._off(world, stood), axis=1) * np.concatenate(
            [np.full(len(one.on_photo), one.sure_px) for one in self.common]
        )
        self.agreed_share = float(np.mean(off_px < _AGREED * most.sure_px))
        return Looked(
            world, stood, right, above, clockwise, float(np.median(off_px)), (), self.world_m - stood, self.shared
        )  # fmt: skip

    def _off(self, world: Floats, stood: Floats) -> Floats:
        """How far off the points are (n, 2), in units of how surely each is told."""
        found = []
        for one, ends_m in zip(self.common, self.ends_m, strict=True):
            near, far = np.split(self._drawn(one.index, ends_m - stood, world), 2)
            found.append(_from_line(one.in_frame, near, far) / one.sure_px)
        return np.concatenate(found)

    def _ends_m(self, one: _Common, of_mark: Floats) -> Floats:
        """Between which places its points may lie, (2 n, 3): the nearest of all, then the farthest."""
        sights = self.photo.directions(one.on_photo[:, ::-1])
        known = self.distances[np.maximum(of_mark, 0)]
        near = np.where(of_mark >= 0, known, _NEARER * self.distances.min())
        far = np.where(of_mark >= 0, known, _FARTHER * self.distances.max())
        return np.concatenate([self.eye + away[:, None] * sights for away in (near, far)])

    def _weighed(self, world: Floats, stood: Floats) -> Floats:
        """The same, of as many points as lie beside marks so many times as much of the others, which tell less."""
        known = np.concatenate(self.of_mark) >= 0
        share = min(1.0, _OTHERS * max(int(known.sum()), 1) / max(int((~known).sum()), 1))
        found: Floats = self._off(world, stood) * np.where(known, 1.0, math.sqrt(share))[:, None]
        return found

    def _off_at(self, one: _Common, away: float, world: Floats) -> Floats:
        """How far off the points of one frame are, were all of them so far away."""
        there = self.eye + away * self.photo.directions(one.on_photo[:, ::-1])
        found: Floats = (one.in_frame - self._drawn(one.index, there, world)) / one.sure_px
        return found

    def _drawn(self, index: int, world_m: Floats, world: Floats) -> Floats:
        return np.stack(self.evidence.pixels_of(index, world_m, world), axis=1)


def _from_line(place: Floats, first: Floats, second: Floats) -> Floats:
    """How far places (n, 2) are from the line between two others, each with its own."""
    along = second - first
    share = np.sum((place - first) * along, axis=1) / np.maximum(np.sum(along**2, axis=1), 1e-12)
    found: Floats = place - first - np.clip(share, 0.0, 1.0)[:, None] * along
    return found


def _shown_by(planned: Sequence[int], wanted: Sequence[bool], there: Sequence[int]) -> dict[int, list[int]]:
    """Of the frames that are there, which show which marks nearest to sharpest."""
    found: dict[int, list[int]] = {}
    for mark, index in enumerate(planned):
        if wanted[mark] and there:
            found.setdefault(min(there, key=lambda other: abs(other - int(index))), []).append(mark)
    most = sorted(found, key=lambda index: -len(found[index]))[:_MOST_FRAMES]
    return {index: found[index] for index in most}


class _Shown:
    """The photograph's own points, looked for once in each part of it; drawn as large as a frame, never larger."""

    def __init__(self, laid: Laid, frame_px: float) -> None:
        """`frame_px`: pixels for a tangent of 1 in a frame as it is looked at."""
        self.photo = laid.photo
        grey = cv2.cvtColor(straightened(laid.content, laid.photo), cv2.COLOR_RGB2GRAY)
        scale = min(1.0, frame_px * laid.photo.pixels[0] / laid.photo.focal_px / grey.shape[1])
        self.grey = np.asarray(cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)
        self._to_photo = laid.photo.pixels[0] / self.grey.shape[1]
        self._found: dict[tuple[int, ...], tuple[Floats, NDArray[np.float32]]] = {}

    def points(self, shows: Callable[[Floats], Bools]) -> tuple[Floats, NDArray[np.float32]]:
        """Columns and rows (n, 2) on the photograph and descriptors, of the part of it that a frame may show.

        `shows` tells of places (m, 2) whether it may.
        """
        high, wide = self.grey.shape
        rows, columns = np.mgrid[0:high:_STEP, 0:wide:_STEP]
        within = shows(self._whole(np.stack([columns, rows], axis=-1).reshape(-1, 2))).reshape(rows.shape)
        if not within.any():
            return np.empty((0, 2)), np.empty((0, 128), np.float32)
        seen = (columns[within].min(), rows[within].min(), columns[within].max(), rows[within].max())
        part = tuple(int(one) for one in seen)
        if part not in self._found:
            left, top, right, bottom = part
            grey = np.ascontiguousarray(self.grey[top : bottom + _STEP, left : right + _STEP])
            found, told = features_of(_evened(grey))
            self._found[part] = self._whole(found + _middle(grey) + np.array([left, top])), told
        return self._found[part]

    def _whole(self, places: Floats) -> Floats:
        found: Floats = (places + 0.5) * self._to_photo - 0.5
        return found


def _common(shown: _Shown, evidence: Evidence, k: int, eye: Floats, away_m: float) -> _Common | None:
    """What a frame has in common with the photograph, near where the plan has it."""
    if evidence.is_cancelled():
        raise Cancelled
    index, photo = evidence.matched[k], shown.photo
    assert index is not None
    view = evidence.planned_view(index)
    reach_px = math.tan(math.radians(_FAR_DEG)) * view.scale_px

    def drawn(places: Floats) -> Floats:
        """Where the plan has the frame show places (column, row) of the photograph."""
        world = eye + away_m * photo.directions(places[:, ::-1])
        found = np.stack(evidence.pixels_of(index, world), axis=1)
        return np.where(np.isfinite(found), found, 1e9)

    def shows(places: Floats) -> Bools:
        there, size = drawn(places), np.array(evidence.pixels)
        return np.asarray(np.all((there > -reach_px) & (there < size + reach_px), axis=1))

    own, told = shown.points(shows)
    in_frame, seen = evidence.known("points", k, _points_of)
    if min(len(own), len(in_frame)) < _LEAST:
        return None
    pairs = best_both(told, seen)
    smaller = _smaller(evidence.pixels[0])
    found = _Common(index, own[pairs[:, 0]], in_frame[pairs[:, 1]], _SURE_PX / smaller, np.eye(3))
    found = found.of(np.linalg.norm(drawn(found.on_photo) - found.in_frame, axis=1) < reach_px)
    return _agreed(found, photo, evidence, smaller)


def _smaller(wide: int) -> float:
    return min(1.0, _WIDE / wide)


def _points_of(frame: Frame) -> tuple[Floats, NDArray[np.float32]]:
    """Columns and rows (n, 2) of a frame's points, and their descriptors."""
    linear = np.asarray(grey_linear(read_coded(frame), 1), np.float32)
    smaller = _smaller(linear.shape[1])
    reduced = cv2.resize(linear, None, fx=smaller, fy=smaller, interpolation=cv2.INTER_AREA)
    grey = _tonal(np.asarray(reduced, np.float32))
    found, told = features_of(grey)
    return (found + _middle(grey) + 0.5) / smaller - 0.5, told


def _agreed(common: _Common, photo: Photograph, evidence: Evidence, smaller: float) -> _Common | None:
    """Of points that look alike those that two cameras could see so; None where too few agree."""
    if len(common.on_photo) < _LEAST:
        return None
    view = evidence.planned_view(common.index)
    one = (common.on_photo - photo.axis_px[::-1]) / photo.focal_px
    other = np.stack(view.undrawn(common.in_frame[:, 0], common.in_frame[:, 1]), axis=1)
    other = (other - np.array(view.centre_px)) / view.scale_px
    within = _AGREES_PX / smaller / view.scale_px
    matrix, kept = cv2.findEssentialMat(one, other, np.eye(3), cv2.USAC_MAGSAC, 0.9999, within)
    if matrix is None or kept is None:
        return None
    agreed = kept.ravel().astype(bool)
    if agreed.sum() < max(_LEAST, _LEAST_SHARE * len(agreed)):
        return None
    _, turn, _, _ = cv2.recoverPose(matrix[:3], one[agreed], other[agreed])
    return replace(common.of(agreed), turn=np.asarray(_FLIP @ turn @ _FLIP, float))


def _tonal(light: Grey) -> Grey8:
    """Light as an eye has it, shadows opened: the photograph has another exposure."""
    level = float(np.percentile(light, 99.0))
    grey = np.asarray(np.clip(np.sqrt(light / max(level, 1e-9)), 0.0, 1.0) * 255.0, np.uint8)
    return _evened(grey)


def _evened(grey: Grey8) -> Grey8:
    return np.asarray(cv2.createCLAHE(2.0, (4, 4)).apply(grey), np.uint8)


def _middle(grey: Grey8) -> Floats:
    return np.array([(grey.shape[1] - 1) / 2.0, (grey.shape[0] - 1) / 2.0])


def laid_by(photograph: Path | None, candidate: Candidate | None) -> tuple[Laid | None, tuple[str, ...]]:
    """The plan's photograph with its picture, where there are both and marks to be found; or why it is not read."""
    photo = None if candidate is None or not candidate.scene.mark_count else candidate.scene.plan.photograph
    if photograph is None or photo is None:
        return None, ()
    try:
        return Laid(photo, read_picture(photograph).shown), ()
    except FileError as error:
        # The frames are what is to be checked: they are not to wait for it.
        return None, (f"{error}: marks were looked for where the plan has them",)
