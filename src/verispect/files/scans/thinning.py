"""Thinning a stream of points: the first in every cube stays, and the cubes grow when there are too many."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Floats

# Cube numbers along an axis fit 21 bits each.
_BITS = 21
_MOST_CUBES = 2 ** (_BITS - 1) - 1


class Thinning:
    """Takes pieces of a cloud in turn; `places_m` is what stays.

    Parameters
    ----------
    voxel_m : float
        Edge of the cubes to begin with.
    most : int
        When more points than this stay, the edge is doubled.
    """

    def __init__(self, voxel_m: float, most: int) -> None:
        self.voxel_m = voxel_m
        self._most = most
        self._keys = np.zeros(0, np.int64)
        self.places_m: Floats = np.zeros((0, 3))

    def take(self, places_m: Floats) -> None:
        """Add a piece (P, 3)."""
        if len(places_m) == 0:
            return
        keys, fresh = self._first_in_cubes(places_m)
        known = np.zeros(len(keys), bool)
        if self._keys.size:
            at = np.minimum(np.searchsorted(self._keys, keys), self._keys.size - 1)
            known = self._keys[at] == keys
        order = np.argsort(np.concatenate([self._keys, keys[~known]]), kind="stable")
        self._keys = np.concatenate([self._keys, keys[~known]])[order]
        self.places_m = np.concatenate([self.places_m, fresh[~known]])[order]
        while len(self.places_m) > self._most:
            self.voxel_m *= 2.0
            self._keys, self.places_m = self._first_in_cubes(self.places_m)

    def _first_in_cubes(self, places_m: Floats) -> tuple[np.ndarray[tuple[int], np.dtype[np.int64]], Floats]:
        """Sorted numbers of the cubes that hold something, and the first place in each."""
        cubes = np.floor(places_m / self.voxel_m)
        while np.abs(cubes).max() > _MOST_CUBES:
            # So far out that the numbers run over: coarser cubes, for all from now on.
            self.voxel_m *= 2.0
            self._keys, self.places_m = np.zeros(0, np.int64), self.places_m
            if len(self.places_m):
                self._keys, self.places_m = self._first_in_cubes(self.places_m)
            cubes = np.floor(places_m / self.voxel_m)
        whole = cubes.astype(np.int64) + 2 ** (_BITS - 1)
        keys = (whole[:, 0] << (2 * _BITS)) | (whole[:, 1] << _BITS) | whole[:, 2]
        keys, first = np.unique(keys, return_index=True)
        return keys, places_m[first]
