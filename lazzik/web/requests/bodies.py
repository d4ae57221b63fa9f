"""JSON that comes in: bounded before it is read, read beside the event loop, described in the OpenAPI document.

(The framework would read a body of any size, and check it, on the loop: everybody else would wait meanwhile.)
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Annotated, Any, TypeVar

from fastapi import APIRouter, Depends, FastAPI, Request
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, ValidationError
from pydantic.json_schema import models_json_schema

from lazzik.core.errors import LazzikError

Model = TypeVar("Model", bound=BaseModel)

LARGEST_JSON = 8 * 2**20
"""Bytes of one body."""

MOST_VALUES = 400_000
"""Values in one body, which is what reading it costs: 400,000 are read in about a second."""

MODELS: dict[str, type[BaseModel]] = {}
"""The bodies that routes take, by name."""


class TooMuchJson(LazzikError):
    """A body that is larger than any that a page sends."""


async def _bounded(request: Request) -> bytes:
    length = request.headers.get("content-length", "")
    if length.isdigit() and int(length) > LARGEST_JSON:
        raise _too_much(f"{int(length) // 2**20:,} MB", f"{LARGEST_JSON // 2**20} MB")
    body = bytearray()
    async for part in request.stream():
        body += part
        if len(body) > LARGEST_JSON:
            raise _too_much(f"{len(body) // 2**20:,} MB and more", f"{LARGEST_JSON // 2**20} MB")
    values = body.count(b",") + body.count(b"[") + body.count(b"{")
    if values > MOST_VALUES:
        raise _too_much(f"{values:,} values", f"{MOST_VALUES:,}")
    return bytes(body)


Raw = Annotated[bytes, Depends(_bounded)]
"""The bounded bytes of a JSON body."""


def body_of(model: type[Model]) -> Any:
    """A dependency: the body as a model, read in a thread that may wait."""

    def read(raw: Raw) -> Model:
        return read_body(model, raw)

    return described(model, read)


def described(model: type[BaseModel], read: Callable[..., Any]) -> Any:
    """A dependency that reads a body in a way of its own, which is described as a model."""
    MODELS[model.__name__] = model
    read.__dict__["body"] = model.__name__
    return Depends(read)


def read_body(model: type[Model], raw: bytes, context: Any = None) -> Model:
    """A body as a model. Raises RequestValidationError."""
    try:
        return model.model_validate_json(raw, context=context)
    except ValidationError as error:
        raise invalid(error) from None


def invalid(error: ValidationError) -> RequestValidationError:
    """What is wrong with a body."""
    problems = error.errors(include_url=False, include_input=False)
    return RequestValidationError([{**problem, "loc": ("body", *problem["loc"])} for problem in problems])


def describe(app: FastAPI, routers: Callable[[], Iterable[APIRouter]]) -> None:
    """Let the OpenAPI document tell of the bodies, and of how every refusal is answered.

    The routers are asked for when the document is, before it is written."""
    plain = app.openapi

    def openapi() -> dict[str, Any]:
        if app.openapi_schema is None:
            everywhere = list(routers())
            document = plain()
            where = "#/components/schemas/{model}"
            _, defined = models_json_schema([(m, "validation") for m in MODELS.values()], ref_template=where)
            schemas = document.setdefault("components", {}).setdefault("schemas", {})
            schemas |= defined["$defs"]
            for route in (route for router in everywhere for route in router.routes):
                for name in _bodies(getattr(route, "dependant", None)):
                    for method in getattr(route, "methods", ()):
                        content = {"application/json": {"schema": {"$ref": where.format(model=name)}}}
                        operation = document["paths"][getattr(route, "path", "")][method.lower()]
                        operation["requestBody"] = {"required": True, "content": content}
            app.openapi_schema = document
        return app.openapi_schema

    app.openapi = openapi  # type: ignore[method-assign]


def _bodies(dependant: Any) -> list[str]:
    found: list[str] = []
    for each in getattr(dependant, "dependencies", ()):
        name = getattr(each.call, "__dict__", {}).get("body")
        found += [name] if name else _bodies(each)
    return found


def _too_much(is_now: str, most: str) -> TooMuchJson:
    return TooMuchJson(f"The request holds {is_now}; {most} are the most that is taken at once")
