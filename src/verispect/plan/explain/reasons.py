"""Why each number is what it is: the formula with this case's values, and its source."""

from __future__ import annotations

import math

import numpy as np

from verispect.optics.f_stops import marked
from verispect.optics.lens_state import plane_of_sharp_focus
from verispect.plan.document import DetailFrom
from verispect.plan.explain.reason import Reason
from verispect.plan.explain.setting_reasons import setting_reasons
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import Change
from verispect.sentence import Sentence

_DERIVED = "Derivation: docs/derivations/{page}.md"


def reasons_for(candidate: Candidate, frame: int = 0) -> list[Reason]:
    """The sums behind one frame of a method."""
    if not candidate.exposures or candidate.criterion is None:
        return []
    exposure = candidate.exposures[min(frame, len(candidate.exposures) - 1)]
    state = exposure.state
    reasons = [*_wish(candidate), _stop(candidate, frame), _focus(candidate, frame)]
    lean = math.hypot(state.axis[0], state.axis[1])
    if lean > 1e-6:
        j_m = state.focal_mm / lean / 1000.0
        reasons.append(
            Reason(
                Sentence("Tilt and swing"),
                Sentence(
                    "sin α = f / J = {f:g} mm / {j_mm:.0f} mm → α = {angle:.2f}°; hinge line {j:.2f} m from the lens",
                    {
                        "f": state.focal_mm,
                        "j_mm": j_m * 1000,
                        "angle": math.degrees(math.asin(lean)),
                        "j": j_m,
                    },
                ),
                Sentence("Hinge rule, J = f / sin α (Merklinger 1993, from memory)"),
            )
        )
    if candidate.method.merges and candidate.method.change is Change.FOCUS:
        reasons.append(_count(candidate))
    reasons.append(_softest(candidate))
    return reasons + setting_reasons(candidate, min(frame, len(candidate.exposures) - 1))


def _wish(candidate: Candidate) -> list[Reason]:
    plan, criterion = candidate.scene.plan, candidate.criterion
    assert criterion is not None
    wish = plan.wish
    lp = wish.print_line_pairs_per_mm()
    shrink = 1.0 / candidate.drawn
    wanted = (
        Sentence("{lp:.3g} lp/mm asked", {"lp": lp})
        if wish.line_pairs_per_mm
        else Sentence("1 / ({mm:g} mm · tan 2′) = {lp:.3g} lp/mm", {"mm": wish.viewing_mm, "lp": lp})
    )
    detail = Sentence("{wanted}; × enlargement {e:.3g}", {"wanted": wanted, "e": plan.enlargement()})
    source = Sentence("Your wish") if wish.line_pairs_per_mm else Sentence("Acuity of 1 arcmin, ISO 8596")
    if wish.detail_from != DetailFrom.PRINT:
        # A screen shows the picture; the sensor's finest detail is its own, whatever is cropped.
        pixels, side = wish.screen_pixels, max(plan.whole_mm)
        if wish.detail_from == DetailFrom.SENSOR:
            pixels, side = plan.kit.body.pixels[0], plan.kit.body.sensor_mm[0]
        detail = Sentence(
            "{pixels} pixels / {each:g} a line pair / {side:.4g} mm",
            {"pixels": pixels, "each": wish.pixels_per_line_pair, "side": side},
        )
        source = Sentence("Your wish")
    return [
        Reason(
            Sentence("Detail wanted on the sensor"),
            Sentence(
                "{detail} × framing/focal {shrink:.3g} = {nu:.3g} cycles/mm",
                {"detail": detail, "shrink": shrink, "nu": criterion.frequency},
            ),
            source,
        ),
        Reason(
            Sentence("Circle of confusion"),
            Sentence(
                "2 J₁(x)/x = {floor:g} at x = π ν c → c = {c:.1f} µm",
                {"floor": criterion.contrast_floor, "c": criterion.disc_mm * 1000},
            ),
            Sentence(_DERIVED, {"page": "contrast"}),
        ),
    ]


def _stop(candidate: Candidate, frame: int) -> Reason:
    exposure = candidate.exposures[min(frame, len(candidate.exposures) - 1)]
    state = exposure.state
    criterion = candidate.criterion
    assert criterion is not None
    perfect = float(criterion.contrast(0.0, state.working_f_number))
    return Reason(
        Sentence("Stop"),
        Sentence(
            "f/{marked} exactly {exact:.3f}; working {working:.2f}; contrast in perfect focus {perfect:.2f}, "
            "of the softest must {worst:.2f}, asked {floor:g}",
            {
                "marked": marked(state.f_number),
                "exact": state.f_number,
                "working": state.working_f_number,
                "perfect": perfect,
                "worst": candidate.worst_contrast,
                "floor": criterion.contrast_floor,
            },
        ),
        Sentence("Third stops: ISO 517; defocused pupil: Hopkins 1955"),
    )


def _focus(candidate: Candidate, frame: int) -> Reason:
    exposure = candidate.exposures[min(frame, len(candidate.exposures) - 1)]
    state = exposure.state
    depth = plane_of_sharp_focus(state)[2]
    crossing = f"{0.001 / depth:.2f} m" if depth > 1e-9 else "∞"
    return Reason(
        Sentence("Focus"),
        Sentence(
            "image distance {v:.3f} mm, f = {f:.4g} mm: the plane of sharp focus crosses the view at {crossing} "
            "from the lens",
            {"v": state.image_distance_mm, "f": state.focal_mm, "crossing": crossing},
        ),
        Sentence(_DERIVED, {"page": "imaging"}),
    )


def _count(candidate: Candidate) -> Reason:
    distances = [exposure.state.image_distance_mm for exposure in candidate.exposures]
    exposure = candidate.exposures[0]
    kappa = exposure.allowed_blur_mm * exposure.state.f_number / candidate.focal_mm
    ratio = (1.0 + kappa) / (1.0 - kappa) if np.isfinite(kappa) and kappa < 1.0 else float("nan")
    return Reason(
        Sentence("Number of frames"),
        Sentence(
            "one frame covers a ratio (D + c)/(D − c) = {ratio:.5f} of image distance; with frames from {near:.3f} "
            "to {far:.3f} mm that takes {count}",
            {"ratio": ratio, "near": min(distances), "far": max(distances), "count": candidate.frame_count},
        ),
        Sentence(_DERIVED, {"page": "series"}),
    )


def _softest(candidate: Candidate) -> Reason:
    rendering, scene = candidate.rendering, candidate.scene
    assert rendering is not None
    deciding = np.flatnonzero(scene.deciding)
    worst = int(deciding[np.argmax(rendering.softness[deciding])])
    softness = rendering.softness[worst]
    allowed = rendering.allowed_mm[worst]
    limit = f"{allowed * 1000:.1f} µm" if np.isfinite(allowed) else "none"
    shown = f"{softness:.2f}" if np.isfinite(softness) else "∞"
    return Reason(
        Sentence("Softest must"),
        Sentence(
            "{name}: blur {long:.1f} × {short:.1f} µm, allowed {limit} → softness {shown}",
            {
                "name": scene.names[worst],
                "long": rendering.blur_long_mm[worst] * 1000,
                "short": rendering.blur_short_mm[worst] * 1000,
                "limit": limit,
                "shown": shown,
            },
        ),
        Sentence(_DERIVED, {"page": "blur"}),
    )
