"""A painted sphere, and what a pinhole camera sees of it: truth that knows nothing of the program."""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np

from verispect.files.picture_out import Shot, write_picture

FOCAL_PX, SIZE = 420.0, (480, 320)


@lru_cache(maxsize=4)
def painted_sphere(seed: int = 3) -> np.ndarray:
    """Longitude by latitude (1500, 3000, 3), 0 to 1: noise of every size, and things with edges."""
    rng = np.random.default_rng(seed)
    high, wide = 1500, 3000
    picture = np.zeros((high, wide, 3), np.float32)
    for octave in range(1, 10):
        side = 2**octave
        coarse = rng.normal(0.0, 1.0, (side, 2 * side, 3)).astype(np.float32)
        # The ends meet, so that there is no seam.
        coarse[:, -1] = coarse[:, 0]
        picture += cv2.resize(coarse, (wide, high), interpolation=cv2.INTER_CUBIC) / side**0.6
    picture = 0.45 + 0.12 * picture
    for _ in range(900):
        middle = (int(rng.uniform(0, wide)), int(rng.uniform(0, high)))
        axes = (int(rng.uniform(3, 40)), int(rng.uniform(3, 40)))
        cv2.ellipse(picture, middle, axes, rng.uniform(0, 180), 0, 360, rng.uniform(0.1, 0.9, 3).tolist(), -1)
    return np.clip(picture, 0.02, 0.98)


def turn(bearing_deg: float, pitch_deg: float, roll_deg: float = 0.0) -> np.ndarray:
    """Rows right, up, forward of a camera in x right, y up, z away."""
    b, p, r = (math.radians(angle) for angle in (bearing_deg, pitch_deg, roll_deg))
    forward = np.array([math.sin(b) * math.cos(p), math.sin(p), math.cos(b) * math.cos(p)])
    level = np.array([math.cos(b), 0.0, -math.sin(b)])
    upright = np.array([-math.sin(b) * math.sin(p), math.cos(p), -math.cos(b) * math.sin(p)])
    # Clockwise as the photographer sees it: the camera's top leans to the right.
    right = math.cos(r) * level - math.sin(r) * upright
    up = math.sin(r) * level + math.cos(r) * upright
    return np.stack([right, up, forward])


def seen(sphere: np.ndarray, basis: np.ndarray, *, focal_px: float = FOCAL_PX, k1: float = 0.0) -> np.ndarray:
    """A frame (rows, columns, 3), 0 to 1, sampled four times a pixel; `k1` bends its lines, as OpenCV has it."""
    matrix = np.array([[focal_px, 0, 0], [0, focal_px, 0], [0, 0, 1.0]])
    often = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 60, 1e-10)
    wide, high = SIZE
    total = np.zeros((high, wide, 3), np.float32)
    for dx, dy in ((-0.25, -0.25), (0.25, -0.25), (-0.25, 0.25), (0.25, 0.25)):
        x, y = np.meshgrid(np.arange(wide) + dx - (wide - 1) / 2, np.arange(high) + dy - (high - 1) / 2)
        if k1:
            drawn = np.stack([x.ravel(), y.ravel()], axis=1)[:, None]
            straight = cv2.undistortPoints(drawn, matrix, np.array([k1, 0, 0, 0.0]), P=matrix, criteria=often)
            x, y = (straight[:, 0, axis].reshape(high, wide) for axis in (0, 1))
        x, y = (np.asarray(part, np.float32) / np.float32(focal_px) for part in (x, y))
        right, up, ahead = (x * a - y * b + c for a, b, c in basis.T.astype(np.float32))
        longitude, latitude = np.arctan2(right, ahead), np.arctan2(up, np.hypot(right, ahead))
        column = (longitude / np.float32(2 * math.pi) + np.float32(0.5)) * np.float32(sphere.shape[1] - 1)
        row = (np.float32(0.5) - latitude / np.float32(math.pi)) * np.float32(sphere.shape[0] - 1)
        total += cv2.remap(sphere, column, row, cv2.INTER_LINEAR)
    return total / 4


def taken(folder: Path, bases: list[np.ndarray], *, told: bool = True, seed: int = 3, k1: float = 0.0) -> list[Path]:
    """Frames written to a folder, with the focal length in their metadata or not."""
    sphere = painted_sphere(seed)
    rng = np.random.default_rng(seed + 1)
    paths = []
    for k, basis in enumerate(bases):
        light = seen(sphere, basis, k1=k1) + rng.normal(0.0, 0.004, (*SIZE[::-1], 3))
        path = folder / f"frame-{k + 1:03d}.tif"
        shot = Shot(focal_mm=FOCAL_PX * 0.075, pixel_mm=0.075) if told else Shot()
        write_picture(path, np.round(np.clip(light, 0, 1) * 65535).astype(np.uint16), shot=shot)
        paths.append(path)
    return paths


def apart_deg(first: np.ndarray, second: np.ndarray) -> float:
    return math.degrees(math.acos(min(max(0.5 * (float(np.trace(first @ second.T)) - 1.0), -1.0), 1.0)))
