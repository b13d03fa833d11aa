"""Which of frames that look apart were shaken: by what each lost against several others that show the same places."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import NamedTuple

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.shake.even_motion import Shaken, even_motion
from verispect.prove.shake.swing import Swing, least_between, motion_deg, motion_px

# Swings of good frames come to so much, and to so much over the places that tell, nepers; fewer places tell nothing.
# In simulated grids nine in ten of good frames stayed below 0.07, 0.1, 0.3 and 1.0 with 80, 40, 20 and 10 places.
# Of a far shake few places tell in several rings: they help another.
_FLOOR, _OF_FEW, _LEAST_PLACES = 0.04, 5.0, 4
# Where frames are focused apart the zeros of their discs swing as the content has it. Of what one lost in all
# directions beyond what a motion of that swing takes, so much may be swing too: before a wall of windows that repeat
# it was 0.1 to 0.3.
_OF_DEFOCUS = 0.1
# So many times that accuses a frame before two others, and before more; nepers that do at the least.
_SURE, _SURE_BY_MANY, _LEAST = 3.0, 2.6, 0.15
# Who is known this well against what the others tell has a say, though it saw nothing.
_HAS_A_SAY = 0.35
# A shake takes at least so much of its swing in all directions; what gained is focused elsewhere, or the other was
# shaken. Two tell of one shake where the cosine of twice the angle between their directions is so large, and the
# lesser against the greater.
_EVENLY, _ALONG, _ALIKE = 0.3, 0.5, 0.3
# Directions are the same where the cosine of twice the angle between them is so large: within 15°. So many that tell
# of the same, the lesser so large against the greater, need not all have more detail than the frame.
_SAME_WAY, _MANY, _SAME_SIZE = 0.87, 3, 0.5
# Before one witness so many times clearer than it takes, another helps that tells of the same this clearly: at the
# corners of a grid there are few.
_FAR_CLEARER, _HELPS = 2.0, 2.0
# All others, that tell of the very same, are together at least so clear (a sum of squares).
_TOGETHER = 1.5
# Two that tell of the very same: this much clearer than it takes, within so much of one another, each way.
_ALIKE_SURE, _VERY_SAME = 1.5, 0.2


@dataclass(frozen=True)
class Apart:
    """What one frame of a pair has more of than the other, and who they are.

    `more` holds it tile by tile, shape (tiles, rings, directions), NaN where there is nothing to see.
    """

    first: int
    second: int
    swing: Swing
    more: Floats


class _Witness(NamedTuple):
    """What another frame tells that one lost along a direction, how unsure that is, what it lost in all of them.

    `each` is the same tile by tile, shape (tiles, rings, directions).
    """

    loss: Floats
    unsure: Floats
    even: float
    each: Floats
    places: int

    @property
    def clear(self) -> float:
        """How many times what is usual."""
        return float(np.hypot(*(self.loss / self.unsure)))

    @property
    def size(self) -> float:
        """Of what was lost, nepers."""
        return float(np.hypot(*self.loss))

    def agrees(self, other: _Witness) -> bool:
        """Whether both may tell of one shake."""
        along = float(self.loss @ other.loss) >= _ALONG * self.size * other.size
        return along and self.size >= _ALIKE * other.size

    def is_like(self, other: _Witness) -> bool:
        """Whether both tell of the very same, however much each lost besides."""
        along = float(self.loss @ other.loss) >= _SAME_WAY * self.size * other.size
        return along and self.size >= _SAME_SIZE * other.size

    def is_as(self, other: _Witness, clear: float) -> bool:
        """Whether both are so clear and tell of the very same."""
        apart = float(np.hypot(*(self.loss - other.loss)))
        return min(self.clear, other.clear) >= clear and apart <= _VERY_SAME * min(self.size, other.size)


def shaken_apart(pairs: Sequence[Apart], place: Mapping[int, int]) -> dict[int, Shaken]:
    """The shaken among frames that look apart.

    Parameters
    ----------
    pairs : sequence of Apart
    place : mapping
        Which cell each frame is of: frames of one cell are no two witnesses.

    Notes
    -----
    The clearest is told first; before it no other counts as a witness any more.
    """
    pairs = [pair for pair in pairs if pair.swing.places]
    found: dict[int, Shaken] = {}
    while True:
        rest = [pair for pair in pairs if pair.first not in found and pair.second not in found]
        accused = {
            k: _accused(k, rest, place) for k in sorted({k for pair in rest for k in (pair.first, pair.second)})
        }
        number = max(accused, key=lambda k: accused[k].over, default=0)
        if not accused or accused[number].over < 1.0:
            return found
        found[number] = _motion_of(accused[number])


class _Accusation(NamedTuple):
    """How surely a frame was shaken, 1 where it is enough; what all agree that it lost, and who saw it clearly."""

    over: float
    loss: Floats
    by: Sequence[_Witness] = ()


def _motion_of(accused: _Accusation) -> Shaken:
    """How far a frame was shaken, and along which direction.

    What all agree on is the least of it. The even motion that explains their tiles best tells its length, as long as
    it lies along the same direction.
    """
    least = Shaken(motion_px(float(np.hypot(*accused.loss))), motion_deg(accused.loss))
    _, found = even_motion([one.each for one in accused.by])
    same = math.cos(2.0 * math.radians(found.direction_deg - least.direction_deg)) > _SAME_WAY
    return found if same and found.length_px >= least.length_px else least


def _accused(k: int, pairs: Sequence[Apart], place: Mapping[int, int]) -> _Accusation:
    """What the others say of a frame."""
    everyone = _witnesses(k, pairs, place)
    told = [one for one in everyone if one.places >= _LEAST_PLACES]
    sure = _SURE_BY_MANY if len(told) > 2 else _SURE
    clear = [one for one in told if one.clear >= sure]
    against = [one for one in clear if one.even <= -_EVENLY * one.size]
    if against and len(clear) >= _MANY and all(one.is_like(other) for one in clear for other in clear):
        # Frames focused in several ways, some nearer and some farther off than this one, all tell of the same.
        against = list(clear)
    if len(against) == 1 and len(clear) == 2 and clear[0].is_as(clear[1], _ALIKE_SURE * sure):
        # One that is focused nearer and one farther off tell of the very same.
        against = list(clear)
    if len(against) == 1 and against[0].clear >= _FAR_CLEARER * sure:
        strong = against[0]
        unclear = [one for one in everyone if one.places < _LEAST_PLACES or one.clear < sure]
        against += [one for one in unclear if one.clear >= _HELPS and one.is_like(strong) and strong.is_like(one)]
        sure = _HELPS
    if len(against) == 1 and against[0].clear >= _ALIKE_SURE * sure:
        # Chance does not have all others, unclear as they are, tell of the very same as a clear one.
        others = [one for one in everyone if one is not against[0]]
        if sum(one.clear**2 for one in others) >= _TOGETHER and all(one.is_as(against[0], 0.0) for one in others):
            return _Accusation(1.0, reduce(least_between, [one.loss for one in (against[0], *others)]), clear)
    nothing = _Accusation(0.0, np.zeros(2))
    if len(against) < 2 or not all(one.agrees(other) for one in against for other in against):
        return nothing
    least = min(one.size for one in against)
    against += [one for one in told if one.clear < sure and float(np.hypot(*one.unsure)) < _HAS_A_SAY * least]
    scale = np.exp(np.mean([np.log(one.unsure) for one in against], axis=0))
    agreed = against[0].loss / against[0].unsure
    for one in against[1:]:
        agreed = least_between(agreed, one.loss / one.unsure)
    loss = agreed * scale
    return _Accusation(float(np.hypot(*agreed)) / sure, loss, clear) if np.hypot(*loss) >= _LEAST else nothing


def _witnesses(k: int, pairs: Sequence[Apart], place: Mapping[int, int]) -> list[_Witness]:
    """What others tell of a frame: of each cell the frame that knows best."""
    best: dict[int, _Witness] = {}
    for pair in pairs:
        if k not in (pair.first, pair.second):
            continue
        other, sign = (pair.second, 1.0) if k == pair.first else (pair.first, -1.0)
        swing = pair.swing
        defocus = max(abs(swing.even) - swing.size, 0.0)
        usual = math.hypot(_FLOOR, _OF_FEW / swing.places, _OF_DEFOCUS * defocus)
        one = _Witness(
            sign * swing.parts, np.hypot(swing.unsure, usual), sign * swing.even, sign * pair.more, swing.places
        )
        known = best.get(place[other])
        if known is None or np.hypot(*one.unsure) < np.hypot(*known.unsure):
            best[place[other]] = one
    return list(best.values())
