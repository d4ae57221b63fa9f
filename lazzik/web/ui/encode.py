"""Values over the wire: msgpack, with arrays as raw little-endian float32."""

from __future__ import annotations

from base64 import b64decode
from collections.abc import Iterator
from itertools import chain
from typing import Any

import msgpack
import numpy as np
from fastapi import Response
from fastapi.responses import FileResponse, StreamingResponse
from numpy.typing import NDArray

from lazzik.core.errors import InvalidEdit
from lazzik.core.types import Samples

PACKED = "application/msgpack"


FRESH = {"Cache-Control": "no-store"}


class Download(FileResponse):
    """A file to be taken away, read in pieces so large that it comes as fast as the wire lets it."""

    chunk_size = 2**20


def packed(content: Any) -> Response:
    """A response that the page unpacks."""
    return Response(msgpack.packb(content), media_type=PACKED, headers=FRESH)


def streamed(head: dict[str, Any], name: str, rows: Iterator[tuple[str, Any]], count: int) -> Response:
    """A response as of `packed`, whose last entry is a table of `count` rows: each is asked for when it is sent, so
    that no more is held than `rows` works out at once, however large the whole is. The first one is worked out before
    the answer begins, so that what is wrong with it can still be said."""
    packer = msgpack.Packer()
    begin = packer.pack_map_header(len(head) + 1)
    begin += b"".join(packer.pack(part) for pair in head.items() for part in pair)
    begin += packer.pack(name) + packer.pack_map_header(count)
    first = next(rows, None)

    def parts() -> Iterator[bytes]:
        yield begin
        for slug, row in chain([first] if first else [], rows):
            yield packer.pack(slug) + packer.pack(row)

    return StreamingResponse(parts(), media_type=PACKED, headers=FRESH)


def floats(values: NDArray[np.float64]) -> bytes:
    """An array's bytes; its shape is known from what it is."""
    return np.ascontiguousarray(values, dtype="<f4").tobytes()


def weights_in(text: str) -> Samples:
    """The numbers that a brush painted: base64 of float32.

    Returns
    -------
    (n,) array

    Raises
    ------
    InvalidEdit
        If they are no such numbers.
    """
    try:
        return np.frombuffer(b64decode(text, validate=True), "<f4").astype(np.float64)
    except ValueError:
        raise InvalidEdit("The painted weights can't be read", "weights") from None
