"""Pages that are sent as they are made: the head first, so that a browser fetches styles and reads scripts while what
is shown is still worked out."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from fastapi import Request
from fastapi.responses import StreamingResponse

from lazzik.core.errors import LazzikError
from lazzik.web.errors import answer
from lazzik.web.ui.templating import templates

HEAD_ENDS = "</head>"


def begun(request: Request, name: str, known: dict[str, Any], rest: Callable[[], dict[str, Any]]) -> StreamingResponse:
    """A page of a template, of whose names the head needs no more than those that are known. What goes wrong with the
    rest is a sentence below the same head: a status can't be taken back."""
    return StreamingResponse(_pieces(request, name, known, rest), media_type="text/html")


def _pieces(
    request: Request, name: str, known: dict[str, Any], rest: Callable[[], dict[str, Any]]
) -> Iterator[str | bytes]:
    template = templates.env.get_template(name)
    context = template.new_context({"request": request, **known})
    parts: list[str] = []
    for part in template.root_render_func(context):
        parts.append(part)
        if HEAD_ENDS in part:
            yield "".join(parts)
            parts.clear()
            try:
                context.parent.update(rest())
            except LazzikError as error:
                yield bytes(answer(request, error).body).partition(HEAD_ENDS.encode())[2]
                return
    yield "".join(parts)
