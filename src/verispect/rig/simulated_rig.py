"""A whole rig that is not there: the simulated controller and a simulated camera, each a process of its own."""

from __future__ import annotations

import multiprocessing
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from verispect.plan.frames.shots import Shot
from verispect.plan.methods.candidate import Candidate
from verispect.rehearse.camera import Options
from verispect.rig.camera_manner import Manner, manner_of
from verispect.rig.device_program import RigError
from verispect.rig.simulated_controller import RigFault
from verispect.rig.tethered_camera import watch

# A simulated rig goes this much faster than a real one.
RUSH = 20.0


def parse_rig_fault(text: str) -> tuple[RigFault, int]:
    """`stall@3`: a fault and the move at which it happens, counted from 1.

    Raises
    ------
    RigError
        With what would be right.
    """
    name, _, at = text.partition("@")
    if name not in set(RigFault) or not at.isdigit() or int(at) < 1:
        raise RigError("rig fault {text!r}: write NAME@MOVE, moves counted from 1, with a name of {names}", text=text,
                       names=", ".join(RigFault))  # fmt: skip
    return RigFault(name), int(at)


@contextmanager
def controller_process(
    triggers: Path, *, slack: float = 0.0, faults: Sequence[tuple[RigFault, int]] = (), rush: float = RUSH
) -> Iterator[Path]:
    """Give the port of a simulated controller that writes its triggers into a file; it ends with the block."""
    controller = subprocess.Popen(
        [sys.executable, "-m", "verispect.rig.simulated_controller", str(triggers), f"{slack:g}", f"{rush:g}",
         *(f"{name}@{at}" for name, at in faults)],
        stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert controller.stdout is not None
    try:
        port = controller.stdout.readline().strip()
        if not port:
            raise RigError("The simulated controller did not start")
        yield Path(port)
    finally:
        controller.terminate()
        controller.wait(timeout=5.0)
        controller.stdout.close()


@contextmanager
def simulated_rig(
    candidate: Candidate,
    folder: Path,
    *,
    order: Sequence[tuple[Shot, ...]],
    pixels: tuple[int, int],
    slack: float = 0.0,
    faults: Sequence[tuple[RigFault, int]] = (),
    manner: Manner | None = None,
) -> Iterator[Path]:
    """Give the port of a controller whose camera writes into a folder; both end with the block.

    Parameters
    ----------
    order : sequence of tuple of Shot
        What each trigger takes, in the order in which they will come.
    manner : Manner, optional
        Of the camera; as the plan reckons with it where none is given.
    """
    context = multiprocessing.get_context("spawn")
    over = context.Event()
    with tempfile.TemporaryDirectory(prefix="verispect-rig-") as place:
        triggers = Path(place) / "triggers"
        camera = context.Process(
            target=_camera,
            args=(candidate, pixels, triggers, folder, list(order), over,
                  manner or manner_of(candidate.scene.plan.kit.times)),
            daemon=True,
        )  # fmt: skip
        with controller_process(triggers, slack=slack, faults=faults) as port:
            try:
                camera.start()
                yield port
            finally:
                over.set()
                if camera.pid is not None:
                    camera.join(timeout=2.0)
                    camera.terminate()


def _camera(
    candidate: Candidate,
    pixels: tuple[int, int],
    triggers: Path,
    folder: Path,
    order: list[tuple[Shot, ...]],
    over: Any,
    manner: Manner,
) -> None:
    parent = multiprocessing.parent_process()

    def is_over() -> bool:
        # Whoever started it may be killed without a word.
        return bool(over.is_set()) or parent is None or not parent.is_alive()

    options = Options(pixels=pixels)
    watch(candidate, options, triggers, folder, order=order, is_over=is_over, manner=manner, rush=RUSH)
