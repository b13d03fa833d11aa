"""What each method searched for its best variant, as counts of what was tried."""

from __future__ import annotations

from verispect.kit.optic import optic_at
from verispect.plan.candidate import GRIDS, TURNED, Candidate
from verispect.plan.framing import grid_focals_mm, single_frame_focal_mm
from verispect.sentence import Sentence

_HOW = {
    "one-frame": "focus to the optimum by exchange of the binding marks, every third-stop",
    "tilt": "tilt, swing and focus together by linear programmes polished on the exact blur, every third-stop",
    "series": "every third-stop with the fewest frames that cover, then the least blur with as many",
    "tilt-series": "the axis that leaves least depth, then every third-stop with the fewest frames along it",
    "rail-series": "every third-stop at life size and farther, with the fewest places of the rail",
    "shift-grid": "even grids at the asked overlap, one focus to the optimum, every third-stop",
    "turned-grid": "the loosest grids that cover, of them the most promising in full: each frame's own focus, "
    "one third-stop for all",
    "turned-grid-series": "the loosest grids that cover, of them the most promising in full: each frame's "
    "fewest focus settings, one third-stop for all",
}


def searched(candidate: Candidate) -> Sentence:
    """What was tried for a method: how many lenses and focal lengths, how many stops, and how."""
    plan, key = candidate.scene.plan, candidate.key
    framing = plan.camera.framing_mm
    lenses, focals, stops = 0, 0, 0
    for lens in plan.kit.lenses:
        if key in GRIDS:
            tried = grid_focals_mm(lens, framing)
        else:
            one = single_frame_focal_mm(lens, framing)
            tried = [] if one is None else [one]
        if key in ("tilt", "tilt-series") and lens.tilt_deg + plan.kit.body.back_tilt_deg <= 0.0:
            tried = []
        if key == "shift-grid" and lens.shift_mm + plan.kit.body.back_shift_mm <= 0.0:
            tried = []
        if tried:
            lenses, focals = lenses + 1, focals + len(tried)
            stops = max(stops, len(optic_at(lens, tried[0]).stops()))
    if key in TURNED and (plan.kit.head is None or not plan.kit.head.turns):
        lenses = focals = 0
    if key == "rail-series" and plan.kit.rail is None:
        lenses = focals = 0
    return Sentence(
        "Searched {lenses} lenses at {focals} focal lengths, up to {stops} stops: {how}",
        {"lenses": lenses, "focals": focals, "stops": stops if lenses else 0, "how": Sentence(_HOW[key])},
    )
