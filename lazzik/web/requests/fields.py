"""What requests are made of: whole numbers that a database and a clock can hold, and what stands in most of them."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Query
from pydantic import BaseModel, Field

Revision = Annotated[int, Field(ge=0, le=2**31)]
FrameNumber = Annotated[int, Field(ge=-10_000_000, le=10_000_000)]
Index = Annotated[int, Field(ge=0, le=1_000_000)]

AskedRevision = Annotated[int | None, Query(ge=0, le=2**31)]
Also = Annotated[tuple[str, ...], Query()]
Chosen = Annotated[list[str], Query(min_length=1, max_length=1000)]
"""Objects, by their ids."""


class RevisionBody(BaseModel):
    """A request made on a revision."""

    revision: Revision


class Refusal(BaseModel):
    """Why something was not done, as a sentence, and the field or address that it is about."""

    error: str
    where: str
    head: int | None = None
    """The newer revision, if what was asked for was made on an older one."""


def refusals(*codes: int) -> dict[int | str, dict[str, Any]]:
    """How an operation refuses, for its description."""
    return {code: {"model": Refusal, "description": REFUSED[code]} for code in codes}


REFUSED = {
    400: "The request can't be read.",
    401: "A password is asked for.",
    403: "A page from elsewhere asked.",
    404: "There is no such scene, object or job.",
    409: "The scene has gone on since.",
    413: "More than is taken at once.",
    422: "Something in it can't be: the sentence says what, and where.",
    429: "Too many tries.",
    503: "Somebody else is busy with it; try again.",
    507: "The disk is full; nothing was stored.",
}
