"""Damages files of every kind that is read, many thousand times; tells which reader does not answer in a sentence.

    .venv/bin/python tools/fuzz_readers.py [TIMES] [KIND …]

Each kind in a process of its own that may take 3 GB and ten seconds a file.
"""

from __future__ import annotations

import resource
import signal
import subprocess
import sys
import tempfile
import time
import traceback
import warnings
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.files.mutants import MAKERS, answers, damaged, whole

MEMORY, SECONDS = 3 * 2**30, 10


def _slow(_number: int, _frame: object) -> None:
    raise TimeoutError(f"longer than {SECONDS} s")


def fuzz(kind: str, times: int) -> tuple[list[str], float]:
    """What went wrong with damaged files of a kind, and the longest that one took."""
    warnings.simplefilter("ignore")
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    signal.signal(signal.SIGALRM, _slow)
    wrong: dict[str, int] = {}
    longest = 0.0
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        good = whole(kind, folder)
        for seed in range(times):
            content = damaged(good, np.random.default_rng(seed))
            signal.alarm(SECONDS)
            began = time.perf_counter()
            try:
                said = answers(kind, content, folder)
            except Exception as error:  # noqa: BLE001 - whatever it is, it is what is looked for
                last = traceback.extract_tb(error.__traceback__)[-1]
                said = f"{type(error).__name__}: {str(error)[:80]} ({Path(last.filename).name}:{last.lineno})"
            finally:
                signal.alarm(0)
            longest = max(longest, time.perf_counter() - began)
            if said is not None and said not in wrong:
                wrong[said] = seed
    return [f"seed {seed}: {said}" for said, seed in wrong.items()], longest


def main(given: list[str]) -> int:
    """Fuzz and tell; 1 where anything went wrong."""
    times = int(given[0]) if given else 10_000
    if len(given) == 2:
        wrong, longest = fuzz(given[1], times)
        print(f"{given[1]:16} {times} damaged, {len(wrong)} answers that are none, at most {longest:.2f} s")
        for line in wrong[:12]:
            print(f"    {line}")
        return int(bool(wrong))
    failed = 0
    for kind in given[1:] or list(MAKERS):
        # A process each: one that is killed for its memory, or dies, takes nobody along.
        ran = subprocess.run(
            [sys.executable, __file__, str(times), kind], stdout=subprocess.PIPE, text=True, check=False
        )
        print(ran.stdout or f"{kind}: the process died ({ran.returncode})", end="", flush=True)
        failed += ran.returncode != 0
    return int(failed > 0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
