"""What of the wanted picture lies on the frames of a grid as they were taken; which frame was to show the rest."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.plan.methods.candidate import Candidate
from verispect.plan.setting.head import picture_net
from verispect.prove.expected import View
from verispect.subject.camera import Around

# Places of the wanted picture that are looked for, across and up.
_NET = (361, 241)
# Smaller parts of the picture are not worth a word: joining crops as much.
_LEAST = 5e-4
# A strip along its edge of no more such places is within what any head errs by, and cropped away.
_THIN = 2
# Which third of the picture.
_ACROSS, _UP = ("left", "", "right"), ("bottom", "", "top")


@dataclass(frozen=True)
class Hole:
    """A part of the wanted picture that is on no frame.

    Attributes
    ----------
    share : float
        Of the wanted picture.
    at : (float, float)
        Its middle, right and up, from −1 to 1.
    exposure : int
        The one that was to show most of it.
    is_rim : bool
        Whether it is but a thin strip along the edge of the picture.
    """

    share: float
    at: tuple[float, float]
    exposure: int
    is_rim: bool = False

    @property
    def where(self) -> str:
        """In words."""
        across, up = (
            words[min(int(1.5 * (part + 1.0)), 2)] for words, part in zip((_ACROSS, _UP), self.at, strict=True)
        )
        return " ".join(part for part in (up, across) if part) or "middle"


@dataclass(frozen=True)
class Coverage:
    """The share of what the plan's frames show of the wanted picture that lies on those taken, and the rest."""

    share: float
    holes: tuple[Hole, ...]


def coverage_of(
    candidate: Candidate,
    planned: Mapping[int, View],
    taken: Mapping[int, tuple[View, Floats]],
    pixels: tuple[int, int],
) -> Coverage | None:
    """How much of a grid's picture is there; None for other methods, and for what goes all round.

    Parameters
    ----------
    planned : mapping of int to View
        How each exposure was to look.
    taken : mapping of int to (View, ndarray (3, 3))
        Of the exposures that can be used how they looked, and where their content lies against that.
    """
    if not candidate.method.is_grid or candidate.scene.plan.camera.around != Around.PICTURE:
        return None
    net = picture_net(candidate.scene, _NET)
    still = np.eye(3)
    meant = {index: _shown(net, view, still, pixels) for index, view in planned.items()}
    wanted = np.any(list(meant.values()), axis=0)
    there = np.zeros_like(wanted)
    for view, moved in taken.values():
        there |= _shown(net, view, moved, pixels)
    if not wanted.any():
        return None
    lost = wanted & ~there
    count, parts = cv2.connectedComponents(lost.astype(np.uint8), connectivity=4)
    up, across = np.meshgrid(*(np.linspace(-1.0, 1.0, side) for side in net.shape[:2]), indexing="ij")
    holes = []
    for number in range(1, count):
        part = parts == number
        share = float(part.sum() / wanted.sum())
        if share < _LEAST:
            continue
        at = float(across[part].mean()), float(up[part].mean())
        exposure = max(meant, key=lambda index: int((meant[index] & part).sum()))
        holes.append(Hole(share, at, exposure, _is_rim(part)))
    return Coverage(float((wanted & there).sum() / wanted.sum()), tuple(sorted(holes, key=lambda hole: -hole.share)))


def _is_rim(part: NDArray[np.bool_]) -> bool:
    """Whether a part of the picture is a thin strip along one of its edges."""
    rows, columns = (np.flatnonzero(part.any(axis=axis)) for axis in (1, 0))
    return any(
        places[-1] - places[0] < _THIN and (places[0] == 0 or places[-1] == side - 1)
        for places, side in zip((rows, columns), part.shape, strict=True)
    )


def _shown(net: Floats, view: View, moved: Floats, pixels: tuple[int, int]) -> NDArray[np.bool_]:
    """Which directions (R, C, 3) fall on a frame."""
    seen = net @ view.rotation.T
    ahead = seen[..., 2] > 1e-6
    place = seen @ (moved @ view.to_pixels).T
    with np.errstate(divide="ignore", invalid="ignore"):
        column, row = place[..., 0] / place[..., 2], place[..., 1] / place[..., 2]
    # To the pixels' outer edges, and as far as the plan's own figures are exact.
    edge = 0.5 + 0.01
    within = (column > -edge) & (column < pixels[0] - 1 + edge) & (row > -edge) & (row < pixels[1] - 1 + edge)
    return np.asarray(ahead & within, bool)
