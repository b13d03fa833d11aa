"""`verispect run`: have a rail or a head, real or simulated, take the frames of a method by itself."""

from __future__ import annotations

import signal
import sys
from collections.abc import Sequence
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

from verispect.commands.invocation import (
    DONE,
    FAILED,
    STOPPED,
    parser,
    progress,
    read_plan_of,
    size,
    tell,
    worked_method,
)
from verispect.errors import FileError

if TYPE_CHECKING:
    from verispect.rig.device_program import Stop

_AXIS_FREE = (
    "The rig is about to move. Does the camera stand at its zero (a rail at its first frame, a head straight ahead "
    "and level)? Is the axis free: nobody and nothing in its way, cables loose, gear secured?\n"
    "Type yes to let it move: "
)


def run(given: Sequence[str]) -> int:
    """Drive the rig; Ctrl+C stops it, and the same command goes on with what is left."""
    options_of = parser("run", "Have a rail or a head take the frames of a method by itself.")
    options_of.add_argument("plan", type=Path)
    options_of.add_argument("--method", metavar="KEY", help="the advised one by default")
    options_of.add_argument("--out", type=Path, required=True, metavar="DIR",
                            help="where the camera's pictures arrive, and run.json is kept")  # fmt: skip
    where = options_of.add_mutually_exclusive_group(required=True)
    where.add_argument("--port", type=Path, metavar="DEVICE", help="of the controller, such as /dev/ttyUSB0")
    where.add_argument("--simulated", action="store_true", help="a rig that is not there")
    options_of.add_argument("--rig-fault", action="append", default=[], metavar="NAME@MOVE",
                            help="of the simulated rig: stall, lost-step, unplugged, low-battery")  # fmt: skip
    options_of.add_argument(
        "--camera",
        action="append",
        default=[],
        metavar="NAME=FIGURE",
        help="of the simulated camera: timer, write, recycle in seconds; buffer, card in frames",
    )
    options_of.add_argument("--home", action="store_true",
                            help="first to the switches, which must stand at the program's zero (G28)")  # fmt: skip
    options_of.add_argument("--pixels", type=size, default=(900, 600), metavar="WxH", help="of the simulated camera")
    options_of.add_argument("--axis-free", action="store_true", help="you have looked: the axis is free")
    options = options_of.parse_args(given)
    if options.rig_fault and not options.simulated:
        raise FileError("--rig-fault is for --simulated: a real rig has its own")
    if options.camera and not options.simulated:
        raise FileError("--camera is for --simulated: a real camera has its own manner")
    from verispect.rig.camera_manner import manner_of, with_figures
    from verispect.rig.device_program import RigError
    from verispect.rig.drive import RigStopError
    from verispect.rig.simulated_rig import parse_rig_fault
    from verispect.shoot.driven_run import DrivenRun

    candidate = worked_method(options.plan, read_plan_of(options.plan), options.method)
    faults = [parse_rig_fault(text) for text in options.rig_fault]
    manner = with_figures(manner_of(candidate.scene.plan.kit.times), options.camera)
    driven = DrivenRun(candidate, options.out, plan_file=options.plan)
    if not (options.simulated or options.axis_free or _asked()):
        raise FileError("nothing was moved: say --axis-free once you have looked, or answer yes")
    stop = _Stop()
    say = progress(options.quiet)
    told = why = None
    try:
        driven.go(
            options.port, pixels=options.pixels, faults=faults, manner=manner, home=options.home,
            is_stopped=stop.is_asked,
            says=lambda text: say(driven.share, text), set_focus=None if options.simulated else _focus_asked,
        )  # fmt: skip
    except RigStopError as error:
        told, why = STOPPED, str(error)
    except RigError as error:
        told, why = FAILED, str(error)
    finally:
        stop.put_back()
    if why is not None:
        print(f"verispect: {why}", file=sys.stderr)
    done = sum(item.step == "done" for item in driven.state.items)
    tell(
        {"format": "verispect-driven", "version": 1, "method": candidate.key, "run": str(driven.run_file),
         "taken": done, "planned": candidate.shot_count, "why_ended": why},
        f"{done} of {candidate.shot_count} frames taken; kept in {driven.run_file}"
        + ("" if why is None else "; the same command goes on with the rest"),
        as_json=options.json,
    )  # fmt: skip
    return DONE if told is None else told


def _asked() -> bool:
    if not sys.stdin.isatty():
        return False
    print(_AXIS_FREE, end="", file=sys.stderr, flush=True)
    return sys.stdin.readline().strip().lower() == "yes"


def _focus_asked(stop: Stop) -> None:
    from verispect.plan.setting.words import metres

    print(f"Set the focus to {metres(stop.focus_m)}, then press Return", file=sys.stderr, flush=True)
    sys.stdin.readline()


class _Stop:
    """Ctrl+C asks for a stop instead of breaking off in the middle of a line."""

    def __init__(self) -> None:
        self._asked = False
        self._before = signal.signal(signal.SIGINT, self._ask)
        self._before_term = signal.signal(signal.SIGTERM, self._ask)

    def _ask(self, _number: int, _frame: FrameType | None) -> None:
        self._asked = True

    def is_asked(self) -> bool:
        """Whether it was asked for."""
        return self._asked

    def put_back(self) -> None:
        """Ctrl+C means what it did before."""
        signal.signal(signal.SIGINT, self._before)
        signal.signal(signal.SIGTERM, self._before_term)
