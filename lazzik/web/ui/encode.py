"""Values over the wire: msgpack, with arrays as raw little-endian bytes; most of them are float32."""

from __future__ import annotations

import asyncio
from base64 import b64decode
from collections.abc import AsyncIterator, Iterator
from itertools import chain
from typing import Any

import msgpack
import numpy as np
from fastapi import Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, StreamingResponse
from numpy.typing import NDArray

from lazzik.core.errors import InvalidEdit
from lazzik.core.types import Samples

PACKED = "application/msgpack"


PIECE = 2**19
"""Bytes of a piece of a long answer, at least: what a thread is asked for in one go."""

FRESH = {"Cache-Control": "no-store"}


class Download(FileResponse):
    """A file to be taken away, read in pieces so large that it comes as fast as the wire lets it."""

    chunk_size = 2**20


def packed(content: Any) -> Response:
    """A response that the page unpacks."""
    packer = _packer()
    packer.pack(content)
    return Response(packer.getbuffer(), media_type=PACKED, headers=FRESH)


def streamed(head: dict[str, Any], name: str, rows: Iterator[tuple[str, Any]], count: int) -> Response:
    """A response as of `packed`, whose last entry is a table of `count` rows. They are sent in pieces, and the next
    piece is worked out while one is on its way, so that no more is held than two of them and what `rows` works out at
    once, however large the whole is. The first row is worked out before the answer begins, so that what is wrong with
    it can still be said."""
    first = next(rows, None)

    def pieces() -> Iterator[memoryview]:
        packer = _packer()
        packer.pack_map_header(len(head) + 1)
        for part in chain.from_iterable(head.items()):
            packer.pack(part)
        packer.pack(name)
        packer.pack_map_header(count)
        for part in chain(first or (), chain.from_iterable(rows)):
            packer.pack(part)
            if len(packer.getbuffer()) >= PIECE:
                yield packer.getbuffer()
                packer = _packer()
        yield packer.getbuffer()

    return StreamingResponse(_ahead(pieces()), media_type=PACKED, headers=FRESH)


def _packer() -> msgpack.Packer:
    """One that gathers what it packs in a place of its own, which is sent as it lies there: each further copy of half
    a megabyte takes longer than making what is in it."""
    return msgpack.Packer(autoreset=False, buf_size=2 * PIECE, default=_buffer)


def _buffer(values: NDArray[Any]) -> memoryview:
    """An array's bytes where they lie, row after row."""
    return np.ascontiguousarray(values).data


async def _ahead(pieces: Iterator[memoryview]) -> AsyncIterator[memoryview]:
    """Pieces that are made in a thread, each while the one before it is sent."""
    following = asyncio.create_task(run_in_threadpool(next, pieces, None))
    try:
        while (piece := await following) is not None:
            following = asyncio.create_task(run_in_threadpool(next, pieces, None))
            yield piece
    finally:
        following.cancel()


def floats(values: NDArray[np.float64]) -> NDArray[np.float32]:
    """Numbers as they are sent: by their bytes, for their shape is known from what they are."""
    return np.ascontiguousarray(values, dtype="<f4")


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
