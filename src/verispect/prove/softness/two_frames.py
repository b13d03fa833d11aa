"""How well the spectra of marks agree with where two frames are said to be focused.

Of two frames every mark tells one thing, by how much its detail differs between them. Marks whose distance the plan
knows then tell where both were focused: the difference follows their distance in another way when the first was
focused elsewhere than when the second was.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from verispect.optics.blur import pupil_cones
from verispect.optics.lens_state import from_principal_point
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.prove.softness.rings import RingNet
from verispect.prove.softness.spectra import Model, misfits

Grey = NDArray[np.float32]
# Of fewer marks one that stands elsewhere than the plan has it decides.
_LEAST_MARKS = 4
# Rings that bear signal in both frames.
_LEAST_RINGS = 4


def misfit_of_two(
    candidate: Candidate, exposures: Sequence[Exposure], blocks: Sequence[Mapping[int, Grey]], pitch_mm: float
) -> float:
    """The median over the marks of what two frames so focused leave unexplained; nepers, NaN where too few tell.

    Parameters
    ----------
    exposures : sequence of Exposure
        The two, as they are said to have been taken.
    blocks : sequence of mapping of int to ndarray
        Of each frame the marks' square blocks of linear light, (n, n).
    """
    allowed = exposures[0].allowed_blur_mm
    assert candidate.criterion is not None
    wavelength = candidate.criterion.lights[len(candidate.criterion.lights) // 2][0]
    found = []
    for mark in sorted(set(blocks[0]) & set(blocks[1])):
        patches = [one[mark] for one in blocks]
        net = RingNet(patches[0].shape[0], max(allowed / pitch_mm, 0.8))
        seen = [net.seen(patch[None]) for patch in patches]
        sound = net.counted & np.all([one.signal[0] for one in seen], axis=0)
        if sound.sum() < _LEAST_RINGS:
            continue
        logs = []
        for exposure in exposures:
            point = from_principal_point(exposure.pose.to_camera_mm(candidate.scene.world_m[mark]), exposure.state)
            cone, state = pupil_cones(point, exposure.state), exposure.state
            frame = (state.image_distance_mm, state.working_f_number, float(cone.long_rate))
            logs.append(Model.at(frame, net, pitch_mm, np.atleast_1d(cone.sharp_at_mm), wavelength))
        powers = np.log([one.powers[0] for one in seen])
        found.append(float(misfits(powers[:, sound], np.array(logs)[..., sound])[0]))
    return float(np.median(found)) if len(found) >= _LEAST_MARKS else math.nan
