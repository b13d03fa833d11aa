"""The command line: `verispect [FILE]`, `verispect --demo`, and the commands without a window."""

from __future__ import annotations

import argparse
import gc
import os
import sys
from collections.abc import Callable, Sequence
from importlib import import_module
from pathlib import Path

from verispect.errors import VerispectError

DONE, BAD_INPUT, STOPPED = 0, 2, 130
_TALKATIVE = ("tifffile", "exifread", "PIL", "trimesh", "laspy")
# Each in a module of its own, loaded when it is asked for.
COMMANDS = {
    "weigh": "weigh every method of a plan",
    "check": "check frames against one another and the plan",
    "close-test": "what a lens frames at its closest, from a picture of a ruler",
    "compare": "the same patches of several frames: which is sharper",
    "join": "join a grid into one picture",
    "lens-test": "what a lens resolves by stop, from test frames",
    "light": "Sun, Moon and daylight at the plan's place and time",
    "log": "the logbook of jobs",
    "merge": "merge a focus series into one all-sharp picture",
    "return": "how the camera stands against where it stood, and what brings it back",
    "pupil-test": "where a lens turns without parallax, and its field, from two frames",
    "recycle-test": "how long a flash takes until it is full again",
    "settings": "what to set for a method, frame by frame",
    "settle-test": "how long a tripod rings after a touch, from a burst",
    "sheet": "write the field sheet",
    "shelf": "the gear that is really there",
    "sort": "copy frames into a folder a set, each with a sidecar",
    "step-test": "what one unit of a body's focus-step number is",
    "tilt-test": "how far a lens really tilts, from a run of focus over a wall",
    "run": "have a rail or a head take the frames of a method",
    "rehearse": "write the frames that a simulated camera would take",
    "retouch": "take parts of a merged picture from one of its frames",
}

# Read, reckoned and printed in about a second, of which a fifth went into looking for garbage and clearing up.
_BRIEF = ("weigh", "settings", "light")

# Where a command's word is one of Python's own.
_MODULES = {"return": "return_to"}


def entered() -> int:
    """Run Verispect as a program of its own: of what is brief, the end of the process gives back the memory."""
    brief = sys.argv[1:2] and sys.argv[1] in _BRIEF
    if brief:
        gc.disable()
    code = main()
    if brief:
        os._exit(code)
    return code


def main(arguments: Sequence[str] | None = None) -> int:
    """Run Verispect; 0 when done, 1 where a check failed, 2 for bad input with one sentence, 130 when stopped."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    # Our matrices are small: threads that wait for work of theirs cost more than all they do. Before NumPy is loaded.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    # Modules and what a plan needs are there to stay: looking through them for what is not only takes time.
    gc.set_threshold(50_000, 20, 50)
    # None is used, and to look for some the description of every package there is would be read.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    try:
        if given and given[0] in COMMANDS:
            room = "commands.trials" if given[0].endswith("-test") else "commands"
            name = _MODULES.get(given[0], given[0].replace("-", "_"))
            if given[0] not in _BRIEF:
                _quieten()
            run: Callable[[Sequence[str]], int] = import_module(f"verispect.{room}.{name}").run
            code = run(given[1:])
            # Here, where a full disk or a reader that has gone can still be told.
            sys.stdout.flush()
            return code
        _quieten()
        return _window(given)
    except VerispectError as error:
        print(f"verispect: {error}", file=sys.stderr)
        return BAD_INPUT
    except KeyboardInterrupt:
        return STOPPED
    except BrokenPipeError:
        return DONE
    except OSError as error:
        where = f"{error.filename}: " if error.filename else ""
        print(f"verispect: {where}{(error.strerror or str(error)).lower()}", file=sys.stderr)
        return BAD_INPUT
    except Exception as error:
        # The last resort: whoever meets a fault of ours is told so in a sentence, and where it is for us.
        if os.environ.get("VERISPECT_TRACEBACK"):
            raise
        print(f"verispect: {_fault(error)}", file=sys.stderr)
        return BAD_INPUT


def _quieten() -> None:
    """What libraries find odd in a damaged picture or scan is theirs; the user is told one sentence."""
    import logging

    for library in _TALKATIVE:
        logging.getLogger(library).setLevel(logging.CRITICAL)


def _fault(error: Exception) -> str:
    import traceback

    last = traceback.extract_tb(error.__traceback__)[-1]
    return (
        f"a fault of this program, not of your files, which are as they were: {type(error).__name__}: {error} "
        f"({Path(last.filename).name}, line {last.lineno}); VERISPECT_TRACEBACK=1 shows more"
    )


def _window(given: list[str]) -> int:
    listed = "\n".join(f"  verispect {name:<12} {what}" for name, what in COMMANDS.items())
    parser = argparse.ArgumentParser(
        prog="verispect",
        description="Plan how to render something large and deep sharp throughout.",
        epilog=f"Without a window (each with --help):\n{listed}",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("file", type=Path, nargs="?", help="a .verispect plan to open")
    parser.add_argument("--demo", action="store_true", help="open the demo plan")
    options = parser.parse_args(given)
    # Until the window stands: what is made on the way there is there to stay.
    gc.disable()
    from verispect.ui.window.application import run

    return run(options.file, demo=options.demo)


if __name__ == "__main__":
    sys.exit(entered())
