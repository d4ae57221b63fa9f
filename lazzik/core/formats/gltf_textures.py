"""Pictures in a glTF file: the image as it is kept or with a clear border, how it is read, and the texture of both.

What is beyond a picture's edge is the standard's wrapping; nothing is the last row of a clear border (repeated), read
from the picture itself alone: in a smaller copy of it the border would mix with what it goes around.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from lazzik.core.geometry.assets import AssetStore
from lazzik.core.geometry.pictures import PictureFacts, facts_of, with_border
from lazzik.core.scene.picture import Beyond, Picture

TRANSFORM = "KHR_texture_transform"

WRAPS: dict[Beyond, int] = {"clear": 33071, "last": 33071, "mirror": 33648, "repeat": 10497}
"""The standard's numbers for what is beyond a picture's edge."""

LINEAR, SMALLER = 9729, 9987
"""And for reading between dots, in the picture itself or in smaller copies of it."""


@dataclass
class Textures:
    """The pictures of one file, each written once."""

    assets: AssetStore
    put: Callable[[str, dict[str, Any]], int]
    """Adds a part to the file; gives its number."""
    view: Callable[[bytes], int]
    """Adds bytes to the file; gives the number of what refers to them."""
    written: dict[tuple[str, Beyond], int] = field(default_factory=dict)
    """Textures by picture, and by what is beyond its edge."""
    images: dict[tuple[str, bool], int] = field(default_factory=dict)
    """By picture, and whether it has a clear border."""

    def of(self, picture: Picture) -> int:
        """The number of a picture's texture. Raises UnknownAsset, InvalidAsset."""
        key = (picture.asset, picture.beyond)
        if key not in self.written:
            wrap, least = WRAPS[picture.beyond], LINEAR if picture.beyond == "clear" else SMALLER
            sampler = self.put("samplers", {"wrapS": wrap, "wrapT": wrap, "magFilter": LINEAR, "minFilter": least})
            self.written[key] = self.put("textures", {"source": self._image(picture), "sampler": sampler})
        return self.written[key]

    def lets_through(self, picture: Picture) -> bool:
        """Whether what is behind is seen through some of it."""
        return picture.beyond == "clear" or self._facts(picture).clear

    def _facts(self, picture: Picture) -> PictureFacts:
        return self.assets.read(picture.asset, facts_of)

    def _image(self, picture: Picture) -> int:
        key = (picture.asset, picture.beyond == "clear")
        if key not in self.images:
            content, media = self.assets.content(picture.asset), self._facts(picture).media
            if key[1]:
                content, media = with_border(content), "image/png"
            row = {"bufferView": self.view(content), "mimeType": media, "name": picture.label}
            self.images[key] = self.put("images", row)
        return self.images[key]
