"""How the camera stands against where it stood: from what two frames show of things whose depth is known.

Features of the earlier frame get their depth from the plan's surfaces, scans and marks, or from points that a merge
told; where they stand in the later frame gives its place and its turns (perspective from points with RANSAC, polished
by least squares: OpenCV).
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.optics.types import Bools, Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.scene.scene import Scene
from verispect.prove.expected import View, view_of
from verispect.prove.intake import Frame, described, read_coded
from verispect.sentence import Sentence
from verispect.subject.surface import seen_from

_SIDE, _FEATURES, _RATIO = 2400, 6000, 0.75
# A feature so near a mark, as a share of the width, is taken to lie as far away; one so near a scan's point likewise.
_BY_MARK, _BY_POINT_PX = 0.012, 5.0
_LEAST, _LEAST_SHARE, _OFF_PX = 12, 0.25, 2.5
# What a feature is told to, pixels as it is looked at; and what is taken for it first, so that more of them pull.
_ROUGH_PX, _WIDELY_PX = 0.3, 1.5
# Lots of what lies together.
_GROUPS = 8
# What a depth leaves unsure of how far the camera has moved. With this and the next 97 % of the moves and turns of 53
# path-traced pairs lay within what is told.
_DEPTH_SHARE = 0.04
# Things by the hundred share their errors: of depth, of the lens, of what looks alike.
_SHARED = 2.7
# Camera's right, up, forward to right, down, forward.
_FLIP = np.diag([1.0, -1.0, 1.0])


@dataclass(frozen=True)
class Return:
    """From where it stood to where it stands.

    Attributes
    ----------
    moved_mm, moved_plus_minus_mm : ndarray, shape (3,)
        Right, up and forward; almost surely within (95 %).
    turned_deg, turned_plus_minus_deg : ndarray, shape (3,)
        Right, up, and clockwise seen from behind.
    features : int
        Things it rests on.
    residual_px : float
        What is left of them, root mean square.
    """

    moved_mm: Floats
    moved_plus_minus_mm: Floats
    turned_deg: Floats
    turned_plus_minus_deg: Floats
    features: int
    residual_px: float

    @property
    def is_back(self) -> bool:
        """Whether nothing is surely off."""
        moved = np.abs(self.moved_mm) > self.moved_plus_minus_mm
        turned = np.abs(self.turned_deg) > self.turned_plus_minus_deg
        return not bool(np.any(moved) or np.any(turned))

    @property
    def says(self) -> list[Sentence]:
        """What to do so that it stands as it stood, the largest first; only what is surely off."""
        words = (
            ("move it {by:.0f} ± {sure:.0f} mm to the left", "move it {by:.0f} ± {sure:.0f} mm to the right"),
            ("lower it {by:.0f} ± {sure:.0f} mm", "raise it {by:.0f} ± {sure:.0f} mm"),
            ("move it {by:.0f} ± {sure:.0f} mm back", "move it {by:.0f} ± {sure:.0f} mm forward"),
        )
        turns = (
            ("turn it {by:.2f} ± {sure:.2f}° to the left", "turn it {by:.2f} ± {sure:.2f}° to the right"),
            ("tip it {by:.2f} ± {sure:.2f}° down", "tip it {by:.2f} ± {sure:.2f}° up"),
            ("roll it {by:.2f} ± {sure:.2f}° counter-clockwise", "roll it {by:.2f} ± {sure:.2f}° clockwise"),
        )
        found: list[Sentence] = []
        for kinds, values, sures in (
            (words, self.moved_mm, self.moved_plus_minus_mm), (turns, self.turned_deg, self.turned_plus_minus_deg)
        ):  # fmt: skip
            for (positive, negative), value, sure in zip(kinds, values, sures, strict=True):
                if abs(value) > sure:
                    found.append(
                        Sentence(
                            positive if value > 0.0 else negative, {"by": abs(float(value)), "sure": float(sure)}
                        )
                    )
        return found or [Sentence("it stands as it stood, as far as can be told")]


def return_pose(then: Path, now: Path, scene: Scene, exposure: Exposure, *, points_m: Floats | None = None) -> Return:
    """Measure.

    Parameters
    ----------
    exposure : Exposure
        Of both frames, as planned: the same focus and setting.
    points_m : ndarray, shape (P, 3), optional
        More points of the plan's world, as of a merge's depth.

    Raises
    ------
    FileError
        For frames of different sizes, or too little in common whose depth is known.
    """
    frames = [described(path) for path in (then, now)]
    if frames[0].pixels != frames[1].pixels:
        raise FileError("{path}: of another size than {other}", path=now, other=then)
    divide = max(1.0, max(frames[0].pixels) / _SIDE)
    size = tuple(round(side / divide) for side in frames[0].pixels)
    pitch = scene.plan.sensor_mm[0] / size[0]
    view = view_of(exposure, (size[0], size[1]), pitch)
    first, second = _matched(*(_grey(frame, (size[0], size[1])) for frame in frames))
    rays = np.column_stack([(first - np.asarray(view.centre_px)) / view.scale_px * [1.0, -1.0], np.ones(len(first))])
    depth = _depths(rays, first, view, scene, exposure, points_m)
    known = np.isfinite(depth)
    if known.sum() < _LEAST:
        raise FileError(
            "{count} things that both frames show have a depth that is known; at least {least} are needed: put "
            "surfaces or a scan into the plan, or give the depth of a merge with --depth",
            count=int(known.sum()), least=_LEAST,
        )  # fmt: skip
    return _solved(rays[known] * depth[known, None], second[known], view)


def _grey(frame: Frame, size: tuple[int, int]) -> NDArray[np.uint8]:
    coded = (read_coded(frame)[..., 1] >> 8).astype(np.uint8)
    return np.asarray(cv2.resize(coded, size, interpolation=cv2.INTER_AREA), np.uint8)


def _matched(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> tuple[Floats, Floats]:
    """Places (N, 2) of the same things in both, columns and rows."""
    finder = cv2.SIFT.create(_FEATURES)
    (keys, described_by), (other_keys, other_by) = (finder.detectAndCompute(grey, None) for grey in (one, other))
    if described_by is None or other_by is None or len(keys) < 2 or len(other_keys) < 2:
        return np.zeros((0, 2)), np.zeros((0, 2))
    pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(described_by, other_by, k=2)
    clear = [pair[0] for pair in pairs if len(pair) == 2 and pair[0].distance < _RATIO * pair[1].distance]
    best: dict[int, cv2.DMatch] = {}
    for match in clear:
        if match.trainIdx not in best or match.distance < best[match.trainIdx].distance:
            best[match.trainIdx] = match
    kept = list(best.values())
    first = np.array([keys[match.queryIdx].pt for match in kept], float).reshape(-1, 2)
    second = np.array([other_keys[match.trainIdx].pt for match in kept], float).reshape(-1, 2)
    return first, second


def _depths(
    rays: Floats, places: Floats, view: View, scene: Scene, exposure: Exposure, points_m: Floats | None
) -> Floats:
    """Depth along the view of each ray, m; nan where nothing tells it."""
    pose = exposure.pose
    depth = np.full(len(rays), np.inf)
    world = rays @ pose.matrix
    for surface in scene.plan.surfaces:
        for patch in seen_from(surface, pose.pupil_m):
            normal = np.cross(patch.across_m, patch.along_m)
            with np.errstate(divide="ignore", invalid="ignore"):
                away = ((patch.corner_m - pose.pupil_m) @ normal) / (world @ normal)
            hit = pose.pupil_m + world * away[:, None] - patch.corner_m
            basis = np.stack([patch.across_m, patch.along_m])
            with np.errstate(invalid="ignore"):
                parts = hit @ np.linalg.pinv(basis)
                inside = np.all((parts >= 0.0) & (parts <= 1.0), axis=1) & (away > 0.0)
            depth = np.where(inside & (away < depth), away, depth)
    clouds = [points_m] if points_m is not None else []
    clouds += [area.world_m for area in scene.areas if area.name in {scan.name for scan in scene.plan.scans}]
    for cloud in clouds:
        depth = np.where(np.isfinite(depth), depth, _from_points(cloud, places, view, exposure))
    for mark in scene.plan.marks:
        seen = pose.matrix @ (np.array([mark.x_m, mark.y_m, mark.z_m]) - pose.pupil_m)
        if seen[2] <= 0.0:
            continue
        column, row, _ = view.to_pixels @ (seen / seen[2])
        near = np.hypot(places[:, 0] - column, places[:, 1] - row) < _BY_MARK * 2.0 * view.centre_px[0]
        # What is marked before a surface stands before it.
        depth = np.where(near & (seen[2] < depth), seen[2], depth)
    return np.where(np.isfinite(depth), depth, np.nan)


def _from_points(cloud: Floats, places: Floats, view: View, exposure: Exposure) -> Floats:
    """Depth of the point that lies nearest to each place in the picture; inf where none is near."""
    from scipy.spatial import cKDTree  # slow to import, as all of SciPy

    seen = (cloud - exposure.pose.pupil_m) @ exposure.pose.matrix.T
    seen = seen[seen[:, 2] > 0.0]
    if not len(seen):
        return np.full(len(places), np.inf)
    drawn = (seen / seen[:, 2:]) @ view.to_pixels.T
    apart, index = cKDTree(drawn[:, :2]).query(places)
    found: Floats = np.where(apart < _BY_POINT_PX, seen[np.minimum(index, len(seen) - 1), 2], np.inf)
    return found


class _Seen:
    """Points (N, 3) in the earlier camera's frame as OpenCV has it, m, and where they stand in the later frame."""

    def __init__(self, points: Floats, places: Floats, view: View) -> None:
        self.model, self.places = np.ascontiguousarray(points @ _FLIP), places
        self.inner: Floats = np.array(
            [[view.scale_px, 0.0, view.centre_px[0]], [0.0, view.scale_px, view.centre_px[1]], [0, 0, 1.0]]
        )

    def left(self, pose: Floats, some: NDArray[np.int64] | slice = slice(None)) -> tuple[Floats, Floats]:
        """What is left (N, 2) of some with a pose (turn, shift), and its slopes (2 N, 6)."""
        seen, slopes = cv2.projectPoints(self.model[some], pose[:3], pose[3:], self.inner, np.zeros(4))
        return np.asarray(seen, float).reshape(-1, 2) - self.places[some], np.asarray(slopes[:, :6], float)

    def polished(
        self, begin: Floats, some: NDArray[np.int64] | slice = slice(None), rough_px: float = _ROUGH_PX
    ) -> Floats:
        """A pose by least squares in which what stands before or behind its surface hardly counts (Cauchy)."""
        from scipy.optimize import least_squares

        found: Floats = least_squares(
            lambda v: np.ravel(self.left(v, some)[0]), begin, jac=lambda v: self.left(v, some)[1], loss="cauchy",
            f_scale=rough_px, x_scale="jac",
        ).x  # fmt: skip
        return found

    def cost(self, pose: Floats) -> float:
        """What is left of all, where what is far off counts for little more than what is off."""
        left, _ = self.left(pose)
        return float(np.log1p((left / _ROUGH_PX) ** 2).sum())

    def best(self) -> Floats:
        """The pose that all agree with best, of those found from where it stood and from what a few agree on."""
        begins = [np.zeros(6)]
        cv2.setRNGSeed(1)
        for off_px in (_OFF_PX, 2.0 * _OFF_PX):
            done, turn, shift, _ = cv2.solvePnPRansac(
                self.model, self.places, self.inner, np.zeros(4), rvec=np.zeros((3, 1)), tvec=np.zeros((3, 1)),
                useExtrinsicGuess=True, iterationsCount=2000, reprojectionError=off_px, confidence=0.9999,
                flags=cv2.SOLVEPNP_ITERATIVE,
            )  # fmt: skip
            if done:
                begins.append(np.concatenate([np.ravel(turn), np.ravel(shift)]))
        found = [self.polished(self.polished(begin, rough_px=_WIDELY_PX)) for begin in begins]
        found += [self.polished(begin) for begin in begins[1:]]
        return min(found, key=self.cost)

    def without_some(self, pose: Floats) -> Floats:
        """How far a pose goes, one and all (6,), where what lies together is left out, one lot after the other.

        The jackknife by groups: a depth that is off is so for all that lies there, and a few things that stand
        elsewhere than the rest may alone decide between a turn and a move aside.
        """
        count = min(_GROUPS, len(self.model) // 3)
        if count < 2:
            return np.zeros(6)
        where = np.column_stack([self.places / self.inner[0, 0], np.log(np.maximum(self.model[:, 2], 1e-3))])
        often = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 50, 1e-6)
        cv2.setRNGSeed(1)
        _, lots, _ = cv2.kmeans(where.astype(np.float32), count, None, often, 3, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
        rests = [np.flatnonzero(np.ravel(lots) != lot) for lot in range(count)]
        poses = np.array([self.polished(pose, rest) for rest in rests if len(rest) >= _LEAST // 2])
        if len(poses) < 2:
            return np.zeros(6)
        apart: Floats = np.sqrt((len(poses) - 1) / len(poses) * np.sum((poses - pose) ** 2, axis=0))
        return apart


def _solved(points: Floats, places: Floats, view: View) -> Return:
    """Place and turns of the later frame, from points (N, 3) in the earlier camera's frame, m."""
    seen = _Seen(points, places, view)
    pose = seen.best()
    left, slopes = seen.left(pose)
    count = int(np.sum(np.hypot(left[:, 0], left[:, 1]) < _OFF_PX))
    if count < _LEAST or count < _LEAST_SHARE * len(points):
        raise FileError(
            "{count} of {all} things agree on where the camera stands; too few to tell: the depths in the plan may "
            "be off, or the light has changed too much", count=count, all=len(points),
        )  # fmt: skip
    agreeing: Bools = np.hypot(left[:, 0], left[:, 1]) < 3.0 * _ROUGH_PX
    variance = float(np.sum(left[agreeing] ** 2)) / max(2 * int(agreeing.sum()) - 6, 1)
    both = np.repeat(agreeing, 2)
    by_all = _SHARED * np.sqrt(np.maximum(np.diag(variance * np.linalg.pinv(slopes[both].T @ slopes[both])), 0.0))
    spread = 2.0 * np.maximum(by_all, seen.without_some(pose))
    matrix = cv2.Rodrigues(pose[:3])[0]
    stands: Floats = np.asarray((-matrix.T @ pose[3:]) @ _FLIP * 1000.0, float)
    basis = _FLIP @ matrix @ _FLIP
    # Rows of the basis are the later camera's right, up, forward in the earlier one's.
    right = np.degrees(np.arctan2(basis[2, 0], basis[2, 2]))
    up = np.degrees(np.arcsin(np.clip(basis[2, 1], -1.0, 1.0)))
    clockwise = np.degrees(np.arctan2(-basis[0, 1], basis[1, 1]))
    unsure = _DEPTH_SHARE * np.abs(stands)
    moved_sure = np.hypot(1000.0 * spread[3:], unsure)
    # What is not known of a move aside is taken for a turn that shows the same.
    as_turn = np.append(unsure[:2] / (1000.0 * float(np.median(points[:, 2]))), 0.0)
    turned_sure = np.degrees(np.hypot(spread[[1, 0, 2]], as_turn))
    return Return(stands, moved_sure, np.array([right, up, clockwise]), turned_sure, count,
                  float(np.sqrt(np.mean(np.sum(left[agreeing] ** 2, axis=1)))))  # fmt: skip
