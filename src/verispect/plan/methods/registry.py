"""Runs a method by its description; the modules are loaded when first wanted, so that the window opens at once."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module

from verispect.plan.methods.candidate import Candidate, unfit
from verispect.plan.methods.method import Method, method_of
from verispect.plan.methods.refine.between_samples import held_between
from verispect.plan.methods.refine.iso_choice import at_a_fitting_iso
from verispect.plan.methods.refine.own_bracket import focused_by_body
from verispect.plan.scene.scene import Scene
from verispect.sentence import Sentence
from verispect.subject.camera import Around


def solver_of(method: Method) -> Callable[[Scene], Candidate]:
    """The function of the method's own module."""
    name = method.key.replace("-", "_")
    found: Callable[[Scene], Candidate] = getattr(import_module(f"verispect.plan.methods.{name}"), name)
    return found


def worked(key: str, scene: Scene, *, is_told: bool = True) -> Candidate:
    """One method worked out, at an ISO that what moves allows.

    Not told, one that does not hold may be softer than it says.
    """
    method = method_of(key)
    if scene.plan.camera.around != Around.PICTURE and not method.turns:
        return unfit(key, scene, Sentence("What goes all round takes a head that turns, and a grid on it"))
    solve = solver_of(method)

    def solver(sampled: Scene) -> Candidate:
        return focused_by_body(solve(sampled))

    found = at_a_fitting_iso(lambda tried: held_between(solver, tried, is_told=is_told), scene)
    if scene.plan.camera.hand_held and found.frame_count > 1:
        return unfit(key, scene, Sentence("By hand no two frames lie alike: {n} frames need a tripod",
                                          {"n": found.frame_count}))  # fmt: skip
    return found
