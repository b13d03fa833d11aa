"""Frames so far out of focus that nothing sharp lies surely over them: laid over neighbours blurred as they are.

A lens that is focused elsewhere blurs what was to be sharp by a disc, and draws it larger or smaller. By how much the
one goes with the other follows from the aperture, so that a few guesses of how far it was lead to where the frame
looked and how large it is drawn: of frames traced with a blur of 26 pixels to 1 % of the growth.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.prove.align.motion import Bands
from verispect.prove.checks.gross_blur import detail, lacks_detail
from verispect.prove.expected import View
from verispect.prove.join.pointing import Pair, as_drawn, laid
from verispect.prove.merge.unveil import disc

Grey = NDArray[np.float32]
# A frame's number and by how much larger it is drawn, a logarithm, to the diameter of its disc in pixels of a frame.
Blurs = Callable[[int, float], float]
# Growths tried first, each so many times the last, up to that of a close-up focused far away; and how near to what
# is measured one assumed must come to be followed, and at last.
_FIRST, _TIMES, _LAST = 0.003, 1.45, 0.5
_FOLLOWED, _NEAR = 0.6, 0.3
# Guesses after the best of those, each what was measured by the last.
_STEPS = 3
# A frame that a pair of such a weight lays over another needs no guesses.
_WELL = 0.3
# Its disc takes up so many pixels looked at; they are halved until it takes up no more than so many.
_LEAST_PX, _MOST_PX = 2.0, 12.0


def laid_as_blurred(
    views: Sequence[View],
    greys: Sequence[Grey],
    pairs: Sequence[Pair],
    pixels: tuple[int, int],
    blurs: Blurs,
    *,
    known: Mapping[int, float] | None = None,
    is_cancelled: Callable[[], bool],
) -> list[Pair]:
    """The pairs, those anew that are sure once the sharp frame of the two is blurred as the other is.

    Parameters
    ----------
    blurs : callable
        The disc by which a frame (its number) blurs what it should render sharp, pixels of a frame, where it is
        drawn larger than planned by a logarithm.
    known : mapping, optional
        By how much larger frames are drawn, where the views have it already.
    """
    found = {(pair.a, pair.b): pair for pair in pairs}
    joined = {k for pair in pairs if pair.sure and pair.weight >= _WELL for k in (pair.a, pair.b)}
    for k in range(len(views)):
        beside = sorted(
            (pair for pair in pairs if k in (pair.a, pair.b) and pair.a + pair.b - k in joined and not pair.drifts),
            key=lambda pair: -pair.overlap,
        )
        if k in joined or (known is not None and k not in known):
            continue
        one = _Blurred(views, greys, pixels, blurs, k)
        grown = None if known is None else known[k]
        for pair in beside:
            if is_cancelled():
                break
            if grown is None and not one.lacks_detail_of(pair):
                continue
            told = one.searched(pair) if grown is None else one.settled(pair, grown, is_drawn=known is not None)
            # Blurred as it is they are the more alike; one that the plan has out of focus lies right as it is.
            if told is not None and told[0].correlation > pair.correlation:
                found[pair.a, pair.b], grown = told
    return list(found.values())


def grown_when_blurred(
    views: Sequence[View], greys: Sequence[Grey], pixels: tuple[int, int], blurs: Blurs, number: int
) -> float | None:
    """By how much larger a frame is drawn, a logarithm, that shows what all others do but is far out of focus.

    None where none of them is like it once blurred, or two do not agree.
    """
    one = _Blurred(views, greys, pixels, blurs, number)
    pairs = [Pair(min(k, number), max(k, number), 1.0, 0.0, np.zeros(3), math.inf) for k in range(len(views))]
    told = [found[1] for pair in pairs if pair.a != pair.b and (found := one.searched(pair)) is not None]
    if not told or max(told) - min(told) > _NEAR * max(map(abs, told)):
        return None
    return float(np.median(told))


class _Blurred:
    """A frame thought to be far out of focus, and what it is laid over."""

    def __init__(
        self, views: Sequence[View], greys: Sequence[Grey], pixels: tuple[int, int], blurs: Blurs, number: int
    ) -> None:
        self.views, self.greys, self.pixels, self.number = views, greys, pixels, number
        self.divide = pixels[0] / greys[0].shape[1]
        self._blurs = blurs
        self._at: dict[int, Bands] = {}

    def lacks_detail_of(self, pair: Pair) -> bool:
        """Whether it shows far less of what it shares with another, where that is not as plain."""
        other = pair.a + pair.b - self.number
        to = self.views[other].onto(self.views[self.number])
        small = np.diag([1.0 / self.divide, 1.0 / self.divide, 1.0])
        high, wide = self.greys[0].shape
        place = small @ to @ np.linalg.inv(small)
        there = cv2.warpPerspective(np.ones((high, wide), np.uint8), place, (wide, high)) > 0
        shared = cv2.warpPerspective(np.ones((high, wide), np.uint8), np.linalg.inv(place), (wide, high)) > 0
        if not there.any() or not shared.any():
            return False
        return lacks_detail(detail(self.greys[self.number], there), detail(self.greys[other], shared))

    def searched(self, pair: Pair) -> tuple[Pair, float] | None:
        """The pair as the best of many guesses has it, and by how much larger the frame is drawn."""
        sizes = _FIRST * _TIMES ** np.arange(int(math.log(_LAST / _FIRST) / math.log(_TIMES)) + 1)
        tried = [
            told
            for size in sizes.tolist()
            for guess in (size, -size)
            if (told := self._laid(pair, guess)) is not None and abs(told[1] - guess) < _FOLLOWED * size
        ]
        return self.settled(pair, max(tried, key=lambda told: told[0].weight)[1]) if tried else None

    def settled(self, pair: Pair, grown: float, *, is_drawn: bool = False) -> tuple[Pair, float] | None:
        """The pair where what is assumed of the frame is what is measured of it, from a guess on."""
        for _ in range(1 if is_drawn else _STEPS):
            told = self._laid(pair, grown, is_drawn=is_drawn)
            if told is None:
                return None
            anew, measured = told
            if anew.sure and (is_drawn or abs(measured - grown) < _NEAR * abs(grown)):
                return anew, measured
            grown = measured
        return None

    def _laid(self, pair: Pair, grown: float, *, is_drawn: bool = False) -> tuple[Pair, float] | None:
        """One guess, and by how much larger the frame is then measured to be drawn."""
        disc_px = self._blurs(self.number, grown) / self.divide
        if not _LEAST_PX <= disc_px < 0.25 * min(self.greys[0].shape):
            return None
        halved = 2 ** max(math.ceil(math.log2(disc_px / _MOST_PX)), 0)
        if halved not in self._at:
            self._at[halved] = Bands(_smaller(self.greys[self.number], halved))
        other = pair.a + pair.b - self.number
        views = list(self.views) if is_drawn else as_drawn(self.views, {self.number: grown})
        blurred = _through(_smaller(self.greys[other], halved), disc_px / halved)
        pictures = {self.number: self._at[halved], other: Bands(blurred)}
        found = laid(views, pair.a, pair.b, pair.overlap, pictures.__getitem__, self.pixels)
        # Parts of what is blurred so far lie as many times less exactly, though all lies well.
        found = replace(found, residual_px=found.residual_px / halved, blurred=True)
        own = found.growth if pair.b == self.number else -found.growth
        total = own if is_drawn else grown + own
        return replace(found, growth=total if pair.b == self.number else -total), total


def _smaller(picture: Grey, divide: int) -> Grey:
    if divide == 1:
        return picture
    high, wide = (side // divide for side in picture.shape)
    inner = picture[: high * divide, : wide * divide]
    return np.asarray(cv2.resize(inner, (wide, high), interpolation=cv2.INTER_AREA), np.float32)


def _through(picture: Grey, diameter_px: float) -> Grey:
    """A picture blurred by a disc."""
    kernel = disc(round(diameter_px, 2))
    return np.asarray(cv2.filter2D(picture, -1, kernel, borderType=cv2.BORDER_REFLECT), np.float32)
