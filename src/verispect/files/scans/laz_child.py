"""Unpacks a LAZ file in a process of its own: what its packed tables claim may ask for all memory there is.

    python -m verispect.files.scans.laz_child FILE

writes x, y, z as doubles to stdout, or one line to stderr and ends with 1.
"""

from __future__ import annotations

import resource
import struct
import sys

# Address space, with the packages that unpack; far more than any honest chunk takes.
MEMORY_BYTES = 3 * 2**30
AT_ONCE = 200_000


def main(path: str) -> int:
    """Unpack to stdout."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    import laspy
    import lazrs
    import numpy as np

    try:
        with laspy.open(path) as reader:
            for points in reader.chunk_iterator(AT_ONCE):
                places = np.column_stack([points.x, points.y, points.z]).astype("<f8")
                sys.stdout.buffer.write(places.tobytes())
    except (laspy.errors.LaspyException, lazrs.LazrsError, ValueError, EOFError, IndexError, KeyError, OSError,
            OverflowError, MemoryError, struct.error) as error:  # fmt: skip
        print(str(error).splitlines()[0][:120] if str(error) else type(error).__name__, file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
