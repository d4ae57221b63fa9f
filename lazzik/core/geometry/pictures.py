"""Pictures as masks: their brightness, read between its dots."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray

from lazzik.core.errors import InvalidAsset
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.types import Samples

LARGEST = 4096
"""Dots along one side."""


def read_grey(content: bytes) -> tuple[NDArray[np.float64], int]:
    """The brightness of a picture in [0, 1], the top row first; and its bytes.

    Returns
    -------
    ((rows, columns) array, int)
        0 to 1; bytes.

    Raises
    ------
    InvalidAsset
        If it is no picture, or too large a one.
    """
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(content), formats=("PNG", "JPEG")) as picture:
            if max(picture.size) > LARGEST:
                raise InvalidAsset(
                    f"A picture may have at most {LARGEST} dots along a side; it has {max(picture.size)}"
                )
            dots = np.asarray(picture.convert("L"), dtype=np.float64) / 255.0
            return dots, dots.nbytes
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise InvalidAsset(f"This is no PNG or JPEG picture that can be read ({error})") from None


def brightness(name: str, across: Samples, up: Samples, assets: AssetStore) -> Samples:
    """The brightness at places in [0, 1] across and up, straight between dots; its rim goes on beyond it.

    Parameters
    ----------
    across, up : (n,) arrays
        0 to 1 from the left and from the bottom.

    Returns
    -------
    (n,) array
        0 to 1.

    Raises
    ------
    UnknownAsset, InvalidAsset
        If the picture is not there, or damaged.
    """
    from scipy.ndimage import map_coordinates

    dots = assets.read(name, read_grey)
    rows, columns = (1.0 - up) * (dots.shape[0] - 1), across * (dots.shape[1] - 1)
    out: Samples = map_coordinates(dots, [rows, columns], order=1, mode="nearest")
    return out
