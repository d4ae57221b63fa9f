"""Where pictures lie on their surfaces over time."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.geometry.pictures import facts_of
from lazzik.core.scene.picture import Picture, bordered, transform


def picture_rows(picture: Picture, assets: AssetStore, clock: Clock, scope: Scope) -> NDArray[np.float64]:
    """Offset and scale of texture coordinates as the picture is drawn: with its clear border, if nothing is beyond it.

    Returns
    -------
    (frames, 4) array, or (1, 4) where it lies still
        Offset of u and v, scale of u and v.
    """
    rows = transform(*(value_of(picture, name, clock, scope) for name in ("x", "y", "size")))
    if picture.beyond != "clear":
        return rows
    facts = assets.read(picture.asset, facts_of)
    return bordered(rows, facts.width, facts.height)
