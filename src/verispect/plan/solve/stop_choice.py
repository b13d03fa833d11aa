"""Which stop: the one at which the worst must is best, as the rule in force sees it."""

from __future__ import annotations

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.optics.criterion import Criterion, Rule
from verispect.optics.lens_state import FORWARD, LensState
from verispect.optics.types import Floats
from verispect.plan.solve.problem import Problem

# Past its first zero the contrast of a disc, 2 J1(x)/x, swings between -0.132 and 0.064 at most
# (Abramowitz & Stegun, 9.5: the extremes lie at the zeros of J2).
RIPPLE = 0.065


def choose_stop(criterion: Criterion, softness: Floats, contrast: Floats) -> int:
    """Index of the best stop.

    Parameters
    ----------
    softness, contrast : ndarray, shape (S, K)
        Of the deciding marks at each stop, widest first; of the contrast the least alone will do.

    Notes
    -----
    wave: most contrast of the worst mark; where all of it is ripples, the least softness. root-sum: least
    sum. disc, which knows no diffraction: the widest that holds every mark, or the smallest stop where none does.
    """
    worst, least = softness.max(axis=1), contrast.min(axis=1)
    if criterion.rule == Rule.WAVE and not _only_ripples(worst, least):
        return int(np.argmax(least))
    if criterion.rule == Rule.DISC:
        holding = np.flatnonzero(worst <= 1.0)
        return int(holding[0]) if holding.size else int(np.argmin(worst))
    return int(np.argmin(worst))


def _only_ripples(worst: Floats, least: Floats) -> bool:
    """Whether blur is so large at every stop that more contrast no longer means less blur."""
    return bool(least.max() < RIPPLE and worst.min() > 1.0 and np.isfinite(worst).any())


def look_at_stops(problem: Problem, state: LensState, allowed_mm: Floats | None = None) -> tuple[Floats, Floats]:
    """Softness (S, K) of the chosen marks at every stop and the least contrast (S, 1), focus and tilt kept.

    `allowed_mm` (S, 1), the allowed blur of still marks, may be given where it is known already. The contrast is
    exact wherever it is more than ripples at any stop; where others have only ripples, theirs may be told too large.
    """
    points = problem.points_from_lens_mm(state)
    blur = _blur_at_stops(problem, state, points)
    working = (problem.stops * (state.working_f_number / state.f_number))[:, None]
    smears: Floats | float = 0.0
    residuals: Floats | float = 0.0
    allowed = allowed_mm
    criterion = problem.criterion
    if not problem.is_plain:
        both = [problem.spoilers_mm(state.at(float(n)), points) for n in problem.stops]
        smears, residuals = (np.stack(part) for part in zip(*both, strict=True))
        allowed = criterion.allowed_blur_mm(working, smears, residuals)
    elif allowed is None:
        # One allowed blur serves every mark of a stop, and is quick to find.
        allowed = criterion.allowed_blur_mm(working)
    return (
        criterion.softness(blur, working, smears, allowed, residuals),
        _least_contrast(criterion, blur, working, smears, residuals),
    )


def _least_contrast(
    criterion: Criterion, blur: Floats, working: Floats, smears: Floats | float, residuals: Floats | float
) -> Floats:
    """The least contrast (S, 1) of each row: that of the most blurred, as long as it is more than a ripple."""
    if criterion.pixel_contrast > 0.0 and not np.any(smears) and not np.any(residuals):
        least = criterion.contrast(blur.max(axis=1, keepdims=True), working)
        # Before its first zero contrast only falls with blur, and past it it never comes back so high.
        if float(least.max()) > 2.0 * RIPPLE * criterion.pixel_contrast:
            return least
    found: Floats = criterion.contrast(blur, working, smears, residuals).min(axis=1, keepdims=True)
    return found


def _blur_at_stops(problem: Problem, state: LensState, points_mm: Floats) -> Floats:
    """Long axes (S, K) at every stop; an ideal untilted lens's blur is one over the f-number."""
    if state.axis == FORWARD and state.bend is None:
        found: Floats = blur_axes_mm(points_mm, state)[0] * (state.f_number / problem.stops)[:, None]
        return found
    return np.stack([blur_axes_mm(points_mm, state.at(float(n)))[0] for n in problem.stops])


def best_stop(problem: Problem, state: LensState) -> float:
    """The best stop for a lens that stays focused and tilted as it is."""
    softness, contrast = look_at_stops(problem, state)
    row = choose_stop(problem.criterion, softness, contrast)
    if problem.scene.wanted_soft.any():
        row = _throwing_out(problem, state, softness, row)
    return float(problem.stops[row])


def _throwing_out(problem: Problem, state: LensState, softness: Floats, best: int) -> int:
    """The stop that throws out most what is wanted soft and still holds what was chosen.

    By defocus alone: diffraction blurs what should be sharp just as much. Where the wish is reached at no stop
    that holds, or nothing holds, sharpness comes first: the best stop as it was.
    """
    soft = np.flatnonzero(problem.scene.wanted_soft)
    thrown = problem.looking(problem.pose, soft)
    blur = _blur_at_stops(thrown, state, thrown.points_from_lens_mm(state))
    share = (blur / problem.criterion.disc_mm / problem.scene.soft_times[soft]).min(axis=1)
    holding = np.flatnonzero(softness.max(axis=1) <= 1.0)
    if holding.size == 0 or share[holding].max() < 1.0:
        return best
    return int(holding[np.argmax(share[holding])])


def neighbours(problem: Problem, f_number: float) -> list[float]:
    """A stop of the lens, and then those beside it."""
    at = int(np.argmin(np.abs(problem.stops - f_number)))
    beside = [k for k in (at - 1, at + 1) if 0 <= k < len(problem.stops)]
    return [f_number, *(float(problem.stops[k]) for k in beside)]


def worst_at(problem: Problem, state: LensState) -> float:
    """Softness of the worst chosen mark in a state; infinite where no blur at all would do."""
    points = problem.points_from_lens_mm(state)
    smears, residuals = problem.spoilers_mm(state, points)
    blur = blur_axes_mm(points, state)[0]
    working = state.working_f_number
    return float(problem.criterion.softness(blur, working, smears, residual_mm=residuals).max())


def judged(problem: Problem, state: LensState) -> float:
    """What is least in the better of two states, as the rule in force sees it: see `choose_stop`."""
    rule = problem.criterion.rule
    if rule == Rule.DISC:
        # Any of its stops holds; the one that could be opened farther is the better.
        return worst_at(problem, state) * state.f_number
    if rule == Rule.ROOT_SUM:
        return worst_at(problem, state)
    points = problem.points_from_lens_mm(state)
    smears, residuals = problem.spoilers_mm(state, points)
    blur = blur_axes_mm(points, state)[0]
    return -float(problem.criterion.contrast(blur, state.working_f_number, smears, residuals).min())


def stop_range(problem: Problem, state: LensState, *, within: float = 0.05) -> tuple[float, float]:
    """The widest and the smallest stop at which the worst mark is within a share of the best stop's.

    As the rule in force sees it: contrast under `wave`, the sum under `root-sum`. `disc` knows no best stop;
    there it is the range of stops that hold every mark, or the smallest alone.
    """
    softness, contrast = look_at_stops(problem, state)
    worst, least = softness.max(axis=1), contrast.min(axis=1)
    rule = problem.criterion.rule
    if rule == Rule.WAVE and not _only_ripples(worst, least):
        good = least >= (1.0 - within) * least.max()
    elif rule != Rule.DISC:
        good = worst <= (1.0 + within) * worst.min()
    else:
        good = worst <= max(1.0, float(worst.min()))
    kept = problem.stops[good]
    return float(kept[0]), float(kept[-1])


def best_stops_in_focus(problem: Problem, state: LensState) -> tuple[float, float]:
    """The stop that is best in perfect focus in the middle of the picture, and in its corner.

    With a table of the lens's residual blur; without one diffraction alone decides and both are the widest.
    """
    stops = problem.stops
    working = stops * (state.working_f_number / state.f_number)
    contrasts = [
        problem.criterion.contrast(0.0, working, 0.0, problem.lens.residual_mm(stops, share)) for share in (0.0, 1.0)
    ]
    middle, corner = (float(stops[int(contrast.argmax())]) for contrast in contrasts)
    return middle, corner


def moving_weights(problem: Problem, state: LensState) -> Floats:
    """Weights of the chosen marks, raised where motion or the lens's own blur leaves less room for defocus."""
    if problem.is_plain:
        return problem.weights
    points = problem.points_from_lens_mm(state)
    smears, residuals = problem.spoilers_mm(state, points)
    allowed = problem.criterion.allowed_blur_mm(state.working_f_number, smears, residuals)
    still = problem.criterion.allowed_blur_mm(state.working_f_number)
    with np.errstate(divide="ignore", invalid="ignore"):
        raised = np.where(np.isnan(allowed) | (allowed <= 0.0), 20.0, still / allowed)
    return np.asarray(problem.weights * np.nan_to_num(np.clip(raised, 1.0, 20.0), nan=1.0))
