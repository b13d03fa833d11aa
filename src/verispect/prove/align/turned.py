"""What of a motion is the camera's turn: a rotation shears and enlarges a picture, which is no other focus."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.expected import View

# Rays that a turn is told by, across and down; with fewer in common none is.
_RAYS, _FEWEST = (24, 16), 6


def turn_of(matrix: Floats, view: View, other: View, pixels: tuple[int, int]) -> tuple[Floats, Floats]:
    """The turn that takes one frame's rays to another's as a motion of pixels has them (Kabsch 1976).

    Over the rays that both show: a motion found as a shift is a shear of the whole plane, and the rotation nearest
    to that would be half of it.

    Returns
    -------
    (ndarray, ndarray), shape (3, 3)
        The turn, not numbers where too little is shared; and what takes a turn in the other's axes to how far it
        shifts what both show: a small overlap hardly tells a turn about its own direction.
    """
    wide, high = pixels
    x, y = np.meshgrid(np.linspace(0, wide - 1, _RAYS[0]), np.linspace(0, high - 1, _RAYS[1]))
    at = np.stack([x.ravel(), y.ravel(), np.ones(x.size)])
    seen = matrix @ at
    seen = seen / seen[2]
    shared = (seen[0] >= 0) & (seen[0] <= wide - 1) & (seen[1] >= 0) & (seen[1] <= high - 1)
    if shared.sum() < _FEWEST:
        return np.full((3, 3), np.nan), np.eye(3)
    rays, others = np.linalg.inv(view.to_pixels) @ at[:, shared], np.linalg.inv(other.to_pixels) @ seen[:, shared]
    rays, others = rays / np.linalg.norm(rays, axis=0), others / np.linalg.norm(others, axis=0)
    left, _, right = np.linalg.svd(others @ rays.T)
    found: Floats = left @ np.diag([1.0, 1.0, np.sign(np.linalg.det(left @ right))]) @ right
    # Turned by t a ray r goes aside by t × r.
    tells = np.eye(3) - others @ others.T / others.shape[1]
    share, along = np.linalg.eigh(tells)
    held: Floats = along @ np.diag(np.sqrt(np.maximum(share, 0.0))) @ along.T
    return found, held


def turned_picture(turn: Floats, view: View, other: View) -> Floats:
    """The homography of a turn, from one frame's pixels to another's."""
    found: Floats = other.to_pixels @ turn @ np.linalg.inv(view.to_pixels)
    whole: Floats = found / found[2, 2]
    return whole
