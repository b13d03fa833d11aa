"""Which frames can be laid over one another: chains that pass by a frame which shows something else."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from verispect.prove.align.motion import Motion

# With so many chains another frame is tried.
_MOST_CHAINS = 3


def longest_chain(numbers: Sequence[int], motion: Callable[[int, int], Motion]) -> tuple[list[int], list[Motion]]:
    """The most frames that can be laid each over the one before it in the chain, and how.

    A frame that shows something else, or nothing that is sharp, is passed by: those after it shall neither be judged
    nor placed by it.

    Parameters
    ----------
    numbers : sequence of int
        The frames in order.
    motion : callable
        The motion that lays the first of two frames over the second, which stands before it.

    Returns
    -------
    members, motions
        One motion fewer than members.
    """
    chains: list[tuple[list[int], list[Motion]]] = []
    for number in numbers:
        # What was taken just before first, then what the most have in common.
        for members, motions in sorted(chains, key=lambda chain: (-chain[0][-1], -len(chain[0])))[:_MOST_CHAINS]:
            found = motion(number, members[-1])
            if found.trusted:
                members.append(number)
                motions.append(found)
                break
        else:
            chains.append(([number], []))
    return max(chains, key=lambda chain: len(chain[0]))
