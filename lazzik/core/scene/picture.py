"""A picture on a surface: which one, where it lies on it, and what is beyond its edge.

A surface has texture coordinates u to the right and v downward, each from 0 to 1 (as in glTF). A picture of size s that
lies x to the right and y upward of the middle is seen at

    u' = (u − ½ − x)/s + ½,   v' = (v − ½ + y)/s + ½

so moving x by 1 moves it by the width of the surface. In both coordinates that is a scale 1/s and an offset, which is
what glTF (KHR_texture_transform) and OpenUSD (UsdTransform2d) write.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from lazzik.core.document import Frozen, Label, Option, Quantity
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Samples

Beyond = Literal["clear", "last", "mirror", "repeat"]

Across = Annotated[
    Number,
    Quantity(
        "×", "How far the picture lies to the right, in widths of the surface.", (-1, 1), 0.01, rest=0.0, label="across"
    ),
]
Up = Annotated[
    Number,
    Quantity("×", "How far the picture lies upward, in heights of the surface.", (-1, 1), 0.01, rest=0.0, label="up"),
]


class Picture(Frozen):
    """A PNG or JPEG on a surface with texture coordinates; the surface's colour tints it."""

    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    label: Label = "Picture"
    x: Across = 0.0
    y: Up = 0.0
    size: Annotated[
        Number,
        Quantity("×", "Times the size of the surface.", (0.1, 3), 0.01, low=1e-3, rest=1.0, label="picture size"),
    ] = 1.0
    beyond: Annotated[
        Beyond,
        Option(
            "What is beyond its edge: nothing, its last row of dots, its mirror image, or itself again.",
            label="beyond its edge",
            words={"clear": "nothing", "last": "its last row", "mirror": "mirrored", "repeat": "again"},
        ),
    ] = "clear"


def transform(x: float | Samples, y: float | Samples, size: float | Samples) -> NDArray[np.float64]:
    """Offset and scale of texture coordinates.

    Parameters
    ----------
    x, y, size : float or (frames,) arrays
        Shares of the surface.

    Returns
    -------
    (frames, 4) array
        Offset of u and v, scale of u and v.
    """
    x, y, s = np.broadcast_arrays(*(np.atleast_1d(np.asarray(value, dtype=float)) for value in (x, y, size)))
    scale = 1.0 / s
    return np.stack([0.5 - (0.5 + x) * scale, 0.5 - (0.5 - y) * scale, scale, scale], axis=1)


def bordered(rows: NDArray[np.float64], width: int, height: int) -> NDArray[np.float64]:
    """The transform for the picture with a clear border of one dot around it.

    Parameters
    ----------
    rows : (frames, 4) array
        As of `transform`.

    Returns
    -------
    (frames, 4) array
        The same place on the surface.
    """
    share = np.array([width / (width + 2), height / (height + 2)])
    out = np.array(rows)
    out[:, :2] = rows[:, :2] * share + (1.0 - share) / 2
    out[:, 2:] = rows[:, 2:] * share
    return out
