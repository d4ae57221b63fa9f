"""Aliases that every floor may import: what an array holds is part of its name."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float64]  # (frames,) one value per moment of a clock
SampleRows = NDArray[np.float64]  # (rows, frames) many numbers at the moments of one clock
Points = NDArray[np.float64]  # (points, 3) metres
PointBlock = NDArray[np.float64]  # (moments, points, 3) metres; one moment where they are the same at all
RowBlock = NDArray[np.float64]  # (moments, 3, points) metres, a row for each coordinate: worked out several at once
Coordinates = NDArray[np.float64]  # (points, 2) of a texture: to the right and downward, 0 to 1
Shares = NDArray[np.float64]  # (moments, points) how much something counts
Frames = NDArray[np.float64]  # (moments or 1, 4, 3) a deformer's coordinates
Matrices = NDArray[np.float64]  # (moments or 1, 4, 4)
Quaternions = NDArray[np.float64]  # (frames, 4) x, y, z, w, unit length
Places = NDArray[np.int64]  # (keys,) places of samples, or of five of them
Triangles = NDArray[np.int64]  # (triangles, 3) rows of Points
Json = Any
