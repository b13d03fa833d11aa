"""Why the settings of a frame are what they are: scales, image circle, stops, time, certainty."""

from __future__ import annotations

import math

import numpy as np

from verispect.kit.mounted_lens import engraved_mm, extension_mm
from verispect.kit.scale_settings import dial
from verispect.optics.conjugates import hyperfocal_mm
from verispect.optics.depth_of_field import focus_and_stop_for_limits, limits_along_ray_mm
from verispect.optics.exposure_time import (
    equivalent_shutter_s,
    longest_time_for_motion_s,
    longest_time_for_stars_s,
    shutter_words,
    smear_for_floor_mm,
)
from verispect.optics.f_stops import marked
from verispect.plan.assess.image_circle_report import circle_report, circle_sentence
from verispect.plan.explain.reason import Reason
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_choice import best_stops_in_focus, stop_range
from verispect.sentence import Sentence

# A smear that leaves nine tenths of the contrast is not seen (a choice, not a standard).
_UNSEEN = 0.9
# Diagonal of the format that rules of thumb about focal lengths are for.
_SMALL_FORMAT_MM = 43.27


def setting_reasons(candidate: Candidate, frame: int) -> list[Reason]:
    """The sums behind the settings of one frame."""
    exposure = candidate.exposures[frame]
    problem = candidate.problem
    assert problem is not None
    reasons = [*_movements(candidate, exposure), *_on_the_scale(exposure)]
    if not candidate.method.is_grid:
        reasons += [_circle(problem, exposure), *_stops(problem, exposure), *_depth(problem, exposure)]
    if candidate.method.turns:
        reasons.append(_turning_point(exposure))
    timed = [_time(candidate, exposure), *_motion(candidate, exposure), *_hands(candidate, exposure),
             *_tripod(candidate, exposure)]  # fmt: skip
    return [*reasons, *timed, *_certainty(candidate)]


def _movements(candidate: Candidate, exposure: Exposure) -> list[Reason]:
    if math.hypot(*exposure.state.axis[:2]) < 1e-9:
        return []
    words = dial(exposure.lens, candidate.scene.plan.kit.body, exposure.state.axis).words
    return [Reason(Sentence("On the scales"), words, Sentence("Derivation: docs/derivations/movements.md"))]


def _on_the_scale(exposure: Exposure) -> list[Reason]:
    """What the lens's own scale shows, where that is not the distance from the sensor mark."""
    lens = exposure.lens.lens
    plain = lens.fitted.tube_mm == lens.fitted.close_up_dioptres == 0.0
    if lens.closest_from == "sensor" and plain:
        return []
    reading = engraved_reading_m(exposure)
    what = {"sensor": "the sensor mark", "front": "the front of the lens", "principal": "the front principal point"}
    return [
        Reason(
            Sentence("On the focus scale"),
            Sentence(
                "set the lens's own scale to {reading}, reckoned from {where}; extension beyond infinity focus "
                "{extension:.2f} mm",
                {
                    "reading": f"{reading:.3f} m" if math.isfinite(reading) else "∞",
                    "where": Sentence(what[lens.closest_from]),
                    "extension": extension_of_mm(exposure),
                },
            ),
            Sentence("Derivation: docs/derivations/compound.md"),
        )
    ]


def engraved_reading_m(exposure: Exposure) -> float:
    """What the bare lens's distance scale shows in this state, in its own reference; infinite at infinity."""
    return (
        engraved_mm(exposure.lens, focal_mm=exposure.state.focal_mm, image_mm=exposure.axial_image_distance_mm)
        / 1000.0
    )


def extension_of_mm(exposure: Exposure) -> float:
    """How far the lens stands out beyond its infinity mark."""
    return extension_mm(
        exposure.lens, focal_mm=exposure.state.focal_mm, image_mm=exposure.axial_image_distance_mm
    )  # fmt: skip


def _circle(problem: Problem, exposure: Exposure) -> Reason:
    region, shifted = problem.region_centre_mm, problem.shifted_to_mm
    report = circle_report(
        exposure,
        used_mm=problem.used_size_mm,
        sensor_diagonal_mm=problem.scene.plan.kit.body.diagonal_mm,
        off_mm=(region[0] - shifted[0], region[1] - shifted[1]),
    )
    known = exposure.lens.image_circle_mm is not None
    return Reason(
        Sentence("Image circle"),
        circle_sentence(report)
        if known
        else Sentence("not known; taken to cover the sensor wherever the lens itself moves"),
        Sentence("A cone about the lens's axis; Derivation: docs/derivations/imaging.md"),
    )


def _stops(problem: Problem, exposure: Exposure) -> list[Reason]:
    wide, small = stop_range(problem, exposure.state)
    parts = [
        Sentence(
            "from f/{wide} to f/{small} the softest must stays within 5 % of the best",
            {"wide": marked(wide), "small": marked(small)},
        )
    ]
    if exposure.lens.lens.residual:
        middle, corner = best_stops_in_focus(problem, exposure.state)
        parts.append(
            Sentence(
                "; in perfect focus the middle is best at f/{middle}, the corner at f/{corner}",
                {"middle": marked(middle), "corner": marked(corner)},
            )
        )
    refused = problem.scene.plan.kit.refuse_smallest
    if refused:
        parts.append(Sentence("; the smallest {n} stops are refused, as you asked", {"n": refused}))
    return [
        Reason(
            Sentence("How much the stop matters"),
            Sentence("{parts}", {"parts": tuple(parts)}),
            Sentence("Third stops: ISO 517; defocused pupil: Hopkins 1955"),
        )
    ]


def _depth(problem: Problem, exposure: Exposure) -> list[Reason]:
    """Near and far limit along the view, and the focus and stop that a table of limits would give."""
    state, allowed = exposure.state, exposure.allowed_blur_mm
    if not math.isfinite(allowed):
        return []
    near, plane, far = limits_along_ray_mm(np.array([0.0, 0.0, 1.0]), state.ideal_on_axis, allowed)
    depth = problem.points_from_lens_mm(state)[:, 2]
    circle = problem.criterion.disc_mm
    focus, stop = focus_and_stop_for_limits(
        near_mm=float(depth.min()),
        far_mm=float(depth.max()),
        focal_mm=state.focal_mm,
        circle_mm=circle,
        pupil_magnification=state.pupil_magnification,
    )
    hyperfocal = hyperfocal_mm(focal_mm=state.focal_mm, f_number=state.f_number, circle_mm=circle)
    return [
        Reason(
            Sentence("Depth along the view"),
            Sentence(
                "sharp from {near} to {far}, focused at {plane}, from the lens; by the disc rule, without tilt, "
                "{first} to {last} would ask for f/{stop:.1f} focused at {focus}; hyperfocal {hyperfocal}",
                {
                    "near": _metres(near),
                    "far": _metres(far),
                    "plane": _metres(plane),
                    "first": _metres(float(depth.min())),
                    "last": _metres(float(depth.max())),
                    "stop": stop,
                    "focus": _metres(focus),
                    "hyperfocal": _metres(hyperfocal),
                },
            ),
            Sentence("v(1 ± κ) from the exit pupil; Derivation: docs/derivations/blur.md, 6"),
        )
    ]


def _metres(length_mm: float) -> str:
    return f"{length_mm / 1000.0:.2f} m" if math.isfinite(length_mm) else "∞"


def _turning_point(exposure: Exposure) -> Reason:
    optic = exposure.lens
    behind = optic.front_ahead_mm - optic.focal_mm * (1.0 - 1.0 / optic.pupil_magnification)
    known = optic.lens.pupil_behind_front_mm is not None or optic.lens.front_ahead_mm != 0.0
    return Reason(
        Sentence("Turn about"),
        Sentence("the entrance pupil, {behind:.0f} mm behind the front of the lens", {"behind": behind})
        if known
        else Sentence("the entrance pupil; its place in this lens is not in the kit"),
        Sentence("Entrance pupil f(1 − 1/p) ahead of the front principal point; docs/derivations/blur.md"),
    )


def _time(candidate: Candidate, exposure: Exposure) -> Reason:
    plan, state = candidate.scene.plan, exposure.state
    stops = exposure.lens.stops()[::3].tolist()
    times = [equivalent_shutter_s(exposure.shutter_s, f_number=state.f_number, other_f_number=n) for n in stops]
    others = [f"f/{marked(n)} {shutter_words(time)}" for n, time in zip(stops, times, strict=True)]
    film = plan.kit.body.film
    return Reason(
        Sentence("Time"),
        Sentence(
            "N_w² / (2^EV · ISO/100) with working f/{working:.2f}, EV {ev:g}, ISO {iso:g}{film} → {time}; the "
            "same light at {others}; after a touch wait {settle:g} s",
            {
                "working": state.working_f_number,
                "ev": plan.light.ev100 - plan.kit.filter_stops,
                "iso": plan.kit.body.iso,
                "film": Sentence(", longer for the film beyond {s:g} s", {"s": film.from_s}) if film else "",
                "time": shutter_words(exposure.shutter_s),
                "others": ", ".join(others) if film is None else Sentence("other stops: meter anew"),
                "settle": plan.kit.times.settle_s,
            },
        ),
        Sentence("ISO 2720; extension factor (1 + m/p)²"),
    )


def _motion(candidate: Candidate, exposure: Exposure) -> list[Reason]:
    scene, criterion, state = candidate.scene, candidate.criterion, exposure.state
    assert criterion is not None
    smear = smear_for_floor_mm(frequency=criterion.frequency, share=_UNSEEN)
    depth = exposure.pose.to_camera_mm(scene.world_m)[:, 2]
    said: list[Sentence] = []
    for k in np.flatnonzero(scene.own_speeds_mm_s > 0.0).tolist():
        longest = longest_time_for_motion_s(
            speed_mm_s=float(scene.own_speeds_mm_s[k]),
            distance_mm=float(depth[k]),
            image_mm=state.image_distance_mm,
            allowed_smear_mm=smear,
        )
        said.append(Sentence("{mark}: {time}  ", {"mark": scene.names[k], "time": shutter_words(longest)}))
    declination = scene.plan.light.sky_declination_deg
    if declination is not None:
        longest = longest_time_for_stars_s(
            image_mm=state.image_distance_mm, declination_rad=math.radians(declination), allowed_smear_mm=smear
        )
        said.append(Sentence("stars and Moon at {d:+g}°: {time}", {"d": declination, "time": _words(longest)}))
    if not said:
        return []
    return [
        Reason(
            Sentence("Longest time without a smear that shows"),
            Sentence("{parts}", {"parts": tuple(said)}),
            Sentence("sinc(ν · smear) = 0.9; sidereal day 86164 s (from memory)"),
        )
    ]


def _hands(candidate: Candidate, exposure: Exposure) -> list[Reason]:
    """How long hands hold still enough: by this print, and by the schools' rules."""
    camera, criterion, state = candidate.scene.plan.camera, candidate.criterion, exposure.state
    if not camera.hand_held or criterion is None:
        return []
    smear = smear_for_floor_mm(frequency=criterion.frequency, share=_UNSEEN)
    own = smear / (camera.shake_rad_s * state.image_distance_mm)
    small_format = state.focal_mm * _SMALL_FORMAT_MM / candidate.scene.plan.kit.body.diagonal_mm
    longer = 2.0**camera.stabiliser_stops
    return [
        Reason(
            Sentence("Longest time by hand"),
            Sentence(
                "for this picture {own}; one over the focal length {plain}, one over twice that {half}; the "
                "stabiliser counted as {stops:g} stops",
                {
                    "own": shutter_words(own),
                    "plain": shutter_words(longer / small_format),
                    "half": shutter_words(0.5 * longer / small_format),
                    "stops": camera.stabiliser_stops,
                },
            ),
            Sentence("hands turn by 0.03 rad/s: at that 1/f smears a small format by 0.03 mm (common practice)"),
        )
    ]


def _tripod(candidate: Candidate, exposure: Exposure) -> list[Reason]:
    """What the tripod still swings when the shutter opens, and how long it would have to be waited."""
    plan, criterion, state = candidate.scene.plan, candidate.criterion, exposure.state
    tripod = plan.kit.tripod
    if tripod is None or tripod.swing_arcsec == 0.0 or plan.camera.hand_held or criterion is None:
        return []
    waited = plan.kit.times.waited_s
    across = 2.0 * tripod.swing_rad(waited, column_up=plan.camera.column_up) * state.image_distance_mm
    path = min(math.pi * tripod.swing_hz * exposure.shutter_s, 1.0) * across
    unseen = smear_for_floor_mm(frequency=criterion.frequency, share=_UNSEEN)
    enough = max(waited + tripod.decay_s * math.log(across / unseen), 0.0) if across > 0.0 else 0.0
    values: dict[str, object] = {"waited": waited, "path": 1000.0 * path, "enough": enough}
    return [
        Reason(
            Sentence("What the tripod still swings"),
            Sentence(
                "{path:.1f} µm in the picture {waited:.1f} s after a touch; {enough:.1f} s of waiting leave nothing "
                "that shows, however long the exposure", values,
            ),
            Sentence("A e^(−t/τ) to either side, never more than from side to side; sinc(ν · smear) = 0.9"),
        )
    ]  # fmt: skip


def _words(seconds: float) -> str:
    return shutter_words(seconds) if math.isfinite(seconds) else "∞"


def _certainty(candidate: Candidate) -> list[Reason]:
    found = candidate.confidence
    if found is None:
        return []
    scene = candidate.scene
    weakest = int(np.argmin(found.each))
    return [
        Reason(
            Sentence("How sure"),
            Sentence(
                "all musts hold in {all:.0f} of 100 tries; the least sure, {mark}, alone in {one:.0f}",
                {
                    "all": 100.0 * found.holds,
                    "mark": scene.names[int(found.points[weakest])],
                    "one": 100.0 * float(found.each[weakest]),
                },
            ),
            Sentence("Every ± drawn anew 1000 times as two standard deviations, seed 1"),
        )
    ]
