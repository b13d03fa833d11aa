"""The order of work on site and the cautions that belong to it (common practice)."""

from __future__ import annotations

from verispect.plan.candidate import Candidate
from verispect.plan.dial import dial
from verispect.sentence import Sentence


def steps(candidate: Candidate) -> list[Sentence]:
    """What to do, in order, for a method."""
    exposure = candidate.exposures[0]
    camera = candidate.scene.plan.camera
    first = [
        Sentence(
            "Set the tripod so that the lens stands {height:.2f} m above the ground; level the head",
            {"height": camera.height_m},
        ),
        Sentence(
            "Fit {lens} at {focal:.4g} mm; stabiliser off, autofocus off, raw files, manual exposure, ISO {iso:g}",
            {
                "lens": exposure.lens.name,
                "focal": exposure.state.focal_mm,
                "iso": candidate.scene.plan.kit.body.iso,
            },
        ),
    ]
    return [*first, *_of_method(candidate), *_last(candidate)]


def _of_method(candidate: Candidate) -> list[Sentence]:
    first = candidate.exposures[0]
    setting = Sentence(
        "Set the movements and lock them, they stay for all frames: {dial}",
        {"dial": dial(first.lens, candidate.scene.plan.kit.body, first.state.axis).words},
    )
    if candidate.key == "one-frame":
        return [Sentence("Focus at the distance given, in live view at full magnification on something there")]
    if candidate.key == "tilt":
        return [
            setting,
            Sentence("Focus at the distance given; look at the nearest and the farthest mark at full magnification"),
            Sentence("If one is soft, correct the tilt first, then the focus, and look again"),
        ]
    if candidate.key in ("series", "tilt-series"):
        series = [
            Sentence("Work from the nearest focus to the farthest, never back; touch nothing but the focus"),
            Sentence("Trigger by cable or timer and wait until nothing shakes"),
        ]
        return [setting, *series] if candidate.key == "tilt-series" else series
    if candidate.key == "shift-grid":
        return [
            Sentence("Hold the lens still and move the back to each place; focus stays for all frames"),
            Sentence("Keep exposure and white balance the same for all frames"),
        ]
    if candidate.key == "rail-series":
        return [
            Sentence("Set the focus once and lock it; lay the rail along the view and begin at its rear end"),
            Sentence(
                "Move the camera forward by the figures, never back; they are millimetres: check the rail's unit"
            ),
            Sentence("Trigger by cable or timer and wait until nothing shakes"),
        ]
    own = (
        Sentence("In every frame take its whole series, near to far, before you turn on")
        if candidate.key == "turned-grid-series"
        else Sentence("Work row by row from the top, left to right; set each frame's own focus")
    )
    return [
        Sentence("Set the head so that it turns about the entrance pupil: near and far must not move apart"),
        own,
        Sentence("Keep exposure and white balance the same for all frames"),
    ]


def _last(candidate: Candidate) -> list[Sentence]:
    if candidate.frame_count == 1:
        return [Sentence("Look at every mark at full magnification before moving the camera")]
    return [
        Sentence("A hand before the lens marks the end of the run, so that its frames are not mixed with others"),
        Sentence("Look at every mark in its best frame at full magnification before moving the camera"),
    ]


def cautions() -> list[Sentence]:
    """Where the work can hurt someone."""
    return [
        Sentence("Never look at the Sun through a lens or finder, nor point a lens at it without a solar filter"),
        Sentence("Watch your footing near edges, water and roads; weigh the tripod down, keep ways clear"),
        Sentence("Keep tall gear away from overhead lines, and mains power away from wet ground"),
        Sentence("Heavy gear overhead needs a second, independent fixing; warn people before flash is used"),
        Sentence("Site rules, local codes and permits come first; leave licensed work to those who hold the licence"),
    ]
