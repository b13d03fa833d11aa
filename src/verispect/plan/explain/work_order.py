"""The order of work on site and the cautions that belong to it (common practice)."""

from __future__ import annotations

from verispect.kit.scale_settings import dial
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import MOVEMENTS
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
    set_to = dial(first.lens, candidate.scene.plan.kit.body, first.state.axis).words
    return [
        Sentence(step, {"dial": set_to}) if step == MOVEMENTS else Sentence(step) for step in candidate.method.steps
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
