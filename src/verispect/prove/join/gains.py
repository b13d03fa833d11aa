"""Brightness of a grid's frames made even where they overlap: the lens's falloff first, then frame against frame.

Turning the camera moves the same things to other places of the frame: how much darker they are there tells what the
lens loses off its axis. It is told by how brightness changes within an overlap, which no frame's own exposure does.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.checks.exposure import ratios_stops
from verispect.prove.expected import View
from verispect.prove.join.pointing import Pair

Small = NDArray[np.float32]
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
# Blocks of a small picture that are held against one another, with light between these; fewer of a pair tell nothing.
_BLOCK, _DARK, _BRIGHT, _FEWEST = 8, 0.01, 0.92, 12
# What differs by more than so many stops is told by something else than falloff; where half does by so many, all is.
_HUBER, _FITS, _UNLIKE = 0.03, 6, 0.1
# In the corners it is at most so many stops, and less than this is let be, as is what is not so many times as sure.
_MOST, _LEAST, _SURE = 5.0, 0.05, 4.0
_TERMS = ((1.0, 0.0), (0.0, 1.0))
# Of so many neighbouring blocks one has a say of its own.
_ALIKE = 6.0
# Frames whose red and blue are off by less than so many stops have one white balance.
_ONE_WHITE = 0.03


def unfallen(
    views: Sequence[View], smalls: Sequence[Small], pairs: Sequence[Pair], pixels: tuple[int, int]
) -> list[View]:
    """Views with the falloff that the overlaps tell; as they were where they tell none for sure.

    Parameters
    ----------
    smalls : sequence of ndarray, shape (rows, columns, 3)
        Linear light, small, as a lens that bends no lines draws it.
    pixels : (int, int)
        Width and height of a frame.
    """
    seen = [told for pair in pairs if (told := _told_by(pair, views, smalls, pixels)) is not None]
    if not seen:
        return list(views)
    by, off = (np.concatenate([told[part] for told in seen]) for part in (0, 1))
    of = np.repeat(np.arange(len(seen)), [len(logs) for _, logs in seen])
    size = np.abs(_within(by, np.ones(len(off)), of)).max(axis=0)
    if not size.min() > 0.0:
        # Overlaps as narrow as a block tell of no change within them.
        return list(views)
    alone = [[replace(view, falloff=term) for term in _TERMS] for view in views]
    farthest = max(alone, key=lambda terms: corner_falloff(terms[0], pixels))
    corner = np.stack([term.lost_stops(*_to_corner(term, pixels)) for term in farthest], axis=1)
    # A straight fit of both terms; where they make no falloff, each alone: corners are never brighter.
    fits = [fit for used in ((0, 1), (0,), (1,)) if (fit := _fitted(by, off, of, size, used, corner)) is not None]
    if not fits:
        return list(views)
    best = min(fits, key=lambda fit: fit[1])[0]
    return [replace(view, falloff=best) for view in views]


def evenly_lit(picture: Small, view: View, pixels: tuple[int, int]) -> Small:
    """A small picture without its lens's falloff."""
    if view.falloff == (0.0, 0.0):
        return picture
    column, row = _places(picture.shape, pixels)
    times = np.exp2(view.lost_stops(column, row)).astype(np.float32)
    lit: Small = picture * (times[..., None] if picture.ndim == 3 else times)
    return lit


def _places(shape: tuple[int, ...], pixels: tuple[int, int]) -> tuple[Floats, Floats]:
    """Column (1, n) and row (m, 1) in the whole frame of a small picture's pixels."""
    divide = pixels[0] / shape[1]
    column, row = (divide * (np.arange(side, dtype=float) + 0.5) - 0.5 for side in (shape[1], shape[0]))
    return column[None, :], row[:, None]


def _told_by(
    pair: Pair, views: Sequence[View], smalls: Sequence[Small], pixels: tuple[int, int]
) -> tuple[Floats, Floats] | None:
    """What each block of an overlap would show of either term (K, 2), and how much darker the second has it (K,)."""
    first, second = smalls[pair.a], smalls[pair.b]
    divide = pixels[0] / first.shape[1]
    matrix = at_level(views[pair.b].onto(views[pair.a]), divide)
    size = (first.shape[1], first.shape[0])
    moved = np.asarray(cv2.warpPerspective(second, matrix, size, flags=cv2.INTER_LINEAR), np.float32)
    there = cv2.warpPerspective(np.ones(second.shape[:2], np.float32), matrix, size) > 0.999
    blocks = (size[0] // _BLOCK, size[1] // _BLOCK)
    if min(blocks) < 1:
        return None
    brightest = np.maximum(first.max(axis=2), moved.max(axis=2))
    fit = (there & (brightest < _BRIGHT)).astype(np.float32)
    whole = (slice(0, blocks[1] * _BLOCK), slice(0, blocks[0] * _BLOCK))
    here, laid, share = (
        cv2.resize(np.ascontiguousarray(part[whole]), blocks, interpolation=cv2.INTER_AREA)
        for part in (first @ _LUMA, moved @ _LUMA, fit)
    )
    usable = (share > 0.999) & (here > _DARK) & (laid > _DARK)
    if usable.sum() < _FEWEST:
        return None
    row, column = (divide * _BLOCK * (at.astype(float) + 0.5) - 0.5 for at in np.nonzero(usable))
    seen = np.linalg.inv(views[pair.b].onto(views[pair.a])) @ np.stack([column, row, np.ones(len(row))])
    terms = [
        replace(views[pair.b], falloff=term).lost_stops(seen[0] / seen[2], seen[1] / seen[2])
        - replace(views[pair.a], falloff=term).lost_stops(column, row)
        for term in _TERMS
    ]
    return np.stack(terms, axis=1), np.log2(here[usable] / laid[usable]).astype(float)


def _to_corner(view: View, pixels: tuple[int, int]) -> tuple[Floats, Floats]:
    """Columns and rows of eight places on the way from where a lens looks straight to the farthest corner."""
    corner = [0.0 if at > side - 1 - at else side - 1.0 for at, side in zip(view.centre_px, pixels, strict=True)]
    column, row = (at + np.arange(1, 9) / 8.0 * (far - at) for at, far in zip(view.centre_px, corner, strict=True))
    return column, row


def corner_falloff(view: View, pixels: tuple[int, int]) -> float:
    """How many stops a frame loses in its farthest corner."""
    return float(view.lost_stops(*_to_corner(view, pixels))[-1])


def _within(values: Floats, weights: Floats, of: NDArray[np.int_]) -> Floats:
    """Values against the mean of their own overlap's."""
    rows = values.reshape(len(values), -1)
    sums = np.stack([np.bincount(of, weights * column) for column in rows.T], axis=1)
    found: Floats = (rows - (sums / np.bincount(of, weights)[:, None])[of]).reshape(values.shape)
    return found


def _fitted(
    by: Floats, off: Floats, of: NDArray[np.int_], size: Floats, used: tuple[int, ...], corner: Floats
) -> tuple[tuple[float, float], float] | None:
    """Both terms by those used, with what is left, by Huber's loss; None where that is no falloff, or not sure."""
    weights = np.ones(len(off))
    for _ in range(_FITS):
        terms, told = _within(by[:, used] / size[list(used)], weights, of), _within(off, weights, of)
        heavy = terms * weights[:, None]
        found = np.linalg.lstsq(heavy.T @ terms + 1e-9 * np.eye(len(used)), heavy.T @ told, rcond=None)[0]
        rest = np.abs(told - terms @ found)
        weights = np.minimum(1.0, _HUBER / np.maximum(rest, 1e-9))
    falloff = np.zeros(2)
    falloff[list(used)] = found / size[list(used)]
    lost = corner @ falloff
    spread = np.linalg.pinv(terms.T @ (terms * weights[:, None])) * float(np.mean(weights * rest**2)) * _ALIKE
    ends = corner[-1, list(used)] / size[list(used)]
    sure = math.sqrt(max(float(ends @ spread @ ends), 0.0))
    # Pictures of something else tell nothing.
    if float(np.median(rest)) > _UNLIKE:
        return None
    if not max(_LEAST, _SURE * sure) < lost[-1] < _MOST or np.any(np.diff(lost, prepend=0.0) < -_LEAST / 4.0):
        return None
    loss = np.where(rest < _HUBER, 0.5 * rest**2, _HUBER * (rest - 0.5 * _HUBER))
    return (float(falloff[0]), float(falloff[1])), float(loss.sum())


def gains_of(
    views: Sequence[View],
    smalls: Sequence[NDArray[np.float32]],
    pairs: Sequence[Pair],
    pixels: tuple[int, int],
    lies: Callable[[Pair], Floats] | None = None,
) -> Floats:
    """Stops to add to each frame so that overlaps agree, by least squares; none on the whole: shape (frames, 3).

    To its light, and to its red and its blue besides. Where all have about one white balance none is changed.

    Parameters
    ----------
    lies : callable, optional
        How the second of a pair is laid over the first, (3, 3); else as they look.
    """

    def as_they_look(pair: Pair) -> Floats:
        return views[pair.b].onto(views[pair.a])

    lies = lies or as_they_look
    count = len(views)
    rows, right = [np.eye(count) * 0.05], [np.zeros((count, 3))]
    factor = pixels[0] / smalls[0].shape[1]
    for pair in pairs:
        a, b = smalls[pair.a], smalls[pair.b]
        matrix = at_level(lies(pair), factor)
        size = (a.shape[1], a.shape[0])
        moved = cv2.warpPerspective(b, matrix, size, flags=cv2.INTER_LINEAR)
        there = cv2.warpPerspective(np.ones(b.shape[:2], np.float32), matrix, size) > 0.999
        if there.sum() < 60:
            continue
        told = np.array(ratios_stops(a, np.asarray(moved, np.float32), there))
        row = np.zeros((1, count))
        row[0, pair.a], row[0, pair.b] = -1.0, 1.0
        weight = math.sqrt(float(there.mean()))
        rows.append(row * weight)
        right.append(-told[None] * weight)
    found: Floats = np.linalg.lstsq(np.vstack(rows), np.vstack(right), rcond=None)[0]
    even: Floats = found - found.mean(axis=0)
    if float(np.abs(even[:, 1:]).max()) < _ONE_WHITE:
        even[:, 1:] = 0.0
    return even


def by_channel(gains: Floats) -> Floats:
    """What such stops add to red, green and blue, shape (..., 3)."""
    light, red, blue = np.moveaxis(np.asarray(gains, float), -1, 0)
    green = light - _LUMA[0] * red - _LUMA[2] * blue
    return np.stack([green + red, green, green + blue], axis=-1)
