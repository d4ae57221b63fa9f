"""Pictures: checked and kept, on surfaces, and as masks by their brightness."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from lazzik.core.errors import InvalidAsset
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.types import Samples

if TYPE_CHECKING:
    from PIL import Image

LARGEST = 4096
"""Dots along one side."""

LARGEST_FILE = 32 * 2**20
"""Bytes."""

ORIENTATION = 0x0112
"""Where cameras write how they were held (Exif)."""


PLAIN = ("1", "L", "LA", "P", "RGB", "RGBA")
"""Kinds of dots that every reader of PNG knows."""

UNREADABLE = (OSError, SyntaxError, ValueError, EOFError, zlib.error, struct.error)
"""What reading a picture that is none, or a damaged one, may raise."""


@contextmanager
def opened(content: bytes, *forms: str) -> Iterator[Image.Image]:
    """A picture, its dots read. Raises InvalidAsset if it is none, damaged, or too large: that is told from its head,
    before anything is made as large as it says."""
    from PIL import Image

    if len(content) > LARGEST_FILE:
        raise InvalidAsset(f"The picture is larger than {LARGEST_FILE // 2**20} MB, the most that one may have")
    try:
        with Image.open(io.BytesIO(content), formats=forms) as picture:
            if max(picture.size) > LARGEST:
                raise InvalidAsset(
                    f"A picture may have at most {LARGEST} dots along a side; it has {max(picture.size)}"
                )
            picture.load()
            yield picture
    except Image.DecompressionBombError:
        raise InvalidAsset(f"A picture may have at most {LARGEST} dots along a side; this one has far more") from None
    except UNREADABLE as error:
        wanted = " or ".join([", ".join(forms[:-1]), forms[-1]]) if len(forms) > 1 else forms[0]
        raise InvalidAsset(f"This is no {wanted} picture that can be read ({error})") from None


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
    with opened(content, "PNG", "JPEG") as picture:
        dots = np.asarray(picture.convert("L"), dtype=np.float64) / 255.0
    return dots, dots.nbytes


def kept(content: bytes) -> bytes:
    """A picture as it is kept: PNG and JPEG as they are, if every reader can show them; what is WebP, lies on its side
    or has dots of a rarer kind is turned into PNG. Raises InvalidAsset."""
    from PIL import ImageOps

    with opened(content, "PNG", "JPEG", "WEBP") as picture:
        upright = ImageOps.exif_transpose(picture)
        if picture.format in ("PNG", "JPEG") and picture.mode in PLAIN and upright.size == picture.size:
            turned = picture.getexif().get(ORIENTATION, 1) != 1
            if not turned:
                return content
        return _png(upright if upright.mode in PLAIN else upright.convert("RGB"))


@dataclass(frozen=True)
class PictureFacts:
    """What is known of a picture."""

    width: int
    height: int
    media: str
    clear: bool
    """Whether some of it lets through what is behind."""


def facts_of(content: bytes) -> tuple[PictureFacts, int]:
    """What is known of a kept picture, and what that weighs. Raises InvalidAsset."""
    with opened(content, "PNG", "JPEG") as picture:
        clear = "A" in picture.getbands() or "transparency" in picture.info
        width, height = picture.size
        return PictureFacts(width, height, f"image/{(picture.format or '').lower()}", clear), 64


def with_border(content: bytes) -> bytes:
    """A kept picture as PNG with a clear border of one dot, whose colour is that of the dots beside it: what is beyond
    its edge is nothing, without a rim of another colour."""
    from PIL import Image

    with opened(content, "PNG", "JPEG") as picture:
        dots = np.pad(np.asarray(picture.convert("RGBA")), ((1, 1), (1, 1), (0, 0)), mode="edge")
    dots[[0, -1], :, 3] = 0
    dots[:, [0, -1], 3] = 0
    return _png(Image.fromarray(dots, "RGBA"))


def _png(picture: Image.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


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
