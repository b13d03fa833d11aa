"""Areas looked at again between the samples that a method was worked out for, and the softest places put among them.

Surfaces and scans decide by samples. What lies between two of them may be softer where the frames change: in a grid
each frame has its own depth, in a series each place its own frame (docs/derivations/series.md).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache

import numpy as np

from verispect.optics.types import Bools
from verispect.plan.frames.rendering import Rendering, render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.refine.frame_edges import places_beyond_edges
from verispect.plan.scene.scene import Scene, densely_sampled

_ROUNDS = 3
# So much softer than told is worth another round.
_MORE = 0.005
# Of the softest places of every frame so many are put among the samples.
_OF_EACH = 12
# With more frames than this a round takes long.
_MANY = 60
# Places times frames that one look may take.
_MOST_LOOKS = 600_000


def held_between(solver: Callable[[Scene], Candidate], scene: Scene, *, is_told: bool = True) -> Candidate:
    """A method whose told softness holds between the samples of areas too.

    Not told, what fails already is not looked at any closer: it only gets softer.
    """
    found = solver(scene)
    if not scene.areas:
        return found
    first = len(scene.names)
    dense = _dense(_Key(scene))
    for number in range(_ROUNDS + 1):
        if not (is_told or found.is_sharp):
            return found
        softer = _softer_than_told(found, dense, with_edges=is_told)
        if softer is None:
            break
        scene = scene.joined_with(softer)
        if number < (_ROUNDS if found.frame_count <= _MANY else 1):
            found = _without_what_is_cropped(solver(scene), first)
        else:
            # Enough tried: what was found is told as it is there.
            return _without_what_is_cropped(_told_again(found, scene), first)
    return _each_area_told(found, dense) if is_told else found


def _without_what_is_cropped(found: Candidate, first: int) -> Candidate:
    """Without those places, of which the scene has had more since its `first`, that the final picture does not keep.

    Focused anew frames may see less than those that showed them.
    """
    if not found.fits or found.rendering is None:
        return found
    kept = _kept_of(found, found.scene, found.rendering)
    kept[:first] = True
    return found if kept.all() else _told_again(found, found.scene.of_rows(np.flatnonzero(kept)))


def _each_area_told(found: Candidate, dense: Scene) -> Candidate:
    """With the softest place of every area among its samples, where these are all sharper."""
    if not found.fits or found.rendering is None or found.criterion is None:
        return found
    looked = _looked_at(found, dense, with_edges=True)
    seen = render(looked, found.exposures, found.criterion)
    soft = np.where(_kept_of(found, looked, seen), seen.softness, -np.inf)
    told = np.where(found.rendering.inside, found.rendering.softness, -np.inf)
    kept = []
    for group in np.unique(looked.group[looked.deciding]).tolist():
        mine = np.flatnonzero(looked.group == group)
        worst = int(mine[np.argmax(soft[mine])])
        before = float(told[found.scene.group == group].max(initial=-np.inf))
        if np.isfinite(before) and soft[worst] > before * (1.0 + _MORE):
            kept.append(worst)
    return _told_again(found, found.scene.joined_with(looked.of_rows(np.array(kept)))) if kept else found


def _told_again(found: Candidate, scene: Scene) -> Candidate:
    assert found.criterion is not None
    return replace(found, scene=scene, rendering=render(scene, found.exposures, found.criterion), others=())


def _softer_than_told(found: Candidate, dense: Scene, *, with_edges: bool) -> Scene | None:
    """Places of the dense sampling that are softer than the method tells, the softest of each frame; None: none."""
    if not found.fits or found.rendering is None or found.criterion is None or not np.isfinite(found.worst_softness):
        return None
    dense = _looked_at(found, dense, with_edges=with_edges)
    seen = render(dense, found.exposures, found.criterion)
    kept_of = _kept_of(found, dense, seen)
    softer = np.flatnonzero(dense.deciding & kept_of & (seen.softness > found.worst_softness + _MORE))
    kept = []
    for frame in np.unique(seen.exposure[softer]):
        mine = softer[seen.exposure[softer] == frame]
        kept.append(mine[np.argsort(-seen.softness[mine], kind="stable")[:_OF_EACH]])
    return dense.of_rows(np.concatenate(kept)) if kept else None


def _kept_of(found: Candidate, looked: Scene, seen: Rendering) -> Bools:
    """What the final picture keeps: of a grid all that any frame shows, of a series what its outermost both do."""
    ends = found.exposures[:: max(1, found.frame_count - 1)]
    if found.method.is_grid or len(ends) < 2 or found.criterion is None:
        return seen.inside.copy()
    narrower: Bools = np.all([render(looked, (end,), found.criterion).inside for end in ends], axis=0)
    return narrower


def _looked_at(found: Candidate, dense: Scene, *, with_edges: bool) -> Scene:
    """The dense sampling as far as one look may go, and of a grid what lies along its frames' edges."""
    thin = max(1, len(dense.names) * found.frame_count // _MOST_LOOKS)
    dense = dense if thin == 1 else dense.of_rows(np.arange(0, len(dense.names), thin))
    beyond = (
        places_beyond_edges(dense, found.exposures) if with_edges and found.method.is_grid and thin == 1 else None
    )
    return dense if beyond is None else dense.joined_with(beyond)


class _Key:
    """A scene looked up by what its areas come from: several methods are worked out for one."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        plan = scene.plan
        # Marks too: what decides hangs on them, how areas are counted after them, and how near a frame is focused.
        self._parts = (plan.surfaces, plan.scans, plan.camera, plan.kit, plan.marks)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and all(
            own is its or own == its for own, its in zip(self._parts, other._parts, strict=True)
        )

    def __hash__(self) -> int:
        return hash((len(self._parts[0]), len(self._parts[1]), self.scene.plan.camera.framing_mm))


@lru_cache(maxsize=2)
def _dense(key: _Key) -> Scene:
    return densely_sampled(key.scene)
