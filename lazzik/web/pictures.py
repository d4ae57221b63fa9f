"""Pictures of stages that browsers send: bounded, and looked at before they are kept."""

from __future__ import annotations

import io
from typing import Annotated

from fastapi import Depends, Request

from lazzik.core.errors import InvalidAsset
from lazzik.web.security import TooLarge

MOST_BYTES = 400_000
MOST_DOTS = 1200
"""Along one side."""

MEDIA = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}


async def _bounded(request: Request) -> bytes:
    body = bytearray()
    async for part in request.stream():
        body += part
        if len(body) > MOST_BYTES:
            raise TooLarge
    return bytes(body)


Sent = Annotated[bytes, Depends(_bounded)]
"""The bytes of a body, bounded."""


def media_type_of(content: bytes) -> str:
    """The media type of a picture that can be shown. Raises InvalidAsset for what is none, or too large."""
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(content), formats=tuple(MEDIA)) as picture:
            if max(picture.size) > MOST_DOTS:
                raise InvalidAsset(f"A picture of a stage may have at most {MOST_DOTS} dots along a side")
            picture.load()
            return MEDIA[picture.format or ""]
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, KeyError, Image.DecompressionBombError) as error:
        raise InvalidAsset(f"This is no picture that can be kept ({error})") from None
