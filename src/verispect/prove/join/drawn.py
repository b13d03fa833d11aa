"""Frames of a grid laid over one another as large as each is drawn, by a lens that may bend lines."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from verispect.prove.expected import View
from verispect.prove.join.bend import straightened, with_bend
from verispect.prove.join.far_out import Blurs, laid_as_blurred
from verispect.prove.join.pointing import Pair, as_drawn

Grey = NDArray[np.float32]


def laid_as_drawn(
    views: Sequence[View],
    greys: Sequence[Grey],
    pixels: tuple[int, int],
    pairs_between: Callable[[Sequence[View], Sequence[Grey]], list[Pair]],
    larger_of: Callable[[Sequence[Pair]], Mapping[int, float]],
    blurs: Blurs | None,
    is_cancelled: Callable[[], bool],
) -> tuple[list[View], list[Grey], list[Pair]]:
    """Views with the bending found and as large as frames are drawn, small pictures without it, and their pairs.

    Parameters
    ----------
    pairs_between : callable
        Measures every pair from views and small pictures.
    larger_of : callable
        Which frames pairs tell to be drawn larger or smaller than the views have them, by logarithms; none where that
        does not matter.
    blurs : callable or None
        How far frames are out of focus that are drawn larger than planned, where a plan tells it.
    """
    bent, straight, pairs = with_bend(views, greys, pixels, pairs_between)

    def with_blurred(known: Mapping[int, float] | None) -> list[Pair]:
        if blurs is None:
            return pairs
        return laid_as_blurred(bent, straight, pairs, pixels, blurs, known=known, is_cancelled=is_cancelled)

    pairs = with_blurred(None)
    larger = larger_of(pairs)
    if larger:
        # A frame that is drawn larger than planned would have all about it turned to where it fits.
        growth = {(pair.a, pair.b): pair.growth for pair in pairs}
        bent = as_drawn(bent, larger)
        straight = [straightened(grey, view, pixels) for grey, view in zip(greys, bent, strict=True)]
        pairs = pairs_between(bent, straight)
        pairs = [
            replace(pair, growth=growth[pair.a, pair.b])
            for pair in with_blurred(larger) if (pair.a, pair.b) in growth
        ]  # fmt: skip
    return bent, straight, pairs
