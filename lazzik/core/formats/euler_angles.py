"""Euler angles along a motion.

An orientation has two writings in them, and each angle may have whole turns more; of all these the one is taken that is
nearest to the one before, so that angles go on where the orientation does.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.kernels import kernel
from lazzik.core.types import Points, Quaternions


def euler_angles(q: Quaternions) -> Points:
    """Degrees about own axes x, y, z.

    Parameters
    ----------
    q : (n, 4) array
        x, y, z, w, of unit length.

    Returns
    -------
    (n, 3) array
        Each row the writing that is nearest to the row before.
    """
    # at the pole one angle is free
    angles = np.ascontiguousarray(Turn.from_quat(q).as_euler("XYZ", degrees=True, suppress_warnings=True))
    take_nearest(angles)
    return np.where(np.abs(angles) < 1e-12, 0.0, angles)


@kernel("void(float64[:, ::1])")
def take_nearest(angles: Points) -> None:
    """Write each row as the nearest to the row before: by the least sum of what the three angles differ.

    Parameters
    ----------
    angles : (n, 3) array
        Degrees about own axes x, y, z; written anew from the second row on.
    """
    near = np.empty((2, 3))
    for i in range(1, angles.shape[0]):
        near[0, 0], near[0, 1], near[0, 2] = angles[i, 0], angles[i, 1], angles[i, 2]
        near[1, 0], near[1, 1], near[1, 2] = angles[i, 0] + 180.0, 180.0 - angles[i, 1], angles[i, 2] + 180.0
        least, taken = np.inf, 0
        for k in range(2):
            apart = 0.0
            for axis in range(3):
                near[k, axis] += 360.0 * np.rint((angles[i - 1, axis] - near[k, axis]) / 360.0)
                apart += abs(near[k, axis] - angles[i - 1, axis])
            if apart < least:
                least, taken = apart, k
        for axis in range(3):
            angles[i, axis] = near[taken, axis]
